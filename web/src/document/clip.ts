import type { Bead, Effect, Strand } from "../api/client";
import { addBead, freshId } from "./edit";
import { type Feed, isFeed } from "./place";

/** What is copied: strands, and perhaps one bead, with all strands they depend on. */
export type Clip = {
  format: "whorl-clip";
  version: 1;
  /** In the order of the sheet; those that were chosen themselves are named in `chosen`. */
  strands: Strand[];
  chosen: string[];
  bead: Bead | null;
};

const feedsOf = (beads: Bead[]): Feed[] => beads.flatMap((b) => Object.values(b.params).filter(isFeed));
const plain = <T>(value: T): T => JSON.parse(JSON.stringify(value));

/** A bead by itself, with the strands that feed it. */
export function clipBead(effect: Effect, strand: string, bead: string): Clip | null {
  const found = effect.strands.find((s) => s.id === strand)?.beads.find((b) => b.id === bead);
  if (!found) return null;
  const needed = dependencies(
    effect,
    feedsOf([found]).map((f) => f.strand),
  );
  return { format: "whorl-clip", version: 1, strands: plain(needed), chosen: [], bead: plain(found) };
}

/** A strand, with those it depends on. */
export function clipStrand(effect: Effect, strand: string): Clip {
  return {
    format: "whorl-clip",
    version: 1,
    strands: plain(dependencies(effect, [strand])),
    chosen: [strand],
    bead: null,
  };
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
    waiting.push(...feedsOf(strand.beads).map((f) => f.strand));
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
  let row = at.row;
  let last: string | null = null;
  for (const strand of clip.strands) {
    const beads = plain(strand.beads);
    for (const f of feedsOf(beads)) f.strand = renamed.get(f.strand) ?? f.strand;
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
    draft.strands.splice(row++, 0, { ...plain(strand), id, name, beads, solo: false });
    if (clip.chosen.includes(strand.id)) last = id;
  }
  if (clip.bead && at.strand) {
    const bead = plain(clip.bead);
    for (const f of feedsOf([bead])) f.strand = renamed.get(f.strand) ?? f.strand;
    return { strand: at.strand, bead: addBead(draft, at.strand, at.column, bead) };
  }
  return last
    ? { strand: last, bead: draft.strands.find((s) => s.id === last)?.beads.at(-1)?.id ?? null }
    : null;
}
