import { create } from "zustand";
import { answered, client, type Schema } from "../api/client";
import { edit, holdBriefly, useEditor } from "../document/editor";
import { putAt } from "../document/place";
import { chooseOption } from "../front/choice";
import { feedLive, type Strike } from "../painter/numbers";
import { inTurn, usePlayback } from "../playback/playback";

export type PortInfo = Schema["PortInfo"];
export type Known = Schema["KnownAddress"];
type Told = Partial<Schema["LiveTold"]>;
type Asked = Partial<Schema["LiveAsked"]>;
type Amount = number | number[];

type Signals = {
  port: PortInfo | null;
  known: Known[];
  /** What the effect is called in addresses. */
  name: string;
  /** Where signals have levers, by their ids. */
  levers: Record<string, Amount>;
  /** Whether this effect follows. */
  follows: boolean;
  /** When a turn began to be kept, by the page's clock. */
  recording: number | null;
  /** What was kept last, in words. */
  kept: string;
  wrong: string;
};

const AT_REST: Signals = {
  port: null,
  known: [],
  name: "",
  levers: {},
  follows: true,
  recording: null,
  kept: "",
  wrong: "",
};

export const useSignals = create<Signals>()(() => AT_REST);
const set = useSignals.setState;

let socket: WebSocket | null = null;
let watching = false;
let over = true;
let again: number | undefined;
let strikes: Strike[] = [];
let version = 0;

const AGAIN = 1500;
/** How long a change of the effect may wait before those who follow are told, in milliseconds. */
const SETTLED = 150;

const say = (asked: Asked) => {
  if (socket?.readyState === WebSocket.OPEN) socket.send(JSON.stringify(asked));
};

/** What following needs to know of the effect. */
const followed = () => {
  const {
    format,
    version: v,
    name,
    turn,
    levers,
    variants,
    ties,
    hits,
    stage,
  } = useEditor.getState().document;
  return { format, version: v, name, turn, levers, variants, ties, hits, stage };
};
const use = () => say({ use: followed() as unknown as Record<string, unknown> });

/** Follows signals while the studio is open and somebody listens, or the panel is shown. */
export function startSignals(): () => void {
  over = false;
  set(AT_REST);
  let timer: number | undefined;
  const stop = useEditor.subscribe((now, before) => {
    const [a, b] = [now.document, before.document];
    if (a === b) return;
    const same = (["name", "turn", "levers", "variants", "ties", "hits", "stage"] as const).every(
      (k) => a[k] === b[k],
    );
    if (same) return;
    window.clearTimeout(timer);
    timer = window.setTimeout(use, SETTLED);
  });
  void look();
  return () => {
    over = true;
    window.clearTimeout(timer);
    window.clearTimeout(again);
    stop();
    socket?.close();
    socket = null;
    strikes = [];
    feedLive(null);
  };
}

async function look() {
  try {
    const port = await answered(client.GET("/api/signals"));
    set({ port });
    if (port.listening) connect();
  } catch {
    // Nobody follows then.
  }
}

function connect() {
  if (over || socket) return;
  const made = new WebSocket(`${location.origin.replace(/^http/, "ws")}/api/signals/live`);
  socket = made;
  made.onopen = () => {
    set({ wrong: "" });
    use();
    say({ follow: useSignals.getState().follows, watch: watching });
  };
  made.onmessage = (e) => take(JSON.parse(e.data as string) as Told);
  made.onclose = () => {
    if (socket === made) socket = null;
    if (over) return;
    if (watching) set({ wrong: "Whorl's server is not answering" });
    again = window.setTimeout(connect, AGAIN);
  };
}

function take({ state, port, known, name, recorded, wrong }: Told) {
  if (state) takeState(state);
  if (port) set({ port, known: known ?? [], name: name ?? "" });
  if (recorded) keep(recorded);
  if (wrong) set({ wrong, recording: null });
}

function takeState(state: Schema["LiveState"]) {
  const levers = state.levers as Record<string, Amount>;
  const now = performance.now();
  const lasts = useEditor.getState().document.turn.seconds * 1000;
  const came = (state.strikes ?? []).map((s) => ({ ...s, at: now, until: now + lasts }));
  strikes = [...came, ...strikes].filter((s) => now < s.until);
  version++;
  feedLive({ levers, strikes, version });
  set({ levers });
  muted(levers);
  const { phase } = state;
  if (phase !== null && phase !== undefined)
    usePlayback.setState((s) => ({ phase: inTurn(phase, s.turn), playing: false, rested: 0 }));
}

/** A choice, and a switch that mutes strands, make another program, so the effect itself has them. */
function muted(levers: Record<string, Amount>) {
  const { document } = useEditor.getState();
  const gone = document.levers.filter(
    (x) => x.kind === "choice" && x.id in levers && x.chosen !== levers[x.id],
  );
  if (gone.length) {
    holdBriefly();
    edit((d) => {
      for (const x of gone) chooseOption(d, x.id, levers[x.id] as number);
    });
  }
  const turned = document.levers.filter(
    (x) =>
      x.kind === "switch" &&
      x.id in levers &&
      x.on !== (levers[x.id] === 1) &&
      document.strands.some((s) => s.sounds_with === x.id),
  );
  if (!turned.length) return;
  holdBriefly();
  edit((d) => {
    for (const x of d.levers) if (turned.some((t) => t.id === x.id)) x.on = levers[x.id] === 1;
  });
}

/** What signals did over a turn becomes the effect's own, and they are set aside so that it is seen. */
function keep({ levers, hits }: Schema["Recorded"]) {
  edit((d) => {
    for (const { lever, field, motion } of levers) putAt(d, `levers/${lever}/${field}`, motion);
    d.hits.push(...(hits as typeof d.hits));
  });
  const named = useEditor.getState().document.levers;
  const told = levers.map(({ lever, motion, error }) => {
    const own = named.find((x) => x.id === lever);
    return `${own?.name}: ${motion.keys.length} keys, off by ${Number(error.toPrecision(2))} at most`;
  });
  if (hits.length) told.push(`${hits.length} ${hits.length === 1 ? "hit" : "hits"}`);
  set({ recording: null, kept: told.join("; ") || "nothing moved while it was kept" });
  if (told.length) follow(false);
}

/** Shows what arrives, as long as the panel is there. */
export function watch(): () => void {
  watching = true;
  connect();
  say({ watch: true });
  return () => {
    watching = false;
    say({ watch: false });
  };
}

export function follow(follows: boolean) {
  set({ follows, ...(!follows && { levers: {} }) });
  if (!follows) {
    strikes = [];
    feedLive(null);
  }
  say({ follow: follows });
}

/** Lets levers go back to where the effect has them. */
export const letGo = () => say({ forget: true });

/** Keeps what signals do from now on, for one turn from its start. */
export function record(tolerance: number) {
  follow(true);
  usePlayback.setState({ phase: 0, playing: true, speed: 1, stretch: null, rested: 0 });
  set({ recording: performance.now(), kept: "", wrong: "" });
  say({ record: { tolerance } });
}

export async function listen(listening: boolean) {
  await doing(client.POST("/api/signals", { body: { listening } }));
  if (!listening) letGo();
}

export const playNight = (night: Schema["Night"]) =>
  doing(client.POST("/api/signals/night", { body: night }));

async function doing(asked: Promise<{ data?: PortInfo; error?: unknown; response: Response }>) {
  try {
    const port = await answered(asked);
    set({ port, wrong: "" });
    if (port.listening) connect();
  } catch (e) {
    set({ wrong: e instanceof Error ? e.message : String(e) });
  }
}
