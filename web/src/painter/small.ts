import type { Compiled, Effect } from "../api/client";
import { closeView, stageView, travelled, type View } from "./camera";
import type { Feeder } from "./numbers";
import { coarser, type Drawable, type Numbers, painter } from "./painter";

/** Where small pictures come from: a drawable, its document and the frame to show. */
export type Source = { drawable: Drawable; effect: Effect; feeder: Feeder; frame: number };

type Peek = Compiled["peeks"][number];
type Want = {
  canvas: HTMLCanvasElement;
  source: () => Source | null;
  /** A place to peek at, or null for the finished picture. */
  place: string | null;
  /** A frame that stays, whatever plays. */
  frame?: number;
  /** How large it stands on the page, in CSS pixels. */
  size: number;
  /** What is on the canvas: what it is made of, how many pixels it has, and for which state of what it was drawn. */
  drawn: string;
  pixels: number;
  state: string;
  /** What was asked for when it was looked last, where that is what is there. */
  looked: string;
  /** When it was drawn last. */
  at: number;
};
type Asked = {
  want: Want;
  source: Source;
  frame: number;
  pixels: number;
  view: View;
  peek: Peek | null;
  key: string;
};
type Job = Asked & { numbers: Numbers };

const COLUMNS = 8;
/** As many pixels as a small picture has on the screen, but for very fine and very large ones. */
export const FINEST = 2;
const LEAST = 16;
const MOST = 512;
/** How often the edges of a displaced shape are doubled. */
const DISPLACED = 2;
export const pixelsOf = (size: number) =>
  Math.max(LEAST, Math.min(MOST, Math.round(size * Math.min(window.devicePixelRatio, FINEST))));

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

  add(asked: Pick<Want, "canvas" | "source" | "place" | "frame" | "size">): () => void {
    const want = { ...asked, drawn: "", pixels: 0, state: "", looked: "", at: 0 };
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
      for (const want of this.wants) want.drawn = want.looked = "";
    } finally {
      this.busy = false;
    }
  }

  private async some(most: number) {
    const open: (Asked & { state: string; looked: string; rank: number })[] = [];
    let coming = false;
    for (const want of this.wants) {
      if (this.seen.get(want.canvas) === false) continue;
      const source = want.source();
      if (!source) continue;
      const { drawable, effect, feeder } = source;
      const { compiled } = drawable;
      const peek = want.place === null ? null : compiled.peeks.find((p) => p.place === want.place);
      if (peek === undefined) continue;
      const frame = want.frame ?? source.frame;
      const pixels = pixelsOf(want.size);
      const state = `${stamp(compiled)} ${stamp(effect)} ${drawable.mesh.key} ${pixels}`;
      const looked = `${frame} ${feeder.version()} ${state}`;
      if (looked === want.looked) continue;
      const numbers = feeder.at(effect, compiled, frame);
      if (!painter().whole(drawable, numbers)) {
        // Frames of a sequence are on their way; others go first.
        coming = true;
        continue;
      }
      const view = peek
        ? closeView(drawable.shape, effect.stage.camera)
        : stageView(travelled(effect, compiled, numbers), pixels, pixels);
      const key = peek
        ? painter().madeOf(drawable, numbers, view, peek)
        : `${painter().pictureOf(drawable, effect, numbers, view)} ${pixels}`;
      if (key === want.drawn && want.pixels >= pixels) {
        want.state = state;
        want.looked = looked;
        delete want.canvas.dataset.stale;
        continue;
      }
      // What was never drawn comes first, so that a page that opens is soon whole; then what shows an
      // older state of the effect, which is dimmed until then; then what only moved on. The oldest first.
      const stale = want.drawn !== "" && want.state !== state;
      if (stale) want.canvas.dataset.stale = "true";
      const rank = want.drawn === "" ? 0 : stale ? 1 : 2;
      open.push({ want, source, frame, pixels, view, peek, key, state, looked, rank });
    }
    this.open = coming || open.length > 0;
    open.sort((a, b) => a.rank - b.rank || a.want.at - b.want.at);
    const next = open.slice(0, most);
    // One picture that stands in several places, as each lever shows what is now, is drawn once, as for the largest.
    const jobs = [...next, ...open.slice(most).filter((o) => next.some((n) => n.key === o.key))];
    const apart = new Map<string, Job[]>();
    for (const { state, looked, ...job } of jobs) {
      const { want, source, key } = job;
      Object.assign(want, { drawn: key, state, looked, at: performance.now() });
      // A feeder writes over what it gave before.
      const numbers = new Map(source.feeder.at(source.effect, source.drawable.compiled, job.frame));
      apart.set(key, [...(apart.get(key) ?? []), { ...job, numbers }]);
    }
    const alike = [...apart.values()];
    await this.beads(alike.filter(([{ peek }]) => peek));
    for (const same of alike) if (!same[0].peek) await this.whole(same);
  }

  private async beads(alike: Job[][]) {
    if (!alike.length) return;
    const p = painter();
    const rows = Math.ceil(alike.length / COLUMNS);
    const sizes = alike.map((same) => Math.max(...same.map(({ pixels }) => pixels)));
    const cell = Math.max(...sizes);
    const [width, height] = [COLUMNS * cell, rows * cell];
    const atlas = p.target(`atlas ${width} ${height}`, width, height, "byte");
    p.clear(atlas);
    const at = (i: number) => [(i % COLUMNS) * cell, Math.floor(i / COLUMNS) * cell];
    alike.forEach(([{ source, numbers, view, peek }], i) => {
      const seen = coarser(source.drawable, view, sizes[i], DISPLACED);
      p.bead(seen, numbers, view, peek!.number, atlas, [...at(i), sizes[i], sizes[i]]);
    });
    const read = await p.read(atlas, width, height);
    alike.forEach((same, i) => {
      const [x, y] = at(i);
      for (const { want } of same) put(want, read, width, x, y, sizes[i]);
    });
  }

  private async whole(same: Job[]) {
    const p = painter();
    const { source, numbers, view, pixels: size } = same[0];
    const target = p.target(`whole ${size}`, size, size, "byte");
    const { drawable, effect } = source;
    p.picture(coarser(drawable, view, size, DISPLACED), effect, numbers, view, [size, size], -1, {
      into: target,
    });
    const read = await p.read(target, size, size);
    for (const { want } of same) put(want, read, size, 0, 0, size);
  }
}

const stamps = new WeakMap<Effect | Compiled, number>();
let count = 0;
function stamp(made: Effect | Compiled): number {
  let n = stamps.get(made);
  if (n === undefined) {
    n = ++count;
    stamps.set(made, n);
  }
  return n;
}

/** A square of a picture that was read bottom row first, onto its canvas. */
function put(want: Want, from: Uint8ClampedArray, width: number, x: number, y: number, size: number) {
  const { canvas } = want;
  want.pixels = size;
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
