import { create } from "zustand";

/** Where the turn is. `phase` is 0 to 1; frames are counted from it. */
type Playback = { playing: boolean; phase: number; speed: number };

export const SPEEDS = [1, 0.5, 0.25, 0.125];

export const usePlayback = create<Playback>()(() => ({
  playing: !window.matchMedia("(prefers-reduced-motion: reduce)").matches,
  phase: 0,
  speed: 1,
}));

const wrap = (phase: number) => ((phase % 1) + 1) % 1;

export const toggle = () => usePlayback.setState((s) => ({ playing: !s.playing }));
export const scrub = (phase: number) => usePlayback.setState({ phase: wrap(phase), playing: false });
export const setSpeed = (speed: number) => usePlayback.setState({ speed });

export function step(frames: number, by: number) {
  const frame = frameOf(usePlayback.getState().phase, frames);
  scrub((frame + by) / frames);
}

/** The frame shown at a phase: 0 to frames − 1. */
export const frameOf = (phase: number, frames: number) => Math.floor(wrap(phase) * frames + 1e-6) % frames;

/** Moves on by the time that has passed. */
export function advance(seconds: number, turn: number) {
  const { playing, phase, speed } = usePlayback.getState();
  if (playing) usePlayback.setState({ phase: wrap(phase + (seconds * speed) / turn) });
}
