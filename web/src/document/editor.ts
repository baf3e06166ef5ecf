import { produce } from "immer";
import { temporal } from "zundo";
import { create } from "zustand";
import type { Compiled, Effect, Problem } from "../api/client";
import { isLevered, isMotion } from "./place";

export type Selection = { strand: string; bead: string } | null;
export type Tab = "bead" | "surface" | "stage" | "front" | "signals" | "checks";
export type Saving =
  | { state: "saved" | "unsaved" | "saving" }
  | { state: "stale"; head: number }
  | { state: "failed"; words: string };

type Editor = {
  id: string;
  document: Effect;
  /** The revision the document builds on. */
  revision: number;
  saving: Saving;
  /** A pointer is held on a number: nothing is sent until it is let go. */
  held: boolean;
  selected: Selection;
  /** What the pointer is over; it lights up what it uses and what uses it. */
  pointed: Selection;
  tab: Tab;
  peek: string | null;
  program: Compiled | null;
  /** The document that the program was made from. */
  from: Effect | null;
  problems: Problem[];
  /** What is drawn as it was, because it has a fault now. */
  stood: string[];
  /** The last document that had no fault. */
  sound: Effect | null;
  compiling: boolean;
  /** Whether that leads to another program: what is drawn now will not be for long. */
  remaking: boolean;
  /** The document whose program was asked for last. */
  asked: Effect | null;
};

const EMPTY = { strands: [], surface: {} } as unknown as Effect;

/** The one document store; only the document itself is undone. */
export const useEditor = create<Editor>()(
  temporal(
    (): Editor => ({
      id: "",
      document: EMPTY,
      revision: 0,
      saving: { state: "saved" },
      held: false,
      selected: null,
      pointed: null,
      tab: "bead",
      peek: null,
      program: null,
      from: null,
      problems: [],
      stood: [],
      sound: null,
      compiling: false,
      remaking: false,
      asked: null,
    }),
    {
      partialize: (s) => ({ document: s.document }),
      equality: (a, b) => a.document === b.document,
      limit: 300,
    },
  ),
);

const set = useEditor.setState;
const history = () => useEditor.temporal.getState();

export function open(id: string, document: Effect, revision: number) {
  history().pause();
  set({
    id,
    document,
    revision,
    saving: { state: "saved" },
    held: false,
    selected: worthALook(document),
    pointed: null,
    tab: "bead",
    peek: null,
    program: null,
    from: null,
    problems: [],
    stood: [],
    sound: null,
  });
  history().clear();
  history().resume();
}

/** What moves first in the sheet, so that the ring has something to show; else the first strand's end. */
function worthALook(document: Effect): Selection {
  const moves = new Set(document.levers.filter((x) => isMotion(x.value)).map((x) => x.id));
  const moved = (v: unknown) => isMotion(v) || (isLevered(v) && moves.has(v.lever));
  for (const s of document.strands) {
    const moving = s.beads.find((b) => Object.values(b.params).some(moved));
    if (moving) return { strand: s.id, bead: moving.id };
  }
  const first = document.strands[0];
  const last = first?.beads.at(-1);
  return last ? { strand: first.id, bead: last.id } : null;
}

/** Changes the document; one step of undo, or part of one while a pointer is held. */
export function edit(change: (draft: Effect) => void) {
  const before = useEditor.getState().document;
  const document = produce(before, change);
  if (document === before) return;
  // A refused save waits for a decision, whatever is changed meanwhile.
  set((s) => ({ document, saving: s.saving.state === "stale" ? s.saving : { state: "unsaved" } }));
  if (useEditor.getState().held) history().pause();
}

/** Puts another state of the document in place of this one, as one step of undo. */
export function replace(document: Effect, revision: number, state: "saved" | "unsaved") {
  set({ document, revision, saving: { state } });
  keepSelection();
}

export function hold() {
  set({ held: true });
}

export function letGo() {
  set({ held: false });
  history().resume();
}

let resting: number | undefined;

/** Held for as long as changes keep coming, for what has no moment of letting go. */
export function holdBriefly() {
  if (!useEditor.getState().held) hold();
  window.clearTimeout(resting);
  resting = window.setTimeout(letGo, 450);
}

export const point = (pointed: Selection) => set({ pointed });
export const select = (selected: Selection) => set({ selected, tab: "bead" });
export const showTab = (tab: Tab) => set({ tab });
export const togglePeek = (place: string) => set((s) => ({ peek: s.peek === place ? null : place }));

export function undo() {
  history().undo();
  settle();
}

export function redo() {
  history().redo();
  settle();
}

/** After a step in history: unsaved, unless a save was refused and it is still to be decided. */
function settle() {
  set((s) => ({ saving: s.saving.state === "stale" ? s.saving : { state: "unsaved" } }));
  keepSelection();
}

/** Nothing stays selected that is no longer there. */
function keepSelection() {
  const { document, selected } = useEditor.getState();
  const there = document.strands
    .find((s) => s.id === selected?.strand)
    ?.beads.some((b) => b.id === selected?.bead);
  if (!there) set({ selected: null });
}

/** The document as it is sent. */
export const sent = () => useEditor.getState().document as unknown as Record<string, unknown>;

/** A document made from the one at hand, made anew only when that is another. */
export function derived(make: (document: Effect) => Effect): () => Effect {
  let from: Effect | null = null;
  let made: Effect;
  return () => {
    const { document } = useEditor.getState();
    if (from !== document) {
      from = document;
      made = make(document);
    }
    return made;
  };
}
