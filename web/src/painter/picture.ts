import { DataTexture, HalfFloatType, NearestFilter, RGBAFormat, Vector4 } from "three";
import type { Compiled } from "../api/client";
import type { Numbers } from "./painter";

/** A picture in one sheet with all its levels; `size` is what the program asks of it. */
export type Sheet = { texture: DataTexture; size: Vector4 };
const known = new Map<string, Promise<Sheet>>();

/** A picture with its levels as the core lays them out; the program filters it itself. */
export function picture(hash: string, read: string): Promise<Sheet> {
  const key = `${hash} ${read}`;
  let got = known.get(key);
  if (!got) {
    got = load(hash, read, 0);
    known.set(key, got);
    got.catch(() => known.delete(key));
  }
  return got;
}

async function load(hash: string, read: string, frame: number): Promise<Sheet> {
  const answer = await fetch(`/api/assets/${hash}/levels?read=${read}&frame=${frame}`);
  if (!answer.ok) throw new Error("a picture of the effect did not load");
  const data = await answer.arrayBuffer();
  const [wide, high, ...size] = new Uint32Array(data, 0, 6);
  const texture = new DataTexture(new Uint16Array(data, 24), wide, high, RGBAFormat, HalfFloatType);
  texture.magFilter = texture.minFilter = NearestFilter;
  texture.needsUpdate = true;
  return { texture, size: new Vector4(...size) };
}

/** What frames of sequences may come to in memory, in bytes, and how many are loaded before they are needed. */
const ROOM = 192 * 1024 * 1024;
const AHEAD = 4;
/** How long one that did not come is left alone, in milliseconds. */
const LEFT = 5000;

type Sequence = Compiled["pictures"][number];
type Frame = { sheet: Sheet | null; coming: Promise<void>; failed: number };
/** What there is to show of a sequence, or whether it is still on its way. */
type Here = { sheet: Sheet | null; coming: boolean };

/** The frames of all sequences: those that were asked for lately are here, within bounds. */
class Frames {
  private frames = new Map<string, Frame>();
  private used = 0;

  /** A frame, where it is here; the next ones are on their way then, too. */
  at(p: Sequence, frame: number): Here {
    for (let k = AHEAD; k > 0; k--) this.ask(p, (frame + k) % p.frames);
    const { sheet, failed } = this.ask(p, frame);
    return { sheet, coming: !sheet && !failed };
  }

  /** Once a frame is here, or did not come. */
  readied = (p: Sequence, frame: number) => this.ask(p, frame).coming;

  private ask(p: Sequence, frame: number): Frame {
    const key = `${p.hash} ${p.read} ${frame}`;
    let got = this.frames.get(key);
    if (got && !(got.failed && performance.now() - got.failed > LEFT)) {
      // What was asked for last goes last.
      this.frames.delete(key);
      this.frames.set(key, got);
      return got;
    }
    const made: Frame = { sheet: null, coming: Promise.resolve(), failed: 0 };
    made.coming = load(p.hash, p.read, frame)
      .then((sheet) => {
        made.sheet = sheet;
        this.used += bytesOf(sheet);
        this.forget();
      })
      .catch(() => {
        made.failed = performance.now();
      });
    got = made;
    this.frames.set(key, got);
    return got;
  }

  private forget() {
    for (const [key, { sheet }] of this.frames) {
      if (this.used <= ROOM) return;
      if (!sheet) continue;
      this.frames.delete(key);
      this.used -= bytesOf(sheet);
      sheet.texture.dispose();
    }
  }
}

const bytesOf = ({ texture }: Sheet) => texture.image.width * texture.image.height * 8;
const frames = new Frames();

/** Which frame of a sequence a picture of a program is; what it stands at is held as programs hold it. */
const frameOf = (p: Sequence, numbers: Numbers) =>
  (Math.floor(Math.fround(numbers.get(p.at)?.[0] ?? 0)) + p.ahead) % p.frames;

/** The sequences of a program with what there is to show of each. */
export const played = (compiled: Compiled, numbers: Numbers): [string, Here][] =>
  compiled.pictures.filter((p) => p.at).map((p) => [p.name, frames.at(p, frameOf(p, numbers))]);

/** Once all frames that a program shows are here. */
export async function readied(compiled: Compiled, numbers: Numbers): Promise<void> {
  const sequences = compiled.pictures.filter((p) => p.at);
  await Promise.all(sequences.map((p) => frames.readied(p, frameOf(p, numbers))));
}
