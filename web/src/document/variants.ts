import { produce } from "immer";
import { leverHolds } from "../api/catalogue";
import type { Effect } from "../api/client";
import { chooseOption } from "../front/choice";

/** An effect with its levers as a variant has them. */
export function held(d: Effect, holds: Effect["variants"][number]["holds"]): Effect {
  const levers = d.levers.map((x) => {
    const hold = holds.find((h) => h.lever === x.id);
    const [stands] = leverHolds(x.kind);
    return hold ? { ...x, [stands]: x.kind === "switch" ? hold.value === 1 : hold.value } : x;
  });
  const made = { ...d, levers } as Effect;
  if (!levers.some((x) => x.kind === "choice")) return made;
  // What a choice sets is put where it says; settings then show once their program is there.
  return produce(made, (draft) => {
    for (const x of levers) if (x.kind === "choice") chooseOption(draft, x.id, x.chosen);
  });
}
