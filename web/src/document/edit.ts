import { goingOn, inputsOf, kindOf, motions } from "../api/catalogue";
import type { Bead, Effect, Strand } from "../api/client";
import { isFeed, isLevered, isMotion, type Motion, valueAt } from "./place";
import { type Reference, references } from "./refer";
import { channelOrField as fieldAt, partAt, structure } from "./tree";

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

/**
 * Puts beads into a strand, one after another, into a new one where there is none; gives the strand's id
 * and the last one's. A strand that nobody named is called after what it does.
 */
export function addBeads(
  draft: Effect,
  at: { strand: string | null; at: number },
  beads: Omit<Bead, "id">[],
): { strand: string; bead: string } {
  const strand = at.strand ?? addStrand(draft, "Strand");
  const own = draft.strands.find((s) => s.id === strand)!;
  const unnamed = at.strand === null || own.name === nameFor(draft, own);
  let bead = "";
  beads.forEach((b, i) => {
    bead = addBead(draft, strand, at.at + i, b);
  });
  if (unnamed) own.name = nameFor(draft, own);
  return { strand, bead };
}

/** What a strand is called until somebody names it: its first bead that makes something, "Rim of Mist". */
export function nameFor(effect: Effect, strand: Strand): string {
  const [first] = strand.beads;
  const maker = strand.beads.find((b) => {
    const kind = kindOf(b.kind);
    return kind && kind.gives !== "coords" && !kind.goes_on;
  });
  const from = first && kindOf(first.kind)?.goes_on ? Object.values(first.params).find(isFeed) : undefined;
  const source = from && effect.strands.find((s) => s.id === from.strand)?.name;
  const title = maker ? (kindOf(maker.kind)?.title ?? maker.kind) : source ? "On" : "Coordinates";
  const plain = `${title[0].toUpperCase()}${title.slice(1)}${source ? (maker ? ` of ${source}` : ` from ${source}`) : ""}`;
  const taken = new Set(effect.strands.filter((s) => s !== strand && s.id !== strand.id).map((s) => s.name));
  let name = plain.slice(0, 110);
  for (let n = 2; taken.has(name); n++) name = `${plain.slice(0, 110)} ${n}`;
  return name;
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

/**
 * Splits a strand before a bead: what is before it stays, the rest goes on from there as a strand of its own.
 * Who used what moved, or the end, uses it where it is now. Gives the new strand's id.
 */
export function splitStrand(draft: Effect, id: string, bead: string): string {
  const row = draft.strands.findIndex((s) => s.id === id);
  const own = draft.strands[row];
  const at = own.beads.findIndex((b) => b.id === bead);
  if (at < 1) return id;
  const moved = own.beads.slice(at);
  const users = references(draft).filter(
    (r) => r.kind === "strand" && r.id === id && (!r.bead || moved.some((b) => b.id === r.bead)),
  );
  const name = `${own.name}, on`.slice(0, 120);
  const next = freshId(
    name,
    draft.strands.map((s) => s.id),
  );
  for (const r of users) r.aim(next, r.bead ?? null);
  const first = freshId(
    "on",
    moved.map((b) => b.id),
  );
  const on = { ...goingOn(id, null), id: first } as Bead;
  draft.strands.splice(row + 1, 0, { ...plain(own), id: next, name, note: "", beads: [on, ...plain(moved)] });
  own.beads.splice(at);
  return next;
}

/** A strand goes, and with it what used it: entries of channels and the like; fed numbers return to defaults. */
export function deleteStrand(draft: Effect, id: string) {
  draft.strands = draft.strands.filter((s) => s.id !== id);
  draft.splices = draft.splices.filter((x) => draft.strands.some((s) => s.of === x.id));
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
  const here = known(effect).filter(
    (r) => r.kind === "strand" && r.id === id && !r.place.startsWith("levers/"),
  );
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

/** A place as people call it: "Mist, outer · noise · scale", "base colour", "key lamp · yaw". Never an id. */
export function inPeoplesWords(effect: Effect, place: string): string {
  const way = place.split("/").filter(Boolean);
  if (way.length === 0) return "the effect";
  if (way[0] === "strands") {
    const strand = effect.strands.find((s) => s.id === way[1]);
    const bead = strand?.beads.find((b) => b.id === way[2]);
    const kind = bead && kindOf(bead.kind);
    const last = way[3];
    const named =
      last && [...(kind ? inputsOf(kind) : []), ...(kind?.settings ?? [])].find((x) => x.name === last);
    const inner = /^\d+$/.test(way[4] ?? "") ? `stop ${Number(way[4]) + 1}` : undefined;
    const steps = [
      strand?.name ?? "a strand",
      kind?.title ?? bead?.kind,
      inner ?? (named ? named.label : last),
    ];
    return steps.filter(Boolean).join(" · ");
  }
  for (const [root, all, none] of [
    ["beacons", effect.beacons, "a beacon"],
    ["levers", effect.levers, "a lever"],
    ["ties", effect.ties.map((t) => ({ id: t.id, name: t.address })), "a tie"],
  ] as const)
    if (way[0] === root)
      return [all.find((x) => x.id === way[1])?.name ?? none, way[2]].filter(Boolean).join(" · ");
  const listed = /^\d+$/.test(way.at(-1)!);
  const holder = listed ? way.slice(0, -1).join("/") : place;
  const field = fieldAt(holder);
  const entry = listed ? (valueAt(effect, place) as unknown as { strand?: string } | undefined) : undefined;
  const strand = effect.strands.find((s) => s.id === entry?.strand)?.name;
  const above = way.slice(0, listed ? -2 : -1);
  // What has a name of its own is called by it, wherever it stands.
  const named = above.map((_, i) => partAt(effect, way.slice(0, i + 1).join("/"))?.name);
  const own = named.findLastIndex((n) => typeof n === "string");
  const words = above.map((w, i) => (i === own ? String(named[i]) : w));
  const parents = words.slice(Math.max(own, 0)).filter((w) => !/^\d+$/.test(w));
  const last = field?.label ?? way.at(listed ? -2 : -1)!.replaceAll("_", " ");
  return [...parents.map((w) => w.replaceAll("_", " ")), last, strand].filter(Boolean).join(" · ");
}

/** A bead in a few words, for under its picture. */
export function summary(effect: Effect, bead: Bead): string {
  const kind = kindOf(bead.kind);
  if (!kind) return bead.kind;
  const said = kind.short.replace(/\{(\w+)\}/g, (_, name: string) => {
    const given = bead.params[name];
    if (isFeed(given)) return fedBy(effect, given);
    if (isMotion(given)) return inWords(given);
    if (isLevered(given)) return effect.levers.find((x) => x.id === given.lever)?.name ?? given.lever;
    const setting = kind.settings.find((s) => s.name === name);
    if (setting) return String(bead.settings[name] ?? setting.default);
    const param = kind.params.find((p) => p.name === name);
    return param ? numbers((given ?? param.default) as number | number[], param.default) : "";
  });
  return said.trim() || kind.title;
}

/** A strand by its name, and the bead of it by what it is. */
function fedBy(effect: Effect, feed: { strand: string; bead?: string | null }): string {
  const strand = effect.strands.find((s) => s.id === feed.strand);
  const bead = strand?.beads.find((b) => b.id === feed.bead);
  return `${strand?.name ?? feed.strand}${bead ? ` · ${kindOf(bead.kind)?.title ?? bead.kind}` : ""}`;
}

/** Numbers in a row; the last of three is left out where it is as it begins. */
function numbers(given: number | number[], rest: unknown): string {
  const begins = [rest].flat() as number[];
  const all = begins.map((x, i) => [given].flat()[i] ?? x);
  const shown = all.length > 2 && all[2] === begins[2] ? all.slice(0, 2) : all;
  return shown.map(round).join(" · ");
}

/** A motion in a few words. */
export function inWords(motion: Motion): string {
  const held = motion as unknown as Record<string, unknown>;
  const words = motions().find((m) => m.kind === motion.motion)?.short ?? motion.motion;
  return words.replace(/\{(\w+)\}/g, (_, name: string) => {
    const value = [held[name]].flat();
    return typeof value[0] === "number" ? (value as number[]).map(round).join(" · ") : String(value.length);
  });
}

export const round = (x: number) => Number(x.toPrecision(4)).toString();

/** A draft's part as plain data, which can be cloned. */
const plain = <T>(value: T): T => JSON.parse(JSON.stringify(value));
