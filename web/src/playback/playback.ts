import type { Compiled } from "../api/client";
import { ofOneEffect } from "../one-effect";
import { noSlips } from "./slips";

/** What of a program says how its turn goes: its frames, and how many of them lie between its start and its end. */
export type Turn = Pick<Compiled, "frames" | "steps" | "looping">;

/** Where the turn is. `phase` is 0 to 1; frames are counted from it. */
type Playback = {
  playing: boolean;
  phase: number;
  speed: number;
  turn: Turn;
  /** A turn that plays once stays at its end, or begins again after a while. */
  stays: boolean;
  /** Seconds for which it has stayed at the end. */
  rested: number;
  /** The stretch that is played to and fro, or the whole turn. */
  stretch: [number, number] | null;
  /** On the way back through a stretch. */
  back: boolean;
};

/** Whether somebody wants things to stand still. */
export const calm = window.matchMedia("(prefers-reduced-motion: reduce)");

export const SPEEDS = [1, 0.5, 0.25, 0.125];
/** How long a turn that plays once stays at its end, in seconds. */
export const REST = 0.5;

export const usePlayback = ofOneEffect<Playback>(() => ({
  playing: !calm.matches,
  phase: 0,
  speed: 1,
  turn: { frames: 1, steps: 1, looping: true },
  stays: false,
  rested: 0,
  stretch: null,
  back: false,
}));

/** A phase within the turn: round the join where it loops, at the ends where it plays once. */
export const inTurn = (phase: number, turn: Turn) =>
  turn.looping ? ((phase % 1) + 1) % 1 : Math.max(0, Math.min(1, phase));

export function toggle() {
  const { playing, phase, turn } = usePlayback.getState();
  const over = !playing && !turn.looping && phase >= 1;
  usePlayback.setState({ playing: !playing, rested: 0, ...(over && { phase: 0 }) });
}

export function scrub(phase: number) {
  noSlips();
  usePlayback.setState((s) => ({ phase: inTurn(phase, s.turn), playing: false, rested: 0 }));
}

export const setSpeed = (speed: number) => usePlayback.setState({ speed });
export const setStays = (stays: boolean) => usePlayback.setState({ stays });
export const takeTurn = ({ frames, steps, looping }: Turn) =>
  usePlayback.setState((s) => {
    const turn = { frames, steps, looping };
    return { turn, phase: inTurn(s.phase, turn) };
  });

/** Plays a stretch to and fro, from the one phase to the other; nothing plays all of the turn again. */
export const setStretch = (stretch: [number, number] | null) =>
  usePlayback.setState({ stretch, back: false });

export function step(by: number) {
  const { phase, turn } = usePlayback.getState();
  scrub((frameOf(phase, turn) + by) / turn.steps);
}

export const toFrame = (frame: number) => scrub(frame / usePlayback.getState().turn.steps);
export const phaseOf = (frame: number, turn: Turn) => frame / turn.steps;

/** The frame shown at a phase: 0 to frames − 1. */
export const frameOf = (phase: number, turn: Turn) =>
  Math.min(turn.frames - 1, Math.floor(inTurn(phase, turn) * turn.steps + 1e-6));

/** The frame at a phase with its part, where each has so many. */
export const partOf = (phase: number, turn: Turn, parts: number) =>
  Math.min(
    turn.looping ? turn.frames - 1 / parts : turn.steps,
    Math.floor(inTurn(phase, turn) * turn.steps * parts + 1e-6) / parts,
  );

/** Moves on by the time that has passed. */
export function advance(seconds: number, turnSeconds: number) {
  const { playing, phase, speed, turn, stays, rested, stretch, back } = usePlayback.getState();
  if (!playing) return;
  // A frame lasts as long in a turn that plays once, whose last frame is at phase 1.
  const by = (seconds * speed * turn.frames) / (turnSeconds * turn.steps);
  if (stretch) {
    const [from, to] = stretch;
    const next = phase + (back ? -by : by);
    const turns = next > to || next < from;
    usePlayback.setState({
      phase: Math.max(from, Math.min(to, next)),
      ...(turns && { back: next > to }),
    });
  } else if (turn.looping) usePlayback.setState({ phase: inTurn(phase + by, turn) });
  else if (phase < 1) usePlayback.setState({ phase: Math.min(1, phase + by), rested: 0 });
  else if (stays) usePlayback.setState({ playing: false });
  else if (rested < REST) usePlayback.setState({ rested: rested + seconds });
  else usePlayback.setState({ phase: 0, rested: 0 });
}
