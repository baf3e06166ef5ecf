import { produce } from "immer";
import { answered, type Compiled, client, type Effect } from "../api/client";
import { chooseOption } from "../front/choice";
import { wake } from "../painter/frames";
import { type Drawable, painter } from "../painter/painter";
import { useEditor } from "./editor";
import { drawableOf } from "./measuring";
import { structure } from "./tree";
import { held } from "./variants";

/** Programs that are kept ready beside the one that draws, and how long the page rests before one is made. */
const MOST = 8;
const RESTED = 2500;

type Ready = { program: Compiled; drawable: Drawable };
const ready = new Map<string, Ready>();

/** The program of a structure that a lever leads to, if it is ready. */
export const programAhead = (shape: string): Compiled | null => ready.get(shape)?.program ?? null;

/** What draws a program that was made ahead. */
export const drawableAhead = (key: string): Drawable | null =>
  [...ready.values()].find((r) => r.drawable.key === key)?.drawable ?? null;

/** What draws a structure, if that was made ahead. */
export const drawableFor = (shape: string): Drawable | null => ready.get(shape)?.drawable ?? null;

/** The document as each switch, each choice and each variant would have it. */
function alternatives(d: Effect): Effect[] {
  const out: Effect[] = [];
  for (const x of d.levers) {
    if (x.kind === "switch" && d.strands.some((s) => s.sounds_with === x.id))
      out.push({ ...d, levers: d.levers.map((l) => (l.id === x.id ? { ...l, on: !l.on } : l)) });
    if (x.kind === "choice")
      for (let i = 0; i < x.options.length; i++)
        if (i !== x.chosen) out.push(produce(d, (draft) => chooseOption(draft, x.id, i)));
  }
  for (const v of d.variants) out.push(held(d, v.holds));
  return out;
}

/** Has the programs ready that switches, choices and variants lead to, one after another while nothing else is done. */
export function startAhead(): () => void {
  let timer: number | undefined;
  let over = false;
  const later = () => {
    window.clearTimeout(timer);
    if (!over) timer = window.setTimeout(next, RESTED);
  };
  const next = async () => {
    const { document, compiling, problems, held, program } = useEditor.getState();
    if (over || held || compiling || problems.length || !program) return;
    const here = structure(document);
    const wanted = new Map<string, Effect>();
    for (const d of alternatives(document)) {
      const shape = structure(d);
      if (shape !== here && wanted.size < MOST) wanted.set(shape, d);
    }
    for (const [shape, { drawable }] of ready)
      if (!wanted.has(shape) && drawable.key !== program.key) {
        painter().dispose(drawable);
        ready.delete(shape);
      }
    const todo = [...wanted].find(([shape]) => !ready.has(shape));
    if (!todo) return;
    const [shape, d] = todo;
    try {
      const body = { document: d as unknown as Record<string, unknown>, last: null };
      const got = await answered(client.POST("/api/compile", { body }));
      if (over || !got.program || got.problems?.length) return;
      const drawable = await drawableOf(got.program, d);
      if (over) return painter().dispose(drawable);
      ready.set(shape, { program: drawable.compiled, drawable });
      wake();
      later();
    } catch {
      // It is then made when it is asked for.
    }
  };
  const stop = useEditor.subscribe((now, before) => {
    if (now.document !== before.document || now.program !== before.program) later();
  });
  later();
  return () => {
    over = true;
    stop();
    window.clearTimeout(timer);
    for (const { drawable } of ready.values()) painter().dispose(drawable);
    ready.clear();
  };
}
