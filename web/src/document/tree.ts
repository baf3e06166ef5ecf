import { defaults, type FieldInfo, fieldsOf } from "../api/catalogue";
import type { Effect } from "../api/client";

/** The document by what it says of itself. Nothing here knows a field by its name. */

type Part = Record<string, unknown>;
type Found = { part: string; field: FieldInfo; holder: Part | undefined };

const same = (a: unknown, b: unknown) => JSON.stringify(a) === JSON.stringify(b);

/** The field at a place outside the strands, and what of `root` holds it. */
export function find(place: string, root: unknown, part = "Effect"): Found | undefined {
  return step(place.split("/"), part, root as Part);
}

function step(way: string[], part: string, here: Part | undefined): Found | undefined {
  const fields = fieldsOf(part);
  const own = fields.find((f) => f.name === way[0]);
  if (own) {
    if (way.length === 1) return { part, field: own, holder: here };
    const got = into(way.slice(1), own, here);
    if (got) return got;
  }
  for (const silent of fields)
    if (silent.silent) {
      const got = into(way, silent, here);
      if (got) return got;
    }
  return undefined;
}

function into(way: string[], field: FieldInfo, here: Part | undefined): Found | undefined {
  if (!field.part) return undefined;
  const value = here?.[field.name] as Part | Part[] | null | undefined;
  if (field.kind !== "list") return step(way, field.part, (value as Part) ?? undefined);
  if (way.length < 2) return undefined;
  const items = (value ?? []) as Part[];
  return step(way.slice(1), field.part, items.find((x) => x.id === way[0]) ?? items[Number(way[0])]);
}

/** What stands at a place when nothing has been set: a lamp's angle is that lamp's own. */
export function defaultAt(place: string): unknown {
  const found = find(place, defaults());
  if (!found) return undefined;
  const value = found.holder?.[found.field.name];
  return value === undefined ? found.field.param?.default : value;
}

/** A number held within the hard range of its place. */
export function within(place: string, x: number): number {
  const [low, high] = find(place, defaults())?.field.param?.hard ?? [x, x];
  return Math.max(low, Math.min(high, x));
}

/** The list or part that a place names, where a number has the same name: "surface/film" is the channel. */
export function channelOrField(place: string): FieldInfo | undefined {
  const way = place.split("/");
  const listed = listsOf(way.slice(0, -1).join("/")).find((f) => f.name === way[way.length - 1]);
  return listed ?? find(place, defaults())?.field;
}

/** The lists in the silent parts of the part at a place: a surface's channels. */
export function listsOf(place: string): FieldInfo[] {
  return fieldsAt(place).flatMap((f) =>
    f.silent && f.part ? fieldsOf(f.part).filter((g) => g.kind === "list") : [],
  );
}

/** The fields of the part at a place, in order. */
export function fieldsAt(place: string): FieldInfo[] {
  const found = find(place, defaults());
  return found?.field.part ? fieldsOf(found.field.part) : [];
}

/** The part that stands at a place, such as "stage/lamps/key" or "surface". */
export function partAt(root: unknown, place: string): Part | undefined {
  if (!place) return root as Part;
  const found = find(place, root);
  if (found) return found.holder?.[found.field.name] as Part | undefined;
  // An item of a list.
  const way = place.split("/");
  const last = way.pop()!;
  const list = way.length ? find(way.join("/"), root) : undefined;
  const items = list?.holder?.[list.field.name];
  return Array.isArray(items) ? (items.find((x) => x.id === last) ?? items[Number(last)]) : undefined;
}

/** A part as it begins, with all that it says of itself: for the item or the optional part at a place. */
export function fresh<T = never>(place: string): T {
  const way = place.split("/");
  if (/^\d+$/.test(way[way.length - 1])) way.pop();
  return freshPart(channelOrField(way.join("/"))!.part!) as T;
}

function freshPart(part: string): Part {
  return Object.fromEntries(
    fieldsOf(part)
      .filter((f) => f.fresh !== null || f.optional)
      .map((f) => [f.name, structuredClone(f.fresh)]),
  );
}

// --- when something acts ---

type Condition = FieldInfo["acts"][number];
type Need = Condition["needs"][number];

function needed(root: Effect, part: unknown, need: Need): unknown {
  const way = need.place.split("/");
  let here: unknown = way.length > 1 ? root : part;
  for (const name of way) here = (here as Part | undefined)?.[name];
  return here;
}

const holds = (need: Need, value: unknown) =>
  need.values.length ? need.values.some((v) => same(v, value)) : !need.other_than.some((v) => same(v, value));

/** Whether a field of a part does anything as the document stands. */
export function acts(root: Effect, part: unknown, field: FieldInfo): boolean {
  return (
    !field.acts.length ||
    field.acts.some((c) => c.needs.every((need) => holds(need, needed(root, part, need))))
  );
}

/** Whether what stands at a place does anything: a tube's path on a tube. */
export function actsAt(root: Effect, place: string): boolean {
  const found = find(place, root);
  return !!found && acts(root, found.holder, found.field);
}

/** The conditions that would let a field act and can be brought about. */
export const mendable = (field: FieldInfo): Condition[] =>
  field.acts.filter((c) => c.mend && c.needs.every((n) => n.mended !== null));

/** Meets a condition of a field of the part at `place`. */
export function bringAbout(draft: Effect, place: string, condition: Condition) {
  for (const need of condition.needs) {
    const part = partAt(draft, place);
    if (!holds(need, needed(draft, part, need)))
      choose(draft, need.place.includes("/") ? need.place : `${place}/${need.place}`, need.mended);
  }
}

/** Sets a field, and what choosing that sets besides where it still is as it begins. */
export function choose(draft: Effect, place: string, value: unknown) {
  const found = find(place, draft);
  if (!found?.holder) return;
  found.holder[found.field.name] = value;
  const sets = found.field.options.find((o) => o.value === value)?.sets ?? {};
  for (const [other, to] of Object.entries(sets)) {
    const there = find(other, draft);
    if (there?.holder && same(there.holder[there.field.name], defaultAt(other)))
      there.holder[there.field.name] = to;
  }
}

// --- the one walk ---

/** Every part of a document with its place, outer ones first. */
export function eachPart(root: Effect, visit: (place: string, part: string, here: Part) => void) {
  const walk = (place: string, part: string, here: Part) => {
    visit(place, part, here);
    for (const field of fieldsOf(part)) {
      const value = here[field.name];
      if (!field.part || value === null || value === undefined) continue;
      const below = field.silent ? place : place ? `${place}/${field.name}` : field.name;
      if (field.kind === "list")
        (value as Part[]).forEach((item, i) => {
          walk(`${below}/${(item.id as string) ?? i}`, field.part!, item);
        });
      else walk(below, field.part, value as Part);
    }
  };
  walk("", "Effect", root as unknown as Part);
}

/**
 * What the program depends on: everything but literal numbers, names and where it is looked at from.
 * While a number is dragged only the parts it is in are new, so only they are gone through again.
 */
export const structure = (effect: Effect): string => ofPart("Effect", effect as unknown as Part);

const known = new WeakMap<Part, string>();

function ofPart(part: string, here: Part | null): string {
  if (!here) return "null";
  let text = known.get(here);
  if (text === undefined) {
    text = fieldsOf(part)
      .filter((f) => f.structural !== "never")
      .map((f) => ofField(f, here[f.name]))
      .join();
    known.set(here, text);
  }
  return text;
}

function ofField(field: FieldInfo, value: unknown): string {
  if (field.structural === "always") return JSON.stringify(value) ?? "";
  if (field.part)
    return field.kind === "list"
      ? `[${(value as Part[]).map((item) => `{${ofPart(field.part!, item)}}`).join()}]`
      : `{${ofPart(field.part, value as Part | null)}}`;
  if (field.kind === "params") return params(value as Part);
  return field.apart.includes(value as number) ? `apart ${value}` : JSON.stringify(sort(value));
}

type Dyed = { at: number; lever?: string | null };
/** Which rows of a ramp have the colours of which levers. */
const dyed = (list: Dyed[]) =>
  list.some((s) => s.lever)
    ? [...list]
        .sort((a, b) => a.at - b.at)
        .map((s) => s.lever ?? "")
        .join()
    : "";

/** The params that are more than literal numbers. */
const params = (given: Part) =>
  JSON.stringify(Object.entries(given).flatMap(([name, v]) => (sort(v) ? [[name, sort(v)]] : [])));

/** A literal is a number whatever it is; what is fed or a list is told apart, and what moves by how it does. */
const sort = (v: unknown) => {
  if (Array.isArray(v)) return typeof v[0] === "object" ? `list ${dyed(v as Dyed[])}` : 0;
  if (typeof v !== "object" || v === null) return 0;
  if ("lever" in v) return `by ${v.lever} ${(v as Part).ease}`;
  return "motion" in v ? `moves ${v.motion}` : v;
};
