import { motions } from "../api/catalogue";
import { answered, client, type Effect, type Schema } from "../api/client";
import { ofOneEffect } from "../one-effect";
import { feedBetween } from "../painter/numbers";
import { usePlayback } from "../playback/playback";
import { edit, useEditor } from "./editor";
import { beadAt, isMotion, type Motion, putAt, valueAt } from "./place";

export type Track = Schema["TrackInfo"];
export type Grip = Schema["GripInfo"];
export type Deed = Partial<Schema["Done"]> & Pick<Schema["Done"], "kind">;
type Rows = Schema["Rows"];

/** What went wrong with the last thing done to a motion, by its place. */
export const useWrong = ofOneEffect(() => ({ place: "", words: "" }));

/** The motion of each curve as it was when its rows came. */
const known = new Map<string, unknown>();
const SETTLED = 200;
/** Parts of a frame in slow playback, and how many of a document that is asked for. */
const PARTS = 8;

/** The place whose rows have just come with what is put there. */
let taking = "";

/** Keeps the rows of what moves as the document has them, and what lies between frames while it plays slowly. */
export function startMoving(): () => void {
  let timer: number | undefined;
  const finer = () => {
    window.clearTimeout(timer);
    if (usePlayback.getState().speed < 1) timer = window.setTimeout(between, SETTLED);
  };
  const note = () => {
    const { program, from } = useEditor.getState();
    known.clear();
    if (from) for (const t of program?.tracks ?? []) known.set(t.place, valueAt(from, t.place));
  };
  const look = (document: Effect) => {
    for (const { place } of useEditor.getState().program?.tracks ?? []) {
      const motion = valueAt(document, place);
      const was = known.get(place) as Motion | undefined;
      if (place === taking || motion === was || !isMotion(motion) || motion.motion !== was?.motion) continue;
      known.set(place, motion);
      void ask(place, motion, null);
    }
  };
  const stop = useEditor.subscribe((now, before) => {
    if (now.from !== before.from) note();
    if (now.document !== before.document || now.from !== before.from) {
      look(now.document);
      finer();
    }
  });
  const stopSpeed = usePlayback.subscribe((now, before) => {
    if (now.speed !== before.speed) finer();
  });
  note();
  return () => {
    stop();
    stopSpeed();
    window.clearTimeout(timer);
    feedBetween(null);
  };
}

async function between() {
  const { document: effect } = useEditor.getState();
  const body = { document: effect as unknown as Record<string, unknown>, parts: PARTS };
  try {
    const { parts, rows } = await answered(client.POST("/api/between", { body }));
    if (useEditor.getState().document === effect) feedBetween({ effect, parts, rows });
  } catch {
    // Slow playback then shows each frame for longer.
    feedBetween(null);
  }
}

type Asked = { motion: Motion; deed: Deed | null; done: (got: Rows | null) => void };
/** What waits at a place while one request for it is answered; of those that come meanwhile only the newest. */
const waiting = new Map<string, Asked | null>();

function ask(place: string, motion: Motion, deed: Deed | null): Promise<Rows | null> {
  return new Promise((done) => {
    const asked = { motion, deed, done };
    if (!waiting.has(place)) void send(place, asked);
    else {
      waiting.get(place)?.done(null);
      waiting.set(place, asked);
    }
  });
}

async function send(place: string, { motion, deed, done }: Asked) {
  waiting.set(place, null);
  done(await answer(place, motion, deed));
  const next = waiting.get(place);
  waiting.delete(place);
  if (next) void send(place, next);
}

async function answer(place: string, motion: Motion, deed: Deed | null): Promise<Rows | null> {
  const { document } = useEditor.getState();
  const follows = motions().find((m) => m.kind === motion.motion)?.follows;
  const body = {
    motion,
    place,
    bead: beadAt(document, place)?.kind ?? null,
    turn: document.turn,
    document:
      follows || place.startsWith("levers/") ? (document as unknown as Record<string, unknown>) : null,
    deed: deed && { names: [], phase: 0, value: 0, axis: 0, snap: true, ...deed },
  };
  try {
    const got = await answered(client.POST("/api/rows", { body }));
    take(place, got);
    useWrong.setState({ place: "", words: "" });
    return got;
  } catch (e) {
    useWrong.setState({ place, words: e instanceof Error ? e.message : String(e) });
    return null;
  }
}

/** Puts new rows into the program that draws. */
function take(place: string, got: Rows) {
  const { program } = useEditor.getState();
  const track = program?.tracks.find((t) => t.place === place);
  if (!program || !track) return;
  const apart = track.place !== track.uniform;
  const uniforms = program.uniforms.map((u) => {
    if (u.place !== track.uniform || !u.rows) return u;
    if (!apart) return { ...u, rows: got.rows };
    return { ...u, rows: u.rows.map((row, f) => row.map((x, i) => (i === track.axis ? got.rows[f][0] : x))) };
  });
  const { grips, rounds, short } = got;
  const axis = apart ? track.axis : got.axis;
  const tracks = program.tracks.map((t) => (t === track ? { ...t, grips, rounds, short, axis } : t));
  useEditor.setState({ program: { ...program, uniforms, tracks } });
}

/** Does something with a motion, begun from what it was; gives the name of a point that was added. */
export async function shapeMotion(place: string, from: Motion, deed: Deed): Promise<string | null> {
  const got = await ask(place, from, deed);
  if (!got) return null;
  taking = place;
  edit((d) => putAt(d, place, got.motion));
  taking = "";
  known.set(place, valueAt(useEditor.getState().document, place));
  return got.added;
}
