import { inputsOf, kindOf } from "../api/catalogue";
import type { Bead, Effect, ParamInfo, Strand, Value } from "../api/client";
import { LEVERED } from "../api/levers.gen";
import { choose, defaultAt, find } from "./tree";

/** Places are paths as the core writes them: "strands/mist/b5/scale", "surface/emission/0/gain". */
export const placeOf = (strand: string, bead?: string, param?: string) =>
  ["strands", strand, bead, param].filter(Boolean).join("/");

export function strandAt(effect: Effect, place: string): Strand | undefined {
  const [root, id] = place.split("/");
  return root === "strands" ? effect.strands.find((s) => s.id === id) : undefined;
}

export function beadAt(effect: Effect, place: string): Bead | undefined {
  const id = place.split("/")[2];
  return strandAt(effect, place)?.beads.find((b) => b.id === id);
}

export type Channel = keyof Effect["surface"]["channels"];

/** A component that moves by itself is a place of its own: "strands/mist/b3/offset/axes/0". */
function component(place: string): [whole: string, axis: number] | null {
  const at = place.indexOf("/axes/");
  return at < 0 ? null : [place.slice(0, at), Number(place.slice(at + 6))];
}

/** What a lever makes of a number at an end of its range is a place of its own: "strands/gate/cut/level/low". */
function end(effect: Effect, place: string): { whole: string; end: "low" | "high"; value: Levered } | null {
  const found = /^(.*)\/(low|high)$/.exec(place);
  const value = found && valueAt(effect, found[1]);
  return found && isLevered(value) ? { whole: found[1], end: found[2] as "low" | "high", value } : null;
}

/** What the document says at a place; undefined where it leaves the default. */
export function valueAt(effect: Effect, place: string): Value | undefined {
  const over = end(effect, place);
  if (over) return over.value[over.end] ?? undefined;
  const one = component(place);
  if (one) {
    const whole = valueAt(effect, one[0]);
    return isMotion(whole) && "axes" in whole ? (whole.axes[one[1]] as Value) : undefined;
  }
  if (place.startsWith("strands/")) return beadAt(effect, place)?.params[place.split("/")[3]];
  const found = find(place, effect);
  return found?.holder?.[found.field.name] as Value | undefined;
}

/** Puts a value at a place of a draft; undefined takes it away, back to the default. */
export function putAt(draft: Effect, place: string, value: unknown) {
  const over = end(draft, place);
  if (over) {
    putAt(draft, over.whole, { ...over.value, [over.end]: value });
    return;
  }
  const one = component(place);
  if (one) {
    const whole = valueAt(draft, one[0]);
    const rest = [paramAt(draft, one[0])?.default].flat() as number[];
    if (isMotion(whole) && "axes" in whole)
      putAt(draft, one[0], {
        ...whole,
        axes: rest.map((x, i) => (i === one[1] ? (value ?? x) : (whole.axes[i] ?? x))),
      });
    return;
  }
  const [, , , last, index, inner] = place.split("/");
  if (place.startsWith("strands/") && last) {
    const bead = beadAt(draft, place);
    if (!bead) return;
    if (inner) {
      const stop = (bead.params[last] as Stop[] | undefined)?.[Number(index)];
      if (stop) Object.assign(stop, { [inner]: value ?? null });
      return;
    }
    if (last === "muted") bead.muted = value as boolean;
    else if (kindOf(bead.kind)?.settings.some((s) => s.name === last)) bead.settings[last] = value as string;
    else if (value === undefined) delete bead.params[last];
    else bead.params[last] = value as Value;
  } else choose(draft, place, value === undefined ? firstAt(draft, place) : value);
}

/** What a number outside the strands goes back to: a lever to where it rests. */
const firstAt = (effect: Effect, place: string) =>
  place.startsWith("levers/") ? paramAt(effect, place)?.default : defaultAt(place);

/** The param of a number, its default being that of this very place. */
export function paramAt(effect: Effect, place: string): ParamInfo | undefined {
  const over = end(effect, place);
  if (over) return paramAt(effect, over.whole);
  const one = component(place);
  if (one) {
    const whole = paramAt(effect, one[0]);
    const at = (whole?.default as number[] | undefined)?.[one[1]];
    return whole && { ...whole, type: "number", default: at ?? 0, label: whole.axes[one[1]], axes: [] };
  }
  if (place.startsWith("strands/")) {
    const kind = kindOf(beadAt(effect, place)?.kind ?? "");
    return kind && inputsOf(kind).find((p) => p.name === place.split("/")[3]);
  }
  const lever = /^levers\/[^/]+\/value$/.test(place) && find(place, effect)?.holder;
  if (lever) return paramOfLever(lever as Effect["levers"][number]);
  if (!params.has(place)) {
    const param = find(place, effect)?.field.param;
    params.set(place, param ? { ...param, default: defaultAt(place) ?? param.default } : undefined);
  }
  return params.get(place);
}

/** A number lever as a number: its slider and what it accepts are its own. */
export function paramOfLever(lever: Effect["levers"][number]): ParamInfo {
  const { name: label, least, most, floor, ceiling, rest, whole, unit } = lever;
  const soft: [number, number] = [least, most];
  const hard: [number, number] = [floor, ceiling];
  return { ...find("value", lever, "Lever")!.field.param!, label, soft, hard, default: rest, whole, unit };
}

/** By place, outside the strands: what a place may hold never changes, and every frame of a drag asks. */
const params = new Map<string, ParamInfo | undefined>();

export type Motion = Extract<Value, { motion: string }>;
export type Feed = Extract<Value, { strand: string }>;
export type Levered = Extract<Value, { lever: string }>;
/** A colour of a ramp; the lever whose colour it has instead. */
export type Stop = { at: number; colour: number[]; lever?: string | null };
export type Point = { at: number; value: number };

export const isMotion = (v: unknown): v is Motion => typeof v === "object" && v !== null && "motion" in v;
export const isLevered = (v: unknown): v is Levered => typeof v === "object" && v !== null && "lever" in v;
export const isFeed = (v: unknown): v is Feed => typeof v === "object" && v !== null && "strand" in v;
/** Stops of a ramp or points of a curve: a list along a value. */
export const isList = (v: unknown): v is (Stop | Point)[] =>
  Array.isArray(v) && v.length > 0 && typeof v[0] === "object" && v[0] !== null;
const row = (p: Stop | Point) => ("colour" in p ? [...p.colour, p.at] : [p.value, p.value, p.value, p.at]);

/** A literal as the numbers a uniform takes; components that are not given come from the default. */
export function numbersOf(value: Value | undefined, param: ParamInfo): number[] {
  if (param.type === "stops" || param.type === "curve") {
    const given = (isList(value) ? value : (param.default as (Stop | Point)[])).slice();
    given.sort((a, b) => a.at - b.at);
    return Array.from({ length: 8 }, (_, i) => given[Math.min(i, given.length - 1)]).flatMap(row);
  }
  const rest = [param.default].flat() as number[];
  const given =
    value === undefined || isMotion(value) || isFeed(value) || isLevered(value)
      ? []
      : ([value].flat() as number[]);
  return rest.map((x, i) => given[i] ?? x);
}

/** What a number lever or a switch that stands at `at` makes of a number, held within its range. */
export function leveredNumbers(
  value: Levered,
  lever: Effect["levers"][number],
  at: number,
  param: Pick<ParamInfo, "default" | "hard" | "whole">,
): number[] {
  const rest = [param.default].flat() as number[];
  const full = (given: unknown) => {
    const numbers = [given ?? rest].flat() as number[];
    return rest.map((x, i) => numbers[i] ?? x);
  };
  const [least, most] = lever.kind === "switch" ? [0, 1] : [lever.least, lever.most];
  const made = LEVERED[param.whole ? (`${value.ease} whole` as const) : value.ease];
  const high = full(value.high);
  return full(value.low).map((from, i) => made(at, least, most, from, high[i], param.hard[0], param.hard[1]));
}
