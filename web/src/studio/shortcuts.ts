import { useEffect } from "react";
import { addBead, addStrand, moveBead, moveStrand } from "../document/edit";
import { edit, redo, select, showTab, type Tab, togglePeek, undo, useEditor } from "../document/editor";
import { placeOf } from "../document/place";
import { step, toggle } from "../playback/playback";
import type { Place } from "../sheet/finder";
import { muteSelected, removeSelected } from "../sheet/strand-row";
import { blink } from "../stage/compare";

const TABS: Record<string, Tab> = { "1": "bead", "2": "surface", "3": "stage", "4": "checks" };

/** The studio's keys; they rest while something is being typed or a dialog is open. */
export function useShortcuts(find: (place: Place) => void, keys: () => void) {
  useEffect(() => {
    const press = (e: KeyboardEvent) => {
      const target = e.target as HTMLElement;
      const typing = target.matches("input:not([type=checkbox]), textarea, select");
      if (document.querySelector("[role=dialog][data-state=open]")) return;
      const command = e.ctrlKey || e.metaKey;
      if (command && e.key.toLowerCase() === "z" && !typing) act(e, e.shiftKey ? redo : undo);
      else if (command && e.key.toLowerCase() === "y" && !typing) act(e, redo);
      else if (typing) return;
      else if (command && e.key.toLowerCase() === "d") act(e, duplicate);
      else if (command) return;
      else if (e.altKey && e.key.startsWith("Arrow")) act(e, () => carry(e.key));
      else if (e.key === " " && !target.matches("button:focus-visible")) act(e, toggle);
      else if (e.key === ",") act(e, () => step(frames(), -1));
      else if (e.key === ".") act(e, () => step(frames(), 1));
      else if (e.key === "?") act(e, keys);
      else if (e.key === "v" || e.key === "V") act(e, peek);
      else if (e.key === "m" || e.key === "M") act(e, muteSelected);
      else if (e.key === "k" || e.key === "K") act(e, blink);
      else if (e.key === "N") act(e, () => find(newStrand()));
      else if (e.key === "n") act(e, () => find(behind()));
      else if (e.key === "Delete" || e.key === "Backspace") act(e, removeSelected);
      else if (e.key === "Escape") useEditor.setState({ peek: null });
      else if (TABS[e.key]) act(e, () => showTab(TABS[e.key]));
      else if (
        e.key.startsWith("Arrow") &&
        !target.matches("[role=slider], [role=menuitem], [role=application]")
      )
        act(e, () => walk(e.key));
    };
    window.addEventListener("keydown", press);
    return () => window.removeEventListener("keydown", press);
  }, [find, keys]);
}

function act(e: KeyboardEvent, what: () => void) {
  e.preventDefault();
  what();
}

const frames = () => useEditor.getState().program?.frames ?? 1;

function peek() {
  const { selected, peek: shown } = useEditor.getState();
  if (shown) togglePeek(shown);
  else if (selected) togglePeek(placeOf(selected.strand, selected.bead));
}

function newStrand(): Place {
  let id = "";
  edit((d) => {
    id = addStrand(d, `Strand ${d.strands.length + 1}`);
  });
  return { strand: id, at: 0 };
}

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
  document.querySelector<HTMLElement>(`[data-testid="bead-${strand.id}-${strand.beads[at].id}"]`)?.focus();
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

function duplicate() {
  const { d, row, column } = here();
  const bead = d.strands[row]?.beads[column];
  if (!bead) return;
  let id = "";
  edit((x) => {
    const { kind, settings, params, muted } = structuredClone(bead);
    id = addBead(x, d.strands[row].id, column + 1, { kind, settings, params, muted });
  });
  select({ strand: d.strands[row].id, bead: id });
}
