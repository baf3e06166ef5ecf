import type { Compiled, Effect } from "../api/client";
import { closeView, stageView, travelled, type View } from "./camera";
import { wake } from "./frames";
import type { Feeder } from "./numbers";
import { coarser, type Drawable, type Numbers, painter } from "./painter";

/** Where small pictures come from: a drawable, its document and the frame to show; one that `moves` shows others. */
export type Source = { drawable: Drawable; effect: Effect; feeder: Feeder; frame: number; moves?: boolean };

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

/** Pixels in a row of those that are read together. */
const ROW = 512;
/** As high as it may be but for such steps: a driver makes room for each height anew. */
const STEP = 64;
/** As many pixels as a small picture has on the screen, but for very fine and very large ones. */
export const FINEST = 2;
/** No power of two, as few sizes of the stage are: what looks up layers of such sizes is another program to some drivers. */
export const LEAST = 18;
const MOST = 512;
/**
 * How many are drawn at once, at the least and at the most. Each time some of them come the page is put together anew, so
 * it is twice as many where those before were there sooner than this, and half as many where they were later; milliseconds.
 */
const FEW = 6;
const MANY = 96;
const SOON = 60;
const LATE = 150;
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
  private together = 2 * FEW;
  private observer = new IntersectionObserver((entries) => {
    for (const e of entries) {
      this.seen.set(e.target, e.isIntersecting);
      // What waits out of sight keeps still: an animation anywhere has the page make frames.
      e.target.toggleAttribute("data-near", e.isIntersecting);
    }
    wake();
  });
  /** Whether some of those in sight were not as they should be when it was looked last, or will soon not be. */
  open = false;

  add(asked: Pick<Want, "canvas" | "source" | "place" | "frame" | "size">): () => void {
    const want = { ...asked, drawn: "", pixels: 0, state: "", looked: "", at: 0 };
    this.wants.add(want);
    wake();
    this.observer.observe(want.canvas);
    return () => {
      this.wants.delete(want);
      this.observer.unobserve(want.canvas);
    };
  }

  /** Draws some pictures, up to `most`; called once a frame. */
  async draw(most = MANY) {
    if (this.wants.size === 0) this.open = false;
    if (this.busy || this.wants.size === 0 || painter().lost) return;
    this.busy = true;
    const begun = performance.now();
    try {
      const drawn = await this.some(Math.min(most, this.together));
      const took = performance.now() - begun;
      if (drawn >= this.together && took < SOON) this.together = Math.min(MANY, this.together * 2);
      if (drawn > FEW && took > LATE) this.together = Math.max(FEW, Math.floor(this.together / 2));
    } catch (e) {
      // Where the driver took the picture away there is no error; what was under way is drawn again.
      if (e) throw e;
      for (const want of this.wants) want.drawn = want.looked = "";
    } finally {
      this.busy = false;
    }
  }

  private async some(most: number): Promise<number> {
    const open: (Asked & { state: string; looked: string; rank: number })[] = [];
    let more = false;
    for (const want of this.wants) {
      if (this.seen.get(want.canvas) === false) continue;
      const source = want.source();
      if (!source) continue;
      more ||= !!source.moves;
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
        more = true;
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
    this.open = more || open.length > 0;
    // What stands elsewhere on the page already, as the finder shows all of the sheet, is copied: from what stays there.
    const leaving = new Set(open.map(({ want }) => want));
    const stay = [...this.wants].filter((w) => !leaving.has(w));
    const shown = new Map(stay.map((w) => [`${w.drawn} ${w.pixels}`, w.canvas]));
    const left = open.filter(({ want, key, pixels, state, looked }) => {
      const same = shown.get(`${key} ${pixels}`);
      if (!same) return true;
      Object.assign(want, { drawn: key, state, looked, at: performance.now() });
      show(want, pixels, (on) => {
        on.globalCompositeOperation = "copy";
        on.drawImage(same, 0, 0);
      });
      return false;
    });
    left.sort((a, b) => a.rank - b.rank || a.want.at - b.want.at);
    const next = left.slice(0, most);
    // One picture that stands in several places, as each lever shows what is now, is drawn once, as for the largest.
    const jobs = [...next, ...left.slice(most).filter((o) => next.some((n) => n.key === o.key))];
    const apart = new Map<string, Job[]>();
    for (const { state, looked, ...job } of jobs) {
      const { want, source, key } = job;
      Object.assign(want, { drawn: key, state, looked, at: performance.now() });
      // A feeder writes over what it gave before.
      const numbers = new Map(source.feeder.at(source.effect, source.drawable.compiled, job.frame));
      apart.set(key, [...(apart.get(key) ?? []), { ...job, numbers }]);
    }
    if (apart.size) await together([...apart.values()]);
    return next.length;
  }
}

/** Draws pictures, each of them what several canvases show, into one that is read. */
async function together(all: Job[][]) {
  const p = painter();
  const squares = all
    .map((same) => ({ same, size: Math.max(...same.map(({ pixels }) => pixels)) }))
    .sort((a, b) => b.size - a.size);
  const width = Math.max(ROW, squares[0].size);
  let [x, y, next] = [0, 0, 0];
  const laid = squares.map((square) => {
    if (x + square.size > width) [x, y] = [0, next];
    const at = { ...square, x, y };
    x += square.size;
    next = Math.max(next, y + square.size);
    return at;
  });
  const height = Math.ceil(next / STEP) * STEP;
  const atlas = p.target(`atlas ${width} ${height}`, width, height, "byte");
  for (const { same, size, x, y } of laid) {
    const { source, numbers, view, peek } = same[0];
    const seen = coarser(source.drawable, view, size, DISPLACED);
    const cell = { atlas, x, y, size };
    if (peek) p.bead(seen, numbers, view, peek.number, cell);
    else p.small(seen, source.effect, numbers, view, cell);
  }
  const read = await p.read(atlas, width, next);
  for (const { same, size, x, y } of laid) for (const { want } of same) put(want, read, width, x, y, size);
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
  const image = new ImageData(size, size);
  for (let row = 0; row < size; row++) {
    const start = ((y + size - 1 - row) * width + x) * 4;
    image.data.set(from.subarray(start, start + size * 4), row * size * 4);
  }
  show(want, size, (on) => on.putImageData(image, 0, 0));
}

function show(want: Want, size: number, draw: (on: CanvasRenderingContext2D) => void) {
  const { canvas } = want;
  want.pixels = size;
  if (canvas.width !== size) canvas.width = canvas.height = size;
  delete canvas.dataset.waiting;
  delete canvas.dataset.stale;
  draw(canvas.getContext("2d", { willReadFrequently: true })!);
}

export const small = new SmallPictures();
