/** Where the focus goes after something was made, moved or taken away: never to the page. */
import { useLayoutEffect } from "react";

/** What lies over the page and takes keys; what is about to close may still hold the focus, and takes none. */
const DIALOG = "[role=dialog][data-state=open]";
const MENU = "[role=menu][data-state=open]";
const TAKES_KEYS = `${DIALOG}, ${MENU}`;

/** Whether a dialog is open: the page's own keys rest then. */
export const dialogOpen = () => document.querySelector(DIALOG) !== null;

/** Focuses what a selector finds, as soon as it is there and nothing is open over it. */
export function focusSoon(selector: string, tries = 40) {
  const found = document.querySelector<HTMLElement>(selector);
  const covered = document.querySelector(TAKES_KEYS);
  if (found && !covered) hold(found);
  else if (tries > 0) window.setTimeout(() => focusSoon(selector, tries - 1), 25);
}

/** Keeps the focus from the button of a menu that has closed, which takes it late, until a key or the pointer moves it. */
function hold(found: HTMLElement) {
  const back = () =>
    window.setTimeout(() => {
      const taken = document.activeElement;
      if (!taken || taken === document.body || taken.matches("[data-scope=menu][data-part=trigger]"))
        found.focus();
    });
  const end = new AbortController();
  found.focus();
  found.addEventListener("blur", back, { signal: end.signal });
  for (const moved of ["keydown", "pointerdown"])
    document.addEventListener(moved, () => end.abort(), { signal: end.signal, capture: true });
  window.setTimeout(() => end.abort(), 1000);
}

export const focusBead = (strand: string, bead: string) =>
  focusSoon(`[data-testid="bead-${CSS.escape(strand)}-${CSS.escape(bead)}"]`);
export const focusStrand = (id: string) => focusSoon(`.strand-name[data-strand="${CSS.escape(id)}"]`);

/**
 * A menu is seen a moment before it takes the focus: keys pressed in that moment go to it, and not to the page's shortcuts.
 * It gets them with the next frame, in which it marks its first entry: what a letter marked before then would be lost.
 */
export function keysToOpenMenus() {
  let waiting: KeyboardEvent[] = [];
  const hand = () => {
    const keys = waiting;
    waiting = [];
    for (const { key, code } of keys)
      document
        .querySelector(MENU)
        ?.dispatchEvent(new KeyboardEvent("keydown", { key, code, bubbles: true, cancelable: true }));
  };
  const press = (e: KeyboardEvent) => {
    const menu = document.querySelector<HTMLElement>(MENU);
    if (!menu || e.key === "Tab" || e.ctrlKey || e.metaKey || e.altKey) return;
    if (!waiting.length && menu.contains(document.activeElement)) return;
    e.preventDefault();
    e.stopImmediatePropagation();
    menu.focus();
    if (!menu.contains(document.activeElement)) return;
    if (waiting.push(e) === 1) requestAnimationFrame(hand);
  };
  window.addEventListener("keydown", press, { capture: true });
}

/** A dialog is seen a moment before it takes the focus: Escape closes it in that moment too. */
export function useEscapeAtOnce(open: boolean, close: () => void) {
  useLayoutEffect(() => {
    if (!open) return;
    const press = (e: KeyboardEvent) => {
      if (e.key === "Escape" && !document.activeElement?.closest(TAKES_KEYS)) close();
    };
    window.addEventListener("keydown", press);
    return () => window.removeEventListener("keydown", press);
  }, [open, close]);
}
