import { fieldsOf, kindOf } from "../api/catalogue";
import type { Effect } from "../api/client";
import type { Stop } from "./place";
import { eachPart } from "./tree";

/** Something that refers to a strand or a bead of it, to a picture, a beacon or a lever. */
export type Reference = {
  place: string;
  kind: "strand" | "picture" | "beacon" | "lever";
  id: string;
  bead: string | null;
  /** What it is on, where that is a strand of its own. */
  strand: string | null;
  /** What becomes of it when its target goes, as the core says. */
  gone: string;
  /** Has that become of it. */
  drop: () => void;
  /** Has it refer to something else. */
  aim: (id: string, bead?: string | null) => void;
};

type Part = Record<string, unknown>;
type Feeding = { strand: string; bead?: string | null };
const feeds = (v: unknown): v is Feeding =>
  typeof v === "object" && v !== null && typeof (v as Feeding).strand === "string";

const pulled = (v: unknown): v is Part & { lever: string } =>
  typeof v === "object" && v !== null && typeof (v as { lever?: unknown }).lever === "string";

const isMoving = (v: unknown): v is Part => typeof v === "object" && v !== null && "motion" in v;

/** All that refers to something by its id, in the order of the document. */
export function references(draft: Effect): Reference[] {
  const out: Reference[] = [];
  const strandOf = (place: string) => (place.startsWith("strands/") ? place.split("/")[1] : null);
  const toStrand = (place: string, value: Feeding, gone: string, drop: () => void) =>
    out.push({
      place,
      kind: "strand",
      id: value.strand,
      bead: value.bead ?? null,
      strand: strandOf(place),
      gone,
      drop,
      aim: (id, bead) => Object.assign(value, { strand: id, ...(bead !== undefined && { bead }) }),
    });
  /** A motion that follows a number of a bead, or one of whose axes does. */
  const followed = (place: string, motion: Part, drop: () => void) => {
    for (const [i, axis] of ((motion.axes ?? []) as unknown[]).entries())
      if (isMoving(axis)) followed(`${place}/axes/${i}`, axis, drop);
    const way = typeof motion.place === "string" ? motion.place.split("/") : [];
    if (way.length !== 4 || way[0] !== "strands") return;
    out.push({
      place,
      kind: "strand",
      id: way[1],
      bead: way[2],
      strand: strandOf(place),
      gone: "default",
      drop,
      aim: (id, bead) => {
        motion.place = ["strands", id, bead ?? way[2], way[3]].join("/");
      },
    });
  };
  const byId = (place: string, kind: Reference["kind"], holder: Part, name: string, first: unknown) => {
    const aim = (id: unknown) => {
      holder[name] = id;
    };
    const strand = strandOf(place);
    const id = holder[name] as string;
    out.push({ place, kind, id, bead: null, strand, gone: "default", drop: () => aim(first), aim });
  };
  const toLever = (place: string, value: { lever: string }, gone: string, drop: () => void) =>
    out.push({
      place,
      kind: "lever",
      id: value.lever,
      bead: null,
      strand: strandOf(place),
      gone,
      drop,
      aim: (id) => {
        value.lever = id;
      },
    });
  /** What a choice sets something of, and what it sets it to; without one of these it goes. */
  const sets = (place: string, given: Part) => {
    const [root, id, bead, ...rest] = String(given.place).split("/");
    const drop = () => {
      for (const lever of draft.levers)
        for (const option of lever.options ?? [])
          option.puts = option.puts?.filter((g) => (g as unknown) !== given);
    };
    const to = (kind: Reference["kind"], at: string, name: string, aim: Reference["aim"]) =>
      out.push({ place: at, kind, id: name, bead: null, strand: null, gone: "entry", drop, aim });
    if (root === "strands" && bead) {
      to("strand", place, id, (next, other) => {
        given.place = [root, next, other ?? bead, ...rest].join("/");
      });
      out[out.length - 1].bead = bead;
    } else if (root === "beacons" && id)
      to("beacon", place, id, (next) => {
        given.place = [root, next, bead, ...rest].filter(Boolean).join("/");
      });
    const chosen = rest.at(-1) as Reference["kind"];
    if (root === "strands" && (chosen === "picture" || chosen === "beacon") && given.value)
      to(chosen, `${place}/value`, String(given.value), (next) => {
        given.value = next;
      });
  };
  eachPart(draft, (place, part, here) => {
    if (part === "Given") sets(place, here);
    for (const field of fieldsOf(part)) {
      const value = here[field.name];
      const at = field.silent ? place : place ? `${place}/${field.name}` : field.name;
      if (field.kind === "params") {
        const inner = value as Part;
        const settings = kindOf(here.kind as string)?.settings ?? [];
        for (const [name, given] of Object.entries(inner)) {
          const setting = settings.find((s) => s.name === name);
          if (isMoving(given)) followed(`${at}/${name}`, given, () => delete inner[name]);
          else if (pulled(given)) toLever(`${at}/${name}`, given, "value", () => delete inner[name]);
          else if (feeds(given)) toStrand(`${at}/${name}`, given, "default", () => delete inner[name]);
          else if (Array.isArray(given))
            given.forEach((stop, i) => {
              if (!pulled(stop)) return;
              toLever(`${at}/${name}/${i}/lever`, stop, "value", () => {
                (stop as Stop).lever = null;
              });
            });
          else if ((setting?.kind === "picture" || setting?.kind === "beacon") && given)
            byId(`${at}/${name}`, setting.kind, inner, name, setting.default);
        }
      } else if (isMoving(value))
        followed(at, value, () => {
          here[field.name] = field.fresh;
        });
      else if (pulled(value))
        toLever(at, value, "value", () => {
          here[field.name] = field.fresh;
        });
      else if (field.refers && value)
        byId(at, field.refers as Reference["kind"], here, field.name, field.fresh);
      else if (field.gone === "entry") {
        const list = value as Part[];
        for (const [i, item] of list.entries()) {
          const drop = () => list.splice(list.indexOf(item), 1);
          if (pulled(item)) toLever(`${at}/${item.id ?? i}`, item, field.gone, drop);
          else toStrand(`${at}/${i}`, item as unknown as Feeding, field.gone, drop);
        }
      } else if (field.gone && feeds(value))
        toStrand(at, value, field.gone, () => {
          here[field.name] = field.fresh;
        });
    }
  });
  return out;
}
