import { leverHolds, leverStands } from "../api/catalogue";
import type { Compiled, Effect } from "../api/client";
import { isLevered, isMotion, leveredNumbers, numbersOf, paramAt, valueAt } from "../document/place";
import { ratesOf, slipOf, slipVersion } from "../playback/slips";
import { wake } from "./frames";
import type { Numbers } from "./painter";

type Between = { effect: Effect; parts: number; rows: Record<string, number[][]> };
let between: Between | null = null;
/** What numbers in motion are between the frames, for slow playback. */
export const feedBetween = (given: Between | null) => {
  between = given;
  wake();
};
export const betweenParts = (effect: Effect) => (between?.effect === effect ? between.parts : 1);

/** A hit that was brought from outside: where, how hard, in UV, from when and until when by the page's clock. */
export type Strike = { position: number[]; strength: number; uv: number[]; at: number; until: number };
/** What signals have: levers by their ids, and what struck lately. */
export type Live = { levers: Record<string, number | number[]>; strikes: Strike[]; version: number };
let live: Live | null = null;
export const feedLive = (given: Live | null) => {
  live = given;
  wake();
};
export const liveNow = () => live;
/** Whether something that struck still goes on. */
export const struck = () => !!live?.strikes.some((s) => performance.now() < s.until);
/** Another number whenever what signals have is another, or something that struck goes on. */
export const liveVersion = () => (live ? `${live.version} ${struck() ? performance.now() : ""}` : "");

/** A number that acts on the picture once it is drawn, where no program works it out. */
export const outside = (effect: Effect, compiled: Compiled, numbers: Numbers, place: string) =>
  outsides(effect, compiled, numbers, place)[0];

/** The same of one that has several components. */
export function outsides(effect: Effect, compiled: Compiled, numbers: Numbers, place: string): number[] {
  const value = valueAt(effect, place);
  const standing = (at: string) => {
    const u = compiled.uniforms.find((x) => x.place === at);
    return u && numbers.get(u.name);
  };
  const by = isLevered(value) && effect.levers.find((x) => x.id === value.lever);
  if (isLevered(value)) {
    const at = by ? standing(`levers/${by.id}/${leverHolds(by.kind)[0]}`)?.[0] : undefined;
    const param = paramAt(effect, place)!;
    return by && at !== undefined ? leveredNumbers(value, by, at, param) : [param.default].flat().map(Number);
  }
  if (!isMotion(value)) return [value as number | number[]].flat();
  return standing(place) ?? [paramAt(effect, place)!.default].flat().map(Number);
}

/** Every uniform's numbers: the document's literals, and a row of the table for what moves. */
export class Feeder {
  private effect: Effect | null = null;
  private compiled: Compiled | null = null;
  private still: Numbers = new Map();
  private moving: { name: string; rows: number[][] }[] = [];
  /** What signals may have: the uniform of each lever, and the tables of hits. */
  private levers: { name: string; id: string; own: number[] }[] = [];
  private hits: { name: string; place: string; own: number[] }[] = [];

  private rates: { place: string; name: string }[] = [];

  /** One that is `live` goes by what signals have, over what the document says. */
  constructor(private readonly live = false) {}

  /** What of signals a picture depends on. */
  version = () => (this.live ? `${liveVersion()} ${slipVersion()}` : "");

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
    if (this.live) this.overlay(effect);
    return this.still;
  }

  private overlay(effect: Effect) {
    for (const { place, name } of this.rates) this.still.set(name, slipOf(place) ?? this.still.get(name)!);
    for (const { name, id, own } of this.levers) {
      const has = live?.levers[id];
      if (has !== undefined) this.still.set(name, [has].flat());
      else if (own.length) this.still.set(name, own);
    }
    for (const { name, place, own } of this.hits) {
      const table = [...(own.length ? own : this.still.get(name)!)];
      const now = performance.now();
      live?.strikes.forEach((s, i) => {
        if (now >= s.until) return;
        // From the last slot on, so that hits of the effect keep theirs.
        const at = table.length - 4 * (i + 1);
        if (at < 4 * effect.hits.length) return;
        const since = (now - s.at) / 1000;
        const row = place.endsWith("ages")
          ? [since, effect.turn.seconds, ...s.uv]
          : [...s.position, s.strength];
        table.splice(at, 4, ...row);
      });
      this.still.set(name, table);
    }
  }

  private gather(effect: Effect, compiled: Compiled) {
    this.effect = effect;
    this.compiled = compiled;
    this.still = new Map();
    this.moving = [];
    this.levers = [];
    this.hits = [];
    this.rates = ratesOf(compiled);
    for (const u of compiled.uniforms) {
      const value = valueAt(effect, u.place);
      const param = paramAt(effect, u.place);
      // Between a change of structure and its program a place may be gone; its old number stands in.
      const literal = typeof value === "boolean" ? [Number(value)] : u.value;
      const numbers = param && !isMotion(value) ? numbersOf(value, param) : literal;
      // What is to be whole and is not was rounded by the core.
      this.still.set(u.name, param?.whole && !numbers.every(Number.isInteger) ? u.value : numbers);
      if (u.rows && (isMotion(value) || !param)) this.moving.push({ name: u.name, rows: u.rows });
      const [root, id, field] = u.place.split("/");
      // What moves has its own put in at each frame.
      if (root === "levers" && leverStands().has(field))
        this.levers.push({ name: u.name, id, own: u.rows ? [] : this.still.get(u.name)! });
      if (u.place === "hits/places" || u.place === "hits/ages")
        this.hits.push({ name: u.name, place: u.place, own: u.rows ? [] : this.still.get(u.name)! });
    }
  }
}
