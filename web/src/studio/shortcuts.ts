import { useLayoutEffect } from "react";
import { addBead, moveBead, moveStrand } from "../document/edit";
import { edit, redo, select, showTab, type Tab, togglePeek, undo, useEditor } from "../document/editor";
import { placeOf } from "../document/place";
import { dialogOpen, focusBead, focusSoon } from "../focus";
import { step, toggle } from "../playback/playback";
import { unroll } from "../ring/hand";
import type { Place } from "../sheet/finder";
import { muteSelected, removeSelected } from "../sheet/strand-row";
import { blink } from "../stage/compare";
import { showHelp } from "./help";
import { toggleWide } from "./room";

const TABS: Record<string, Tab> = {
  "1": "bead",
  "2": "surface",
  "3": "stage",
  "4": "checks",
  "5": "front",
  "6": "signals",
};

/** The studio's keys; they rest while something is being typed or a dialog is open. */
export function useShortcuts(find: (place: Place) => void, keys: () => void) {
  // Before anything is painted: whoever sees the sheet can use its keys.
  useLayoutEffect(() => {
    const press = (e: KeyboardEvent) => {
      const target = e.target as HTMLElement;
      // What takes keys of its own keeps them; a button or a box takes the space bar and Enter.
      const writing = target.closest(TAKES_TEXT) !== null;
      const typing = target.closest(TAKES_KEYS) !== null;
      const pressed = target.closest(TAKES_SPACE) !== null;
      // A control that has done something with it takes it: the button of a menu, whose arrow keys open it.
      if (e.defaultPrevented || dialogOpen()) return;
      const command = e.ctrlKey || e.metaKey;
      if (command && e.key.toLowerCase() === "z" && !writing) act(e, e.shiftKey ? redo : undo);
      else if (command && e.key.toLowerCase() === "y" && !writing) act(e, redo);
      else if (command && e.key.toLowerCase() === "d" && !writing) act(e, duplicate);
      else if (e.key === "F1") act(e, help);
      else if (command || typing) return;
      else if (e.altKey && e.key.startsWith("Arrow")) act(e, () => carry(e.key));
      else if (e.key === " ") pressed || act(e, toggle);
      else if (e.key === "Delete" || e.key === "Backspace") target.closest(".bead") && act(e, removeSelected);
      else if (e.key === "Escape") useEditor.setState({ peek: null });
      else if (e.key.startsWith("Arrow")) act(e, () => walk(e.key));
      else if (!lettersOn()) return;
      else if (e.key === "p" || e.key === "P") act(e, toggle);
      else if (e.key === ",") act(e, () => step(-1));
      else if (e.key === ".") act(e, () => step(1));
      else if (e.key === "?") act(e, keys);
      else if (e.key === "v" || e.key === "V") act(e, peek);
      else if (e.key === "m" || e.key === "M") act(e, muteSelected);
      else if (e.key === "f" || e.key === "F") act(e, toggleWide);
      else if (e.key === "k" || e.key === "K") act(e, blink);
      else if (e.key === "N") act(e, () => find(newStrand()));
      else if (e.key === "n") act(e, () => find(behind()));
      else if (TABS[e.key]) act(e, () => into(TABS[e.key]));
    };
    window.addEventListener("keydown", press);
    return () => window.removeEventListener("keydown", press);
  }, [find, keys]);
}

const TAKES_TEXT = "input:not([type=checkbox]), textarea, [contenteditable]";
const TAKES_KEYS = [
  TAKES_TEXT,
  "select",
  ...["slider", "tab", "menu", "menuitem", "listbox", "option", "combobox", "application"].map(
    (role) => `[role=${role}]`,
  ),
].join();
const TAKES_SPACE = "button, a, input, summary, [role=button], [role=link], [role=checkbox], [role=radio]";

/** Whether keys of a single letter or sign act (WCAG 2.1.4 asks that they can be turned off). */
export const lettersOn = () => localStorage.getItem("whorl letters") !== "off";
export const turnLetters = (on: boolean) => localStorage.setItem("whorl letters", on ? "on" : "off");

/** Shows a panel and goes into it. */
function into(tab: Tab) {
  if (tab === "bead") unroll(false);
  showTab(tab);
  focusSoon(`[role=tabpanel][data-testid="panel-${tab}"]`);
}

function act(e: KeyboardEvent, what: () => void) {
  e.preventDefault();
  what();
}

function peek() {
  const { selected, peek: shown } = useEditor.getState();
  if (shown) togglePeek(shown);
  else if (selected) togglePeek(placeOf(selected.strand, selected.bead));
}

/** What the selected bead does. */
function help() {
  const { selected, document: d } = useEditor.getState();
  const bead = d.strands.find((s) => s.id === selected?.strand)?.beads.find((b) => b.id === selected?.bead);
  showHelp(bead?.kind ?? null);
}

const newStrand = (): Place => ({ strand: null, at: 0 });

function behind(): Place {
  const { selected, document: d } = useEditor.getState();
  const strand = d.strands.find((s) => s.id === selected?.strand) ?? d.strands.at(-1);
  if (!strand) return newStrand();
  const at = strand.beads.findIndex((b) => b.id === selected?.bead);
  return { strand: strand.id, at: at < 0 ? strand.beads.length : at + 1 };
}

function here() {
  const { selected, document: d } = useEditor.getState();
  const row = d.strands.findIndex((s) => s.id === selected?.strand);
  const column = d.strands[row]?.beads.findIndex((b) => b.id === selected?.bead) ?? -1;
  return { d, row, column };
}

function walk(key: string) {
  const { d, row, column } = here();
  const by = { ArrowLeft: [0, -1], ArrowRight: [0, 1], ArrowUp: [-1, 0], ArrowDown: [1, 0] }[key]!;
  let next = row < 0 ? 0 : row + by[0];
  // Strands without beads have nothing to stand on.
  while (d.strands[next] && d.strands[next].beads.length === 0) next += by[0] || 1;
  const strand = d.strands[next];
  if (!strand) return;
  const at = Math.max(0, Math.min(strand.beads.length - 1, column + by[1]));
  select({ strand: strand.id, bead: strand.beads[at].id });
  focusBead(strand.id, strand.beads[at].id);
}

function carry(key: string) {
  const { d, row, column } = here();
  if (row < 0) return;
  const { id, beads } = d.strands[row];
  if (key === "ArrowUp" && row > 0) edit((x) => moveStrand(x, id, row - 1));
  if (key === "ArrowDown" && row < d.strands.length - 1) edit((x) => moveStrand(x, id, row + 2));
  const to = key === "ArrowLeft" ? column - 1 : key === "ArrowRight" ? column + 2 : -1;
  if (to >= 0 && to <= beads.length)
    edit((x) => void moveBead(x, { strand: id, bead: beads[column].id }, id, to));
}

/** The selected bead once more, behind itself. */
export function duplicate() {
  const { d, row, column } = here();
  const bead = d.strands[row]?.beads[column];
  if (!bead) return;
  let id = "";
  edit((x) => {
    const { kind, settings, params, muted } = structuredClone(bead);
    id = addBead(x, d.strands[row].id, column + 1, { kind, settings, params, muted });
  });
  select({ strand: d.strands[row].id, bead: id });
  focusBead(d.strands[row].id, id);
}
