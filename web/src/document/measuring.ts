import { answered, type Compiled, client, type Effect } from "../api/client";
import { type Drawable, painter } from "../painter/painter";
import { useEditor } from "./editor";

type Rows = Record<string, number[][]>;

/** A program with rows that came, by the places of their uniforms; whether no others come. */
function filled(program: Compiled, rows: Rows, all: boolean): Compiled {
  const uniforms = program.uniforms.map((u) =>
    rows[u.place] ? { ...u, rows: rows[u.place], pending: false } : all ? { ...u, pending: false } : u,
  );
  return { ...program, uniforms };
}

/** Puts rows that came into the program that draws; whether no others come. */
function takeRows(rows: Rows, all = false) {
  const { program } = useEditor.getState();
  if (program) useEditor.setState({ program: filled(program, rows, all) });
}

const unmeasured = (program: Compiled) => program.uniforms.some((u) => u.pending);

/** What has to be found out from the shape of a document. */
async function rowsOf(document: Effect): Promise<Rows> {
  const body = { document: document as unknown as Record<string, unknown> };
  return (await answered(client.POST("/api/measured", { body }))).rows;
}

/**
 * What draws an effect that is not the one at hand, with all that is found out from its shape; where that fails, with
 * nought in its stead.
 */
export async function drawableOf(program: Compiled, effect: Effect, before?: Drawable): Promise<Drawable> {
  const [drawable, rows] = await Promise.all([
    painter().prepare(program, effect.stage, before),
    unmeasured(program) ? rowsOf(effect).catch(() => ({})) : null,
  ]);
  return rows ? { ...drawable, compiled: filled(program, rows, true) } : drawable;
}

/** A new program with what is still being found out as it was known last, and a request for it. */
export function withMeasured(made: Compiled, before: Compiled | null, document: Effect): Compiled {
  if (!unmeasured(made)) return made;
  void measure(document);
  const known = (place: string) => before?.uniforms.find((u) => u.place === place)?.rows ?? null;
  return { ...made, uniforms: made.uniforms.map((u) => (u.pending ? { ...u, rows: known(u.place) } : u)) };
}

let latest = 0;

async function measure(document: Effect) {
  const ticket = ++latest;
  try {
    const rows = await rowsOf(document);
    if (ticket === latest && useEditor.getState().from === document) takeRows(rows);
  } catch {
    // What was known last goes on, or nought; the next change asks again.
    if (ticket === latest && useEditor.getState().from === document) takeRows({}, true);
  }
}

/** The hits whose rows are drawn. */
let struck: Effect["hits"] | null = null;
let asking = false;

/** Follows hits that are moved, without a new program. */
export function startHits(): () => void {
  const look = async () => {
    const { document, from } = useEditor.getState();
    if (asking || !from || document.hits === struck) return;
    asking = true;
    const { hits, stage, turn } = document;
    struck = hits;
    try {
      takeRows((await answered(client.POST("/api/hits", { body: { hits, stage, turn } }))).rows);
    } catch {
      // The next program brings them.
    } finally {
      asking = false;
      void look();
    }
  };
  return useEditor.subscribe((now, before) => {
    // A new program comes with the rows of the hits that it was made with.
    if (now.from !== before.from) struck = now.from?.hits ?? null;
    if (now.document.hits !== before.document.hits) void look();
  });
}
