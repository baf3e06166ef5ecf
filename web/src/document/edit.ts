import { kindOf } from "../api/catalogue";
import type { Bead, Effect, Strand } from "../api/client";
import { isFeed } from "./place";

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

/** A strand goes, and with it what used it: taps and channel entries; fed numbers return to defaults. */
export function deleteStrand(draft: Effect, id: string) {
  draft.strands = draft.strands.filter((s) => s.id !== id);
  forget(draft, (strand) => strand === id);
}

export function deleteBead(draft: Effect, strandId: string, beadId: string) {
  const strand = draft.strands.find((s) => s.id === strandId);
  if (!strand) return;
  strand.beads = strand.beads.filter((b) => b.id !== beadId);
  forget(draft, (s, b) => s === strandId && b === beadId);
}

function forget(draft: Effect, gone: (strand: string, bead: string | null | undefined) => boolean) {
  for (const strand of draft.strands) {
    for (const bead of strand.beads) {
      for (const [name, value] of Object.entries(bead.params)) {
        if (isFeed(value) && gone(value.strand, value.bead)) delete bead.params[name];
      }
    }
  }
  const channels = draft.surface.channels;
  for (const name of ["base", "emission", "opacity"] as const) {
    channels[name] = channels[name].filter((e) => !gone(e.strand, e.bead));
  }
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
  const moved = (f: { strand: string; bead?: string | null }) => {
    if (f.strand === from.strand && f.bead === from.bead) Object.assign(f, to);
  };
  for (const s of draft.strands)
    for (const b of s.beads) for (const v of Object.values(b.params)) if (isFeed(v)) moved(v);
  for (const entries of Object.values(draft.surface.channels)) entries.forEach(moved);
}

export function moveStrand(draft: Effect, id: string, at: number) {
  const index = draft.strands.findIndex((s) => s.id === id);
  const [strand] = draft.strands.splice(index, 1);
  draft.strands.splice(at > index ? at - 1 : at, 0, strand);
}

/** Who uses a strand: the names of strands and channels. */
export function usersOf(effect: Effect, id: string): { strands: string[]; channels: string[] } {
  const strands = effect.strands
    .filter(
      (s) =>
        s.id !== id && s.beads.some((b) => Object.values(b.params).some((v) => isFeed(v) && v.strand === id)),
    )
    .map((s) => s.name);
  const channels = Object.entries(effect.surface.channels).flatMap(([name, entries]) =>
    entries
      .filter((e) => e.strand === id)
      .map((e) => (typeof e.gain === "number" && e.gain !== 1 ? `${name} ×${round(e.gain)}` : name)),
  );
  return { strands, channels };
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
