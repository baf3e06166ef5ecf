/** How seldom it is looked where nobody said that there is something to do, in milliseconds: a window may have moved to
 * a finer screen. */
const SELDOM = 500;

const sleeping = new Set<() => void>();

/** Says that there may be something to draw. */
export function wake() {
  for (const ask of sleeping) ask();
}

/**
 * Calls `tick` with the time and how long ago it was called before, each animation frame while it says that there is
 * something to do, and else once somebody wakes it: a page at rest leaves the machine alone. Gives what ends it.
 */
export function eachFrame(tick: (now: number, passed: number) => boolean): () => void {
  let request = 0;
  let timer = 0;
  let before = performance.now();
  const frame = (now: number) => {
    request = 0;
    // From a rest it goes on as if the last frame had been the one before.
    const passed = timer ? 16 : now - before;
    timer = 0;
    before = now;
    if (tick(now, passed)) ask();
    else if (!request) timer = window.setTimeout(ask, SELDOM);
  };
  const ask = () => {
    request ||= requestAnimationFrame(frame);
  };
  const woken = () => {
    window.clearTimeout(timer);
    ask();
  };
  sleeping.add(woken);
  ask();
  return () => {
    sleeping.delete(woken);
    cancelAnimationFrame(request);
    window.clearTimeout(timer);
  };
}
