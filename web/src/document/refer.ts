import { fieldsOf, kindOf } from "../api/catalogue";
import type { Effect } from "../api/client";
import { eachPart } from "./tree";

/** Something that refers to a strand or a bead of it, to a picture or to a beacon. */
export type Reference = {
  place: string;
  kind: "strand" | "picture" | "beacon";
  id: string;
  bead: string | null;
  /** What it is on, where that is a strand of its own. */
  strand: string | null;
  /** Lets it go: back to its default, out of its list, or away with the part that it is. */
  drop: () => void;
  /** Has it refer to something else. */
  aim: (id: string, bead?: string | null) => void;
};

type Feeding = { strand: string; bead?: string | null };
const feeds = (v: unknown): v is Feeding =>
  typeof v === "object" && v !== null && typeof (v as Feeding).strand === "string";

/** All that refers to something by its id, in the order of the document. */
export function references(draft: Effect): Reference[] {
  const out: Reference[] = [];
  const strandAt = (place: string) => (place.startsWith("strands/") ? place.split("/")[1] : null);
  const fed = (place: string, holder: Record<string, unknown>, name: string) => {
    const value = holder[name] as Feeding;
    out.push({
      place,
      kind: "strand",
      id: value.strand,
      bead: value.bead ?? null,
      strand: strandAt(place),
      drop: () => {
        delete holder[name];
      },
      aim: (id, bead) => Object.assign(value, { strand: id, ...(bead !== undefined && { bead }) }),
    });
  };
  eachPart(draft, (place, part, here, inside) => {
    const named = (kind: Reference["kind"], name: string, holder: Record<string, unknown>, rest: unknown) =>
      out.push({
        place: `${place}/${name}`,
        kind,
        id: holder[name] as string,
        bead: null,
        strand: strandAt(place),
        drop: () => {
          holder[name] = rest;
        },
        aim: (id) => {
          holder[name] = id;
        },
      });
    for (const field of fieldsOf(part)) {
      const value = here[field.name];
      if (field.kind === "params") {
        const inner = value as Record<string, unknown>;
        const settings = kindOf(here.kind as string)?.settings ?? [];
        for (const name of Object.keys(inner)) {
          const setting = settings.find((s) => s.name === name);
          if (feeds(inner[name])) fed(`${place}/${name}`, inner, name);
          else if ((setting?.kind === "picture" || setting?.kind === "beacon") && inner[name])
            named(setting.kind, name, inner, setting.default);
        }
      } else if (field.refers && value) named(field.refers as "picture", field.name, here, "");
      else if (field.kind === "number" && feeds(value)) fed(`${place}/${field.name}`, here, field.name);
      else if (field.optional && field.part && feeds(value)) {
        // A part that is there for a strand's sake, such as a second surface.
        const whole = value as unknown as Feeding;
        out.push({
          place: `${place}/${field.name}`,
          kind: "strand",
          id: whole.strand,
          bead: whole.bead ?? null,
          strand: null,
          drop: () => {
            here[field.name] = null;
          },
          aim: (id, bead) => Object.assign(whole, { strand: id, ...(bead !== undefined && { bead }) }),
        });
      }
    }
    if (inside && feeds(here) && fieldsOf(part).some((f) => f.name === "strand")) {
      const entry = here as unknown as Feeding;
      out.push({
        place,
        kind: "strand",
        id: entry.strand,
        bead: entry.bead ?? null,
        strand: null,
        drop: () => {
          inside.splice(inside.indexOf(here), 1);
        },
        aim: (id, bead) => Object.assign(entry, { strand: id, ...(bead !== undefined && { bead }) }),
      });
    }
  });
  return out;
}
