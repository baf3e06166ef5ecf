import { kindOf } from "../api/catalogue";
import type { Bead, Effect, Strand } from "../api/client";
import { isFeed, valueAt } from "./place";
import { type Reference, references } from "./refer";
import { channelOrField as fieldAt, structure } from "./tree";

/** Changes to a draft of the document. Each leaves ids that are there as they are. */

export function freshId(base: string, taken: Iterable<string>): string {
  const used = new Set(taken);
  const plain =
    base
      .toLowerCase()
      .replace(/[^a-z0-9]+/g, "-")
      .replace(/^-+|-+$/g, "")
      .slice(0, 30) || "strand";
  if (!used.has(plain)) return plain;
  let n = 2;
  while (used.has(`${plain}-${n}`)) n++;
  return `${plain}-${n}`;
}

export function addStrand(draft: Effect, name: string, at = draft.strands.length): string {
  const id = freshId(
    name,
    draft.strands.map((s) => s.id),
  );
  draft.strands.splice(at, 0, { id, name, beads: [], note: "", folded: false, muted: false, solo: false });
  return id;
}

export function addBead(draft: Effect, strandId: string, at: number, bead: Omit<Bead, "id">): string {
  const strand = draft.strands.find((s) => s.id === strandId)!;
  const id = freshId(
    bead.kind,
    strand.beads.map((b) => b.id),
  );
  strand.beads.splice(at, 0, { ...bead, id });
  return id;
}

export function duplicateStrand(draft: Effect, id: string): string {
  const at = draft.strands.findIndex((s) => s.id === id);
  const copy: Strand = structuredClone(plain(draft.strands[at]));
  copy.name = `${copy.name} copy`.slice(0, 120);
  copy.id = freshId(
    copy.name,
    draft.strands.map((s) => s.id),
  );
  draft.strands.splice(at + 1, 0, copy);
  return copy.id;
}

/** A strand goes, and with it what used it: entries of channels and the like; fed numbers return to defaults. */
export function deleteStrand(draft: Effect, id: string) {
  draft.strands = draft.strands.filter((s) => s.id !== id);
  forget(draft, "strand", id);
}

export function deleteBead(draft: Effect, strandId: string, beadId: string) {
  const strand = draft.strands.find((s) => s.id === strandId);
  if (!strand) return;
  strand.beads = strand.beads.filter((b) => b.id !== beadId);
  for (const r of references(draft))
    if (r.kind === "strand" && r.id === strandId && r.bead === beadId) r.drop();
}

/** What was measured from a beacon goes on from the first that is left. */
export function deleteBeacon(draft: Effect, id: string) {
  draft.beacons = draft.beacons.filter((b) => b.id !== id);
  forget(draft, "beacon", id);
}

function forget(draft: Effect, kind: Reference["kind"], id: string) {
  for (const r of references(draft)) if (r.kind === kind && r.id === id) r.drop();
}

export function moveBead(
  draft: Effect,
  from: { strand: string; bead: string },
  strandId: string,
  at: number,
) {
  const source = draft.strands.find((s) => s.id === from.strand);
  const target = draft.strands.find((s) => s.id === strandId);
  const index = source?.beads.findIndex((b) => b.id === from.bead) ?? -1;
  if (!source || !target || index < 0) return from.bead;
  const [bead] = source.beads.splice(index, 1);
  const place = source === target && at > index ? at - 1 : at;
  if (source !== target) {
    const id = freshId(
      bead.id,
      target.beads.map((b) => b.id),
    );
    retarget(draft, from, { strand: strandId, bead: id });
    bead.id = id;
  }
  target.beads.splice(place, 0, bead);
  return bead.id;
}

function retarget(
  draft: Effect,
  from: { strand: string; bead: string },
  to: { strand: string; bead: string },
) {
  for (const r of references(draft))
    if (r.kind === "strand" && r.id === from.strand && r.bead === from.bead) r.aim(to.strand, to.bead);
}

export function moveStrand(draft: Effect, id: string, at: number) {
  const index = draft.strands.findIndex((s) => s.id === id);
  const [strand] = draft.strands.splice(index, 1);
  draft.strands.splice(at > index ? at - 1 : at, 0, strand);
}

/** What refers to what, to be looked at alone: every row of the sheet asks, and it stays while numbers change. */
function known(effect: Effect): Reference[] {
  const now = structure(effect);
  if (last.structure !== now) last = { structure: now, references: references(effect) };
  return last.references;
}
let last: { structure: string; references: Reference[] } = { structure: "", references: [] };

/** Who uses a strand: the names of strands, and of the channels and other parts it goes to. */
export function usersOf(effect: Effect, id: string): { strands: string[]; channels: string[] } {
  const here = known(effect).filter((r) => r.kind === "strand" && r.id === id);
  const strands = here.flatMap((r) =>
    r.strand && r.strand !== id ? [effect.strands.find((s) => s.id === r.strand)!.name] : [],
  );
  const channels = here.flatMap((r) => (r.strand ? [] : [goesTo(effect, r.place)]));
  return { strands: [...new Set(strands)], channels };
}

/** Where outside the sheet a strand goes, in words: "base colour ×2", "second surface". */
function goesTo(effect: Effect, place: string): string {
  const way = place.split("/");
  const listed = /^\d+$/.test(way[way.length - 1]);
  const gain = listed ? valueAt(effect, `${place}/gain`) : 1;
  const field = fieldAt(listed ? way.slice(0, -1).join("/") : place);
  const of = way[1] === "second" && way.length > 2 ? " of the second surface" : "";
  return `${field?.label ?? way[way.length - 1]}${of}${typeof gain === "number" && gain !== 1 ? ` ×${round(gain)}` : ""}`;
}

/** A bead in a few words, for under its picture. */
export function summary(effect: Effect, bead: Bead): string {
  const kind = kindOf(bead.kind);
  const named = (f: { strand: string; bead?: string | null }) =>
    effect.strands.find((s) => s.id === f.strand)?.name ?? f.strand;
  if (bead.kind === "tap") {
    const from = bead.params.from;
    return isFeed(from) ? `${named(from)}${from.bead ? ` · ${from.bead}` : ""}` : "tap";
  }
  if (bead.kind === "blend") {
    const top = bead.params.top;
    const mode = String(bead.settings.mode ?? "multiply");
    return isFeed(top) ? `${mode} ${named(top)}` : mode;
  }
  if (bead.kind === "tile") {
    const count = [bead.params.count ?? [2, 2]].flat() as number[];
    return `tile ${count.slice(0, 2).map(round).join(" · ")}`;
  }
  return kind?.title ?? bead.kind;
}

export const round = (x: number) => Number(x.toPrecision(4)).toString();

/** A draft's part as plain data, which can be cloned. */
const plain = <T>(value: T): T => JSON.parse(JSON.stringify(value));
