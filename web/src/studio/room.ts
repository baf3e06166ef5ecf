import { ofOneEffect } from "../one-effect";

export type Trying = "conditions" | "shapes";

type Room = {
  /** Pixels that a bead's panel is high. */
  height: number;
  /** The stage has the whole window. */
  wide: boolean;
  /** There is room for sheet and panel side by side. */
  beside: boolean;
  /** Too narrow or too low for columns: everything stands below one another. */
  stacked: boolean;
  /** The effect is looked at in bad conditions, or on many shapes, in the stage's place. */
  trying: Trying | null;
  /** The front is tried as its receiver has it: nothing else stands beside the stage. */
  front: boolean;
  /** The splice whose strands are shown alone in the sheet. */
  entered: string | null;
};

const KEY = "whorl panel height";
const fits = (h: number) => Math.max(120, Math.min(window.innerHeight - 220, h));
const BESIDE = window.matchMedia("(min-width: 1680px)");
const STACKED = window.matchMedia("(max-width: 920px), (max-height: 520px)");

/** How the studio shares its room; the height of the panel is remembered. */
export const useRoom = ofOneEffect<Room>(() => ({
  height: fits(Number(localStorage.getItem(KEY)) || Math.round(window.innerHeight * 0.33)),
  wide: false,
  beside: BESIDE.matches,
  stacked: STACKED.matches,
  trying: null,
  front: false,
  entered: null,
}));

BESIDE.addEventListener("change", (e) => useRoom.setState({ beside: e.matches }));
STACKED.addEventListener("change", (e) => useRoom.setState({ stacked: e.matches }));

export function setHeight(height: number) {
  useRoom.setState({ height: fits(height) });
  localStorage.setItem(KEY, String(useRoom.getState().height));
}

export const toggleWide = () => useRoom.setState((s) => ({ wide: !s.wide }));
export const tryOn = (trying: Trying | null) => useRoom.setState({ trying });
