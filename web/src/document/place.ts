import { inputsOf, kindOf, surfaceParam } from "../api/catalogue";
import type { Bead, Effect, ParamInfo, Strand, Value } from "../api/client";

/** Places are paths as the core writes them: "strands/mist/b5/scale", "surface/emission/0/gain". */
export const placeOf = (strand: string, bead?: string, param?: string) =>
  ["strands", strand, bead, param].filter(Boolean).join("/");

export function strandAt(effect: Effect, place: string): Strand | undefined {
  const [root, id] = place.split("/");
  return root === "strands" ? effect.strands.find((s) => s.id === id) : undefined;
}

export function beadAt(effect: Effect, place: string): Bead | undefined {
  return strandAt(effect, place)?.beads.find((b) => b.id === place.split("/")[2]);
}

type Channel = keyof Effect["surface"]["channels"];

/** What the document says at a place; undefined where it leaves the default. */
export function valueAt(effect: Effect, place: string): Value | undefined {
  const parts = place.split("/");
  if (parts[0] === "strands") return beadAt(effect, place)?.params[parts[3]];
  if (parts.length === 2) return effect.surface[parts[1] as "far" | "cut"] as Value;
  const entry = effect.surface.channels[parts[1] as Channel]?.[Number(parts[2])];
  return entry?.[parts[3] as "tint" | "gain"] as Value | undefined;
}

/** Puts a value at a place of a draft; undefined takes it away, back to the default. */
export function putAt(draft: Effect, place: string, value: Value | undefined) {
  const parts = place.split("/");
  if (parts[0] === "strands") {
    const bead = beadAt(draft, place);
    if (!bead) return;
    if (value === undefined) delete bead.params[parts[3]];
    else bead.params[parts[3]] = value;
  } else if (parts.length === 2) {
    const param = surfaceParam(parts[1]);
    (draft.surface as Record<string, unknown>)[parts[1]] = value ?? param.default;
  } else {
    const entry = draft.surface.channels[parts[1] as Channel]?.[Number(parts[2])];
    if (entry) (entry as Record<string, unknown>)[parts[3]] = value ?? surfaceParam(parts[3]).default;
  }
}

export function paramAt(effect: Effect, place: string): ParamInfo | undefined {
  const parts = place.split("/");
  if (parts[0] === "surface") return surfaceParam(parts[parts.length - 1]);
  const kind = kindOf(beadAt(effect, place)?.kind ?? "");
  return kind && inputsOf(kind).find((p) => p.name === parts[3]);
}

export type Motion = Extract<Value, { motion: string }>;
export type Feed = Extract<Value, { strand: string }>;
export type Stop = { at: number; colour: number[] };
export type Point = { at: number; value: number };

export const isMotion = (v: unknown): v is Motion => typeof v === "object" && v !== null && "motion" in v;
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
  const given = value === undefined || isMotion(value) || isFeed(value) ? [] : ([value].flat() as number[]);
  const numbers = rest.map((x, i) => given[i] ?? x);
  return param.whole ? numbers.map(Math.round) : numbers;
}
