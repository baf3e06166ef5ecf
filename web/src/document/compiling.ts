import { answered, client, type Effect } from "../api/client";
import { useEditor } from "./editor";
import { structure } from "./tree";

/** Asks for a new program when the structure changed, and for new findings when numbers settled. */
const SETTLED = 350;

let timer: number | undefined;
let latest = 0;

export function startCompiling(): () => void {
  let shape = "";
  let asked: Effect | null = null;
  const look = () => {
    const { document, held } = useEditor.getState();
    if (document === asked || !document.turn) return;
    const now = structure(document);
    if (now !== shape) {
      shape = now;
      asked = document;
      void compile(document);
    } else if (!held) {
      window.clearTimeout(timer);
      timer = window.setTimeout(() => {
        asked = useEditor.getState().document;
        void compile(asked);
      }, SETTLED);
    }
  };
  const stop = useEditor.subscribe((now, before) => {
    if (now.document !== before.document || (before.held && !now.held)) look();
  });
  look();
  return () => {
    stop();
    window.clearTimeout(timer);
  };
}

async function compile(document: Effect) {
  const ticket = ++latest;
  useEditor.setState({ compiling: true });
  try {
    const got = await answered(
      client.POST("/api/compile", { body: { document: document as unknown as Record<string, unknown> } }),
    );
    if (ticket !== latest) return;
    // With faults the last good program goes on drawing.
    const program = got.program ?? useEditor.getState().program;
    useEditor.setState({ program, problems: got.problems ?? [], compiling: false });
  } catch (e) {
    if (ticket !== latest) return;
    const words = e instanceof Error ? e.message : String(e);
    useEditor.setState({ problems: [{ place: "", words }], compiling: false });
  }
}
