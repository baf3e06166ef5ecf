import { answered, client, type Effect } from "../api/client";
import { programAhead } from "./ahead";
import { useEditor } from "./editor";
import { withMeasured } from "./measuring";
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
      // What a switch or a choice leads to may be ready: it is drawn at once, and what was asked for follows.
      const ahead = programAhead(now);
      if (ahead) useEditor.setState({ program: withMeasured(ahead, ahead, document), from: document });
      void compile(document, !ahead);
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

async function compile(document: Effect, remaking = false) {
  const ticket = ++latest;
  useEditor.setState({ compiling: true, remaking });
  try {
    const sent = (d: Effect) => d as unknown as Record<string, unknown>;
    const ask = (last: Effect | null) =>
      answered(client.POST("/api/compile", { body: { document: sent(document), last: last && sent(last) } }));
    const { sound, problems: before } = useEditor.getState();
    // How it was without a fault is sent only where there is one: a slider sends its document once.
    const known = before.length > 0 ? sound : null;
    const first = ask(known);
    // What stands in is asked for by who hears of it, and the program goes first.
    useEditor.setState({ asked: document });
    let got = await first;
    if (ticket === latest && got.problems?.length && !known && sound) got = await ask(sound);
    if (ticket !== latest) return;
    const problems = got.problems ?? [];
    // With faults the parts that have them are as they were; if nothing can be drawn, all of it is.
    const { program: drawn } = useEditor.getState();
    const program = got.program ? withMeasured(got.program, drawn, document) : drawn;
    useEditor.setState({
      program,
      ...(got.program && { from: document }),
      problems,
      stood: got.program ? (got.stood ?? []) : ["strands", "surface", "stage"],
      sound: problems.length ? sound : document,
      compiling: false,
      // Until it draws, which is told by what has it drawn.
      remaking: program !== null && program.key !== drawn?.key,
    });
  } catch (e) {
    if (ticket !== latest) return;
    const words = e instanceof Error ? e.message : String(e);
    useEditor.setState({
      problems: [{ place: "", words, cause: "", mends: [] }],
      compiling: false,
      remaking: false,
    });
  }
}
