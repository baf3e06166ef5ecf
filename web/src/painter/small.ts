import type { Effect } from "../api/client";
import { closeView, stageView, travelled } from "./camera";
import type { Feeder } from "./numbers";
import { type Drawable, painter } from "./painter";

/** Where small pictures come from: a drawable, its document and the frame to show. */
export type Source = { drawable: Drawable; effect: Effect; feeder: Feeder; frame: number };

type Want = {
  canvas: HTMLCanvasElement;
  source: () => Source | null;
  /** A place to peek at, or null for the finished picture. */
  place: string | null;
  /** A frame that stays, whatever plays. */
  frame?: number;
  drawn: string;
  /** When it was drawn last. */
  at: number;
};

export const CELL = 96;
const COLUMNS = 8;

/**
 * Draws the small pictures of the page a few at a time and copies them to their canvases, so that
 * the stage keeps its pace. Those out of sight wait; those that would not change are left alone.
 */
class SmallPictures {
  private wants = new Set<Want>();
  private seen = new WeakMap<Element, boolean>();
  private busy = false;
  private observer = new IntersectionObserver((entries) => {
    for (const e of entries) {
      this.seen.set(e.target, e.isIntersecting);
      // What waits out of sight keeps still: an animation anywhere has the page make frames.
      e.target.toggleAttribute("data-near", e.isIntersecting);
    }
    this.wanted();
  });
  /** Whether some of those in sight were not as they should be when it was looked last. */
  open = false;
  /** Told when there may be more to draw. */
  wanted = () => {};

  add(want: Want): () => void {
    this.wants.add(want);
    this.wanted();
    this.observer.observe(want.canvas);
    return () => {
      this.wants.delete(want);
      this.observer.unobserve(want.canvas);
    };
  }

  /** Draws up to `most` pictures; called once a frame. */
  async draw(most: number) {
    if (this.wants.size === 0) this.open = false;
    if (this.busy || this.wants.size === 0 || painter().lost) return;
    this.busy = true;
    try {
      await this.some(most);
    } catch (e) {
      // Where the driver took the picture away there is no error; what was under way is drawn again.
      if (e) throw e;
      for (const want of this.wants) want.drawn = "";
    } finally {
      this.busy = false;
    }
  }

  private async some(most: number) {
    const jobs: { want: Want; source: Source; number: number }[] = [];
    const open: { want: Want; source: Source; number: number; key: string; base: string; rank: number }[] =
      [];
    let coming = false;
    for (const want of this.wants) {
      if (this.seen.get(want.canvas) === false) continue;
      const source = want.source();
      if (!source) continue;
      const peek = want.place && source.drawable.compiled.peeks.find((p) => p.place === want.place);
      if (want.place && !peek) continue;
      const frame = want.frame ?? source.frame;
      const base = `${source.drawable.key} ${stamp(source.effect)} ${want.place}`;
      const key = `${frame} ${source.feeder.version()} ${base}`;
      if (key === want.drawn) continue;
      if (this.awaits({ ...source, frame })) {
        // Frames of a sequence are on their way; others go first.
        coming = true;
        continue;
      }
      // What was never drawn comes first, so that a page that opens is soon whole; then what shows an
      // older state of the effect, which is dimmed until then; then what only moved on. The oldest first.
      const stale = want.drawn !== "" && !want.drawn.endsWith(base);
      if (stale) want.canvas.dataset.stale = "true";
      const number = peek ? peek.number : -1;
      const rank = want.drawn === "" ? 0 : stale ? 1 : 2;
      open.push({ want, source: { ...source, frame }, number, key, base, rank });
    }
    this.open = coming || open.length > 0;
    open.sort((a, b) => a.rank - b.rank || a.want.at - b.want.at);
    const next = open.slice(0, most);
    // One picture that stands in several places, as each lever shows what is now, is drawn once.
    const alike = (a: (typeof open)[number], b: (typeof open)[number]) =>
      a.number < 0 && a.key === b.key && a.want.canvas.width === b.want.canvas.width;
    const same = open.slice(most).filter((o) => next.some((n) => alike(o, n)));
    for (const { want, source, number, key } of [...next, ...same]) {
      want.drawn = key;
      want.at = performance.now();
      jobs.push({ want, source, number });
    }
    await this.beads(jobs.filter((j) => j.number >= 0));
    const wholes = new Map<string, { wants: Want[]; source: Source }>();
    for (const { want, source, number } of jobs) {
      if (number >= 0) continue;
      const key = `${want.drawn} ${want.canvas.width}`;
      const known = wholes.get(key);
      if (known) known.wants.push(want);
      else wholes.set(key, { wants: [want], source });
    }
    for (const { wants, source } of wholes.values()) await this.whole(wants, source);
  }

  private awaits({ drawable, effect, feeder, frame }: Source): boolean {
    if (!drawable.compiled.pictures.some((p) => p.at)) return false;
    return !painter().whole(drawable, feeder.at(effect, drawable.compiled, frame));
  }

  private async beads(jobs: { want: Want; source: Source; number: number }[]) {
    if (!jobs.length) return;
    const p = painter();
    const rows = Math.ceil(jobs.length / COLUMNS);
    const atlas = p.target(`atlas ${rows}`, COLUMNS * CELL, rows * CELL, "byte");
    p.clear(atlas);
    jobs.forEach(({ source, number }, i) => {
      const { drawable, effect, feeder, frame } = source;
      const cell = [(i % COLUMNS) * CELL, Math.floor(i / COLUMNS) * CELL, CELL, CELL];
      const numbers = feeder.at(effect, drawable.compiled, frame);
      p.bead(drawable, numbers, closeView(drawable.shape, effect.stage.camera), number, atlas, cell);
    });
    const width = COLUMNS * CELL;
    const pixels = await p.read(atlas, width, rows * CELL);
    jobs.forEach(({ want }, i) => {
      put(want.canvas, pixels, width, (i % COLUMNS) * CELL, Math.floor(i / COLUMNS) * CELL, CELL);
    });
  }

  private async whole(wants: Want[], source: Source) {
    const p = painter();
    const size = wants[0].canvas.width;
    const target = p.target(`whole ${size}`, size, size, "byte");
    const { drawable, effect, feeder, frame } = source;
    const numbers = feeder.at(effect, drawable.compiled, frame);
    p.picture(
      drawable,
      effect,
      numbers,
      stageView(travelled(effect, drawable.compiled, numbers), size, size),
      [size, size],
      -1,
      size > 128 ? 4 : 0,
      { into: target },
    );
    const pixels = await p.read(target, size, size);
    for (const { canvas } of wants) put(canvas, pixels, size, 0, 0, size);
  }
}

const stamps = new WeakMap<Effect, number>();
let count = 0;
function stamp(effect: Effect): number {
  let n = stamps.get(effect);
  if (n === undefined) {
    n = ++count;
    stamps.set(effect, n);
  }
  return n;
}

/** A square of a picture that was read bottom row first, onto a canvas. */
function put(
  canvas: HTMLCanvasElement,
  from: Uint8ClampedArray,
  width: number,
  x: number,
  y: number,
  size: number,
) {
  const image = new ImageData(size, size);
  for (let row = 0; row < size; row++) {
    const start = ((y + size - 1 - row) * width + x) * 4;
    image.data.set(from.subarray(start, start + size * 4), row * size * 4);
  }
  if (canvas.width !== size) canvas.width = canvas.height = size;
  delete canvas.dataset.waiting;
  delete canvas.dataset.stale;
  canvas.getContext("2d", { willReadFrequently: true })!.putImageData(image, 0, 0);
}

export const small = new SmallPictures();
