import { answered, client, type Effect } from "../api/client";
import { useEditor } from "./editor";
import { isFeed, isList, isMotion } from "./place";

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

const value = (v: unknown) =>
  isMotion(v) || isFeed(v) || typeof v === "string" || typeof v === "boolean" ? v : isList(v) ? "list" : 0;

const fed = (channels: Effect["surface"]["channels"]) =>
  Object.entries(channels).map(([name, entries]) => [
    name,
    entries.map((e) => [e.strand, e.bead, value(e.gain)]),
  ]);

/** What the program depends on: everything but literal numbers, names and the camera. */
export function structure(effect: Effect): string {
  return JSON.stringify([
    effect.turn,
    effect.assets,
    effect.strands.map((s) => [
      s.id,
      s.muted,
      s.solo,
      s.beads.map((b) => [
        b.id,
        b.kind,
        b.muted,
        b.settings,
        Object.entries(b.params).flatMap(([name, v]) => (value(v) ? [[name, value(v)]] : [])),
      ]),
    ]),
    Object.values(effect.surface).map(value),
    fed(effect.surface.channels),
    effect.surface.second && [
      Object.values(effect.surface.second).map(value),
      fed(effect.surface.second.channels),
    ],
    Object.values(effect.stage.lamps).map((lamp) => Object.values(lamp).map(value)),
    Object.values(effect.stage.sky).map(value),
    Object.values(effect.stage.neighbours).map((n) => Object.values(n).map(value)),
    effect.beacons.map((b) => [b.id, value(b.position), value(b.yaw), value(b.pitch)]),
    effect.surface.film === 0,
    effect.stage.shape,
    effect.stage.subdivision,
    effect.stage.backdrop.kind,
    effect.stage.backdrop.picture,
    effect.stage.bloom.radius,
  ]);
}
