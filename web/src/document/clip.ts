import { defaults } from "../api/catalogue";
import type { Bead, Effect, Strand } from "../api/client";
import { addBead, freshId } from "./edit";
import { type Reference, references } from "./refer";

/** What is copied: strands, and perhaps one bead, with all strands, pictures and beacons they depend on. */
export type Clip = {
  format: "whorl-clip";
  version: 1;
  /** In the order of the sheet; those that were chosen themselves are named in `chosen`. */
  strands: Strand[];
  chosen: string[];
  bead: Bead | null;
  assets: Effect["assets"];
  beacons: Effect["beacons"];
  levers: Effect["levers"];
};

/** What these strands refer to. */
const referring = (strands: Strand[]): Reference[] => references({ ...defaults(), strands });
/** A bead by itself as a strand, to ask what it refers to. */
const alone = (bead: Bead): Strand[] => [{ id: "alone", name: "alone", beads: [bead] } as unknown as Strand];
const strandsOf = (refs: Reference[]) => refs.filter((r) => r.kind === "strand").map((r) => r.id);

function clip(effect: Effect, needed: Strand[], chosen: string[], bead: Bead | null): Clip {
  const refs = referring([...needed, ...(bead ? alone(bead) : [])]);
  const named = <T extends { id: string }>(kind: Reference["kind"], all: T[]) =>
    plain(all.filter((x) => refs.some((r) => r.kind === kind && r.id === x.id)));
  return {
    format: "whorl-clip",
    version: 1,
    strands: plain(needed),
    chosen,
    bead: bead && plain(bead),
    assets: named("picture", effect.assets),
    beacons: named("beacon", effect.beacons),
    levers: named("lever", effect.levers),
  };
}

const plain = <T>(value: T): T => JSON.parse(JSON.stringify(value));

/** A bead by itself, with the strands that feed it. */
export function clipBead(effect: Effect, strand: string, bead: string): Clip | null {
  const found = effect.strands.find((s) => s.id === strand)?.beads.find((b) => b.id === bead);
  if (!found) return null;
  return clip(effect, dependencies(effect, strandsOf(referring(alone(found)))), [], found);
}

/** A strand, with those it depends on. */
export function clipStrand(effect: Effect, strand: string): Clip {
  return clip(effect, dependencies(effect, [strand]), [strand], null);
}

/** A clip from text, or null where it is something else. */
export function readClip(text: string): Clip | null {
  try {
    const data = JSON.parse(text) as Clip;
    return data?.format === "whorl-clip" && Array.isArray(data.strands) ? data : null;
  } catch {
    return null;
  }
}

/** Strands and all that they use, in the order of the sheet. */
function dependencies(effect: Effect, wanted: string[]): Strand[] {
  const known = new Map(effect.strands.map((s) => [s.id, s]));
  const found = new Set<string>();
  const waiting = [...wanted];
  while (waiting.length) {
    const id = waiting.pop()!;
    const strand = known.get(id);
    if (!strand || found.has(id)) continue;
    found.add(id);
    waiting.push(...strandsOf(referring([strand])));
  }
  return effect.strands.filter((s) => found.has(s.id));
}

/**
 * Puts a clip into a draft, its strands above row `row`. What it depends on and is there already,
 * alike in every bead, is used and not copied. Gives the row and id of what was chosen.
 */
export function paste(
  draft: Effect,
  clip: Clip,
  at: { strand: string | null; row: number; column: number },
): { strand: string; bead: string | null } | null {
  const renamed = new Map<string, string>();
  // Pictures are known by their content, beacons by where they are.
  const assets = bringAlong(clip.assets ?? [], draft.assets, (a) => a.hash);
  const beacons = bringAlong(clip.beacons ?? [], draft.beacons, ({ id: _, ...rest }) => JSON.stringify(rest));
  const levers = bringAlong(clip.levers ?? [], draft.levers, (x) => `${x.kind} ${x.name}`);
  const settle = (strands: Strand[]) => {
    for (const r of referring(strands)) {
      const to = { strand: renamed, picture: assets, beacon: beacons, lever: levers }[r.kind].get(r.id);
      if (to) r.aim(to);
    }
  };
  let row = at.row;
  let last: string | null = null;
  for (const strand of clip.strands) {
    const copy = plain(strand);
    settle([copy]);
    const { beads } = copy;
    const there = draft.strands.findIndex((s) => s.id === strand.id);
    const same =
      !clip.chosen.includes(strand.id) &&
      there >= 0 &&
      there < row &&
      JSON.stringify(draft.strands[there].beads) === JSON.stringify(beads);
    if (same) continue;
    const id = freshId(
      strand.id,
      draft.strands.map((s) => s.id),
    );
    renamed.set(strand.id, id);
    const name = id === strand.id ? strand.name : `${strand.name} copy`.slice(0, 120);
    draft.strands.splice(row++, 0, { ...plain(strand), id, name, beads, solo: false, of: null });
    if (clip.chosen.includes(strand.id)) last = id;
  }
  if (clip.bead && at.strand) {
    const bead = plain(clip.bead);
    settle(alone(bead));
    return { strand: at.strand, bead: addBead(draft, at.strand, at.column, bead) };
  }
  return last
    ? { strand: last, bead: draft.strands.find((s) => s.id === last)?.beads.at(-1)?.id ?? null }
    : null;
}

/** A strand once more, below itself, with copies of all strands that it goes on from. Gives its id. */
export function duplicateWhole(draft: Effect, id: string): string {
  const clip = clipStrand(draft, id);
  const row = draft.strands.findIndex((s) => s.id === id) + 1;
  const all = { ...clip, chosen: clip.strands.map((s) => s.id) };
  return paste(draft, all, { strand: null, row, column: 0 })?.strand ?? id;
}

/** Adds what is not there yet, under ids of its own; gives the ids by what they were in the clip. */
function bringAlong<T extends { id: string }>(
  from: T[],
  to: T[],
  same: (x: T) => string,
): Map<string, string> {
  const ids = new Map<string, string>();
  for (const item of from) {
    let there = to.find((x) => same(x) === same(item));
    if (!there) {
      there = {
        ...plain(item),
        id: freshId(
          item.id,
          to.map((x) => x.id),
        ),
      };
      to.push(there);
    }
    ids.set(item.id, there.id);
  }
  return ids;
}
