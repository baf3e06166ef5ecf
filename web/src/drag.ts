import { hold, letGo } from "./document/editor";

/** Follows a pointer from its press until it is let go. */
export function along(e: React.PointerEvent<Element>, move: (m: PointerEvent) => void, end?: () => void) {
  const box = e.currentTarget as HTMLElement;
  box.setPointerCapture(e.pointerId);
  const over = () => {
    box.removeEventListener("pointermove", move);
    end?.();
  };
  box.addEventListener("pointermove", move);
  box.addEventListener("pointerup", over, { once: true });
  box.addEventListener("pointercancel", over, { once: true });
}

/**
 * Changes the document along a pointer, as one step of undo. Where changes come later than the hand,
 * `settled` says when the last of them has.
 */
export function follow(
  e: React.PointerEvent<Element>,
  move: (m: PointerEvent) => void,
  settled?: () => Promise<unknown>,
) {
  if (e.button !== 0) return;
  hold();
  along(e, move, () => {
    if (settled) void settled().finally(letGo);
    else letGo();
  });
}
