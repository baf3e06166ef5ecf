/** How long nothing has to happen until frames are asked for seldom, and how seldom they are then; milliseconds. */
const STILL = 250;
const SELDOM = 150;

/**
 * Calls `tick` with the time and how long ago it was called before, each animation frame while it says that there is
 * something to do, and now and then while there is not: a page at rest leaves the machine alone. Gives what has it
 * called at once again, and what ends it.
 */
export function eachFrame(tick: (now: number, passed: number) => boolean): {
  wake: () => void;
  end: () => void;
} {
  let request = 0;
  let timer = 0;
  let before = performance.now();
  let busy = before;
  const frame = (now: number) => {
    request = 0;
    // From a rest it goes on as if the last frame had been the one before.
    const passed = timer ? 16 : now - before;
    timer = 0;
    before = now;
    if (tick(now, passed)) busy = now;
    if (now - busy < STILL) ask();
    else timer = window.setTimeout(ask, SELDOM);
  };
  const ask = () => {
    request ||= requestAnimationFrame(frame);
  };
  const wake = () => {
    busy = performance.now();
    if (request) return;
    window.clearTimeout(timer);
    ask();
  };
  ask();
  return {
    wake,
    end: () => {
      cancelAnimationFrame(request);
      window.clearTimeout(timer);
    },
  };
}
