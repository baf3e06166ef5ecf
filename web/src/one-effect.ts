import { create } from "zustand";

const begins: (() => void)[] = [];

/** A store of what belongs to the effect that is open: for the next one it begins as in a new page. */
export function ofOneEffect<T>(begin: () => T) {
  const store = create<T>()(begin);
  begins.push(() => store.setState(begin(), true));
  return store;
}

/** The effect that was open is left. */
export function leaveEffect() {
  for (const again of begins) again();
}
