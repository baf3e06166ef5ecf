import { answered, type Compiled, client, type Effect } from "../api/client";
import { useEditor } from "./editor";

type Rows = Record<string, number[][]>;

/** Puts rows that came into the program that draws, by the places of their uniforms; whether no others come. */
export function takeRows(rows: Rows, all = false) {
  const { program } = useEditor.getState();
  if (!program) return;
  const uniforms = program.uniforms.map((u) =>
    rows[u.place] ? { ...u, rows: rows[u.place], pending: false } : all ? { ...u, pending: false } : u,
  );
  useEditor.setState({ program: { ...program, uniforms } });
}

/** A new program with what is still being found out as it was known last, and a request for it. */
export function withMeasured(made: Compiled, before: Compiled | null, document: Effect): Compiled {
  if (!made.uniforms.some((u) => u.pending)) return made;
  void measure(document);
  const known = (place: string) => before?.uniforms.find((u) => u.place === place)?.rows ?? null;
  return { ...made, uniforms: made.uniforms.map((u) => (u.pending ? { ...u, rows: known(u.place) } : u)) };
}

let latest = 0;

async function measure(document: Effect) {
  const ticket = ++latest;
  try {
    const body = { document: document as unknown as Record<string, unknown> };
    const { rows } = await answered(client.POST("/api/measured", { body }));
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
