import { useMemo } from "react";
import { create } from "zustand";
import type { Strand } from "../api/client";
import { useEditor } from "../document/editor";
import { type Deed, type Grip, shapeMotion, type Track } from "../document/moving";
import { isLevered, isMotion, type Motion, paramAt, valueAt } from "../document/place";
import { follow } from "../drag";
import { ofOneEffect } from "../one-effect";
import { inTurn, usePlayback } from "../playback/playback";

/** What of the curves is chosen, and what the hand holds just now. */
type Hand = {
  /** The place of the curve that is worked on; the first that shows where none is chosen. */
  lead: string | null;
  /** Names of its grips that are chosen. */
  chosen: string[];
  /** What is being pulled: from where, and by how much. */
  pull: { place: string; from: Grip[]; phase: number; value: number; scale: Scale } | null;
  /** Whether it is unrolled in the place of the bead's controls. */
  unrolled: boolean;
  /** Other curves laid over it there. */
  over: string[];
};

export const useHand = ofOneEffect<Hand>(() => ({
  lead: null,
  chosen: [],
  pull: null,
  unrolled: false,
  over: [],
}));
/** A motion that was copied, to be put in place of another in whatever effect. */
export const useCopied = create<{ motion: Motion | null }>()(() => ({ motion: null }));

export const lead = (place: string | null) =>
  useHand.setState((s) => (s.lead === place ? s : { lead: place, chosen: [], over: [] }));
export const unroll = (unrolled: boolean) => useHand.setState({ unrolled });

const MOST = 6;

/** The curves of what is looked at: the selected strand, the selected bead's first; or surface or stage. */
export function useTracks(): Track[] {
  const all = useEditor((s) => s.program?.tracks);
  const selected = useEditor((s) => s.selected);
  const tab = useEditor((s) => s.tab);
  // The levers that move numbers of what is selected have their curves there too.
  const levers = useEditor((s) => leversOf(s.document.strands.find((x) => x.id === selected?.strand)));
  if (!all) return [];
  const on = (start: string) => all.filter((t) => t.place.startsWith(start));
  if (tab === "surface") return on("surface/").slice(0, MOST);
  if (tab === "front") return on("levers/").slice(0, MOST);
  if (tab === "stage") return all.filter((t) => !/^(strands|surface|levers)\//.test(t.place)).slice(0, MOST);
  if (!selected) return [];
  const strand = on(`strands/${selected.strand}/`);
  const bead = `strands/${selected.strand}/${selected.bead}/`;
  const first = strand.filter((t) => t.place.startsWith(bead));
  const moved = levers.split(" ").flatMap((id) => (id ? on(`levers/${id}/`) : []));
  return [...first, ...strand.filter((t) => !first.includes(t)), ...moved].slice(0, MOST);
}

/** The levers that move numbers of a strand. */
const leversOf = (strand: Strand | undefined) => {
  const values = strand?.beads.flatMap((b) => Object.values(b.params)) ?? [];
  return [...new Set(values.filter(isLevered).map((v) => v.lever))].join(" ");
};

/** How many curves the strand, with its levers, or the surface, stage or front has that has most. */
export function useMost(): number {
  const tracks = useEditor((s) => s.program?.tracks);
  const levers = useEditor((s) => s.document.strands.map((x) => `${x.id}:${leversOf(x)}`).join());
  return useMemo(() => {
    const counts = new Map<string, number>();
    const count = (group: string, more: number) => counts.set(group, (counts.get(group) ?? 0) + more);
    for (const { place } of tracks ?? []) {
      const [root, id] = place.split("/");
      if (root === "levers") count(`levers/${id}`, 1);
      count(
        root === "strands"
          ? place.split("/", 2).join()
          : ["surface", "levers"].includes(root)
            ? root
            : "stage",
        1,
      );
    }
    for (const text of levers.split(",")) {
      const [strand, ids] = text.split(":");
      for (const id of ids?.split(" ") ?? []) count(`strands,${strand}`, counts.get(`levers/${id}`) ?? 0);
    }
    return Math.min(MOST, Math.max(0, ...counts.values()));
  }, [tracks, levers]);
}

/** The curve that is worked on. */
export function useLead(tracks: Track[]): Track | undefined {
  const place = useHand((s) => s.lead);
  return tracks.find((t) => t.place === place) ?? tracks[0];
}

const NONE: number[][] = [];
/** A curve's values, frame by frame. */
export function useRows(track: Track | undefined): number[][] {
  return useEditor((s) => s.program?.uniforms.find((u) => u.place === track?.uniform)?.rows ?? NONE);
}

export type Scale = { low: number; high: number };

/** The least and the greatest of a curve; of one that stands still, what its slider reaches. */
export function scaleOf(rows: number[][], track: Track): Scale {
  let [low, high] = [Number.POSITIVE_INFINITY, Number.NEGATIVE_INFINITY];
  for (const row of rows) {
    low = Math.min(low, row[track.axis]);
    high = Math.max(high, row[track.axis]);
  }
  if (high - low > 1e-9 * Math.max(1, Math.abs(high))) return { low, high };
  const soft = paramAt(useEditor.getState().document, track.place)?.soft ?? [0, 1];
  const half = (soft[1] - soft[0]) / 2;
  return Number.isFinite(low) ? { low: low - half, high: low + half } : { low: soft[0], high: soft[1] };
}

const round = (phase: number) => {
  const { turn } = usePlayback.getState();
  return Math.round(phase * turn.steps) / turn.steps;
};

/** The grips of a curve as they show: what is pulled is where the hand has it. */
export function shown(track: Track, pull: Hand["pull"]): Grip[] {
  if (pull?.place !== track.place) return track.grips;
  return track.grips.map((g) => {
    const from = pull.from.find((f) => f.name === g.name);
    if (!from) return g;
    const turn = usePlayback.getState().turn;
    return { ...g, phase: inTurn(from.phase + pull.phase, turn), value: from.value + pull.value };
  });
}

/** Whether a grip shows: a handle does where its key is chosen. */
export const isShown = (g: Grip, chosen: string[]) =>
  !g.of || chosen.includes(g.of) || chosen.includes(g.name);

const motionAt = (place: string): Motion | null => {
  const value = valueAt(useEditor.getState().document, place);
  return isMotion(value) ? value : null;
};

/**
 * Takes hold of a grip: it follows the hand at once, the curve as soon as its rows come. `at` says where
 * in the turn and at which value a place on the page is. All of it is one step of undo.
 */
export function takeHold(
  e: React.PointerEvent,
  track: Track,
  grip: Grip,
  scale: Scale,
  at: (x: number, y: number) => { phase: number; value: number },
) {
  e.preventDefault();
  e.stopPropagation();
  (e.currentTarget as HTMLElement | SVGElement).focus();
  const motion = motionAt(track.place);
  if (!motion) return;
  choose(track, grip, e.shiftKey);
  const { chosen } = useHand.getState();
  const from = grip.of ? [grip] : track.grips.filter((g) => !g.of && chosen.includes(g.name));
  if (!from.length) return;
  const names = [grip.name, ...from.map((g) => g.name).filter((n) => n !== grip.name)];
  const begun = at(e.clientX, e.clientY);
  let last = Promise.resolve<unknown>(null);
  follow(
    e,
    (m) => {
      const now = at(m.clientX, m.clientY);
      let phase = now.phase - begun.phase;
      // The short way round the join.
      if (usePlayback.getState().turn.looping) phase -= Math.round(phase);
      // Handles and what counts rounds go freely; keys rest at frames, but for Alt.
      if (!m.altKey && !grip.of) phase = round(grip.phase + phase) - grip.phase;
      const value = now.value - begun.value;
      useHand.setState({ pull: { place: track.place, from, phase, value, scale } });
      const deed = { kind: "pull", names, phase, value, axis: inner(track), snap: !m.altKey } as const;
      last = shapeMotion(track.place, motion, deed);
    },
    () => last.finally(() => useHand.setState({ pull: null })),
  );
}

/** The axis as the motion itself counts it: one that moves by itself has one. */
const inner = (track: Track) => (track.place === track.uniform ? track.axis : 0);

export function choose(track: Track, grip: Grip, more: boolean) {
  const { lead: was, chosen } = useHand.getState();
  const here = was === track.place ? chosen : [];
  const name = grip.of || grip.name;
  const next = more
    ? here.includes(name)
      ? here.filter((n) => n !== name)
      : [...here, name]
    : here.includes(name)
      ? here
      : [name];
  useHand.setState({ lead: track.place, chosen: next });
}

/** Does something with a curve as it stands. */
export async function act(track: Track, deed: Deed) {
  const motion = motionAt(track.place);
  if (!motion) return;
  const added = await shapeMotion(track.place, motion, { axis: inner(track), ...deed });
  if (added) useHand.setState({ lead: track.place, chosen: [added] });
  else if (deed.kind === "remove") useHand.setState({ chosen: [] });
}

/** The keys of a grip: arrows move it, Delete removes it, Space chooses more than one. */
export function gripKeys(e: React.KeyboardEvent, track: Track, grip: Grip, scale: Scale) {
  const { turn } = usePlayback.getState();
  const frame = (e.shiftKey ? 8 : 1) / turn.steps;
  const rise = ((scale.high - scale.low) / 50) * (e.shiftKey ? 8 : 1);
  const by = {
    ArrowRight: [frame, 0],
    ArrowLeft: [-frame, 0],
    ArrowUp: [0, rise],
    ArrowDown: [0, -rise],
  }[e.key];
  const { chosen, lead: was } = useHand.getState();
  const more = was === track.place && chosen.includes(grip.name) ? chosen : [grip.name];
  const names = grip.of ? [grip.name] : [grip.name, ...more.filter((n) => n !== grip.name)];
  if (by) void act(track, { kind: "pull", names, phase: by[0], value: by[1], snap: false });
  else if (e.key === "Delete" || e.key === "Backspace")
    grip.taken && void act(track, { kind: "remove", names });
  else if (e.key === " " || e.key === "Enter") choose(track, grip, true);
  else if (e.key === "+") addHere(track);
  else return;
  e.preventDefault();
  e.stopPropagation();
}

/** Puts a point on a curve where the hand of the ring stands. */
export const addHere = (track: Track) =>
  void act(track, { kind: "add", phase: usePlayback.getState().phase });

export function copyMotion(track: Track) {
  useCopied.setState({ motion: motionAt(track.place) });
}

/** Puts a copied motion in the place of this one, made to fit. */
export async function pasteMotion(track: Track) {
  const { motion: copied } = useCopied.getState();
  if (!copied) return;
  const axis = inner(track);
  await shapeMotion(track.place, structuredClone(copied), { kind: "fit", axis });
}

export const says = (g: Grip) => `${g.phase.toFixed(3)} · ${Number(g.value.toPrecision(4))}`;
