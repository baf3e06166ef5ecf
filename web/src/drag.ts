import { hold, letGo } from "./document/editor";

/** Follows a pointer from its press until it is let go, as one step of undo. */
export function follow(e: React.PointerEvent<Element>, move: (m: PointerEvent) => void) {
  if (e.button !== 0) return;
  const box = e.currentTarget as HTMLElement;
  box.setPointerCapture(e.pointerId);
  hold();
  const end = () => {
    box.removeEventListener("pointermove", move);
    letGo();
  };
  box.addEventListener("pointermove", move);
  box.addEventListener("pointerup", end, { once: true });
  box.addEventListener("pointercancel", end, { once: true });
}
