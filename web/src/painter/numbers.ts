import type { Compiled, Effect } from "../api/client";
import { isMotion, numbersOf, paramAt, valueAt } from "../document/place";
import type { Numbers } from "./painter";

type Between = { effect: Effect; parts: number; rows: Record<string, number[][]> };
let between: Between | null = null;
/** What numbers in motion are between the frames, for slow playback. */
export const feedBetween = (given: Between | null) => {
  between = given;
};
export const betweenParts = (effect: Effect) => (between?.effect === effect ? between.parts : 1);

/** Every uniform's numbers: the document's literals, and a row of the table for what moves. */
export class Feeder {
  private effect: Effect | null = null;
  private compiled: Compiled | null = null;
  private still: Numbers = new Map();
  private moving: { name: string; rows: number[][] }[] = [];

  /** A frame may have a part: where what lies between frames is known, that is fed. */
  at(effect: Effect, compiled: Compiled, frame: number): Numbers {
    if (effect !== this.effect || compiled !== this.compiled) this.gather(effect, compiled);
    const finer = Number.isInteger(frame) || between?.effect !== effect ? null : between;
    for (const { name, rows } of this.moving) {
      const fine = finer?.rows[name];
      this.still.set(
        name,
        fine && finer
          ? fine[Math.round(frame * finer.parts) % fine.length]
          : rows[Math.floor(frame) % rows.length],
      );
    }
    return this.still;
  }

  private gather(effect: Effect, compiled: Compiled) {
    this.effect = effect;
    this.compiled = compiled;
    this.still = new Map();
    this.moving = [];
    for (const u of compiled.uniforms) {
      const value = valueAt(effect, u.place);
      const param = paramAt(effect, u.place);
      // Between a change of structure and its program a place may be gone; its old number stands in.
      const literal = typeof value === "boolean" ? [Number(value)] : u.value;
      const numbers = param && !isMotion(value) ? numbersOf(value, param) : literal;
      // What is to be whole and is not was rounded by the core.
      this.still.set(u.name, param?.whole && !numbers.every(Number.isInteger) ? u.value : numbers);
      if (u.rows && (isMotion(value) || !param)) this.moving.push({ name: u.name, rows: u.rows });
    }
  }
}
