import { answered, client, type Effect, Refused } from "../api/client";
import { dropDraft, keepDraft } from "./drafts";
import { replace, useEditor } from "./editor";

/**
 * Saves without being asked: shortly after the last change, and again until it has worked. Until then a
 * draft in this browser holds what was done.
 */
const AFTER = 700;
const AGAIN = 2000;
/** How often an effect that nobody changes here is looked at for changes from elsewhere. */
const LOOK = 5000;

let timer: number | undefined;
/** The save under way, with the revision that it led to, or null where it led to none. */
let running: { id: string; document: Effect; done: Promise<number | null> } | null = null;
/** Effects that were left with changes, while these are on their way. */
const leaving = new Map<string, Promise<void>>();
/** Whether an effect was left: what becomes of its save is no longer told here. */
const left = (id: string) => leaving.has(id) || useEditor.getState().id !== id;
/** Whether the last change is in a draft. */
let drafted = true;

/** Once what an effect was left with is saved, as far as it can be: before that it is not what it will be. */
export const leftSaved = async (id: string) => leaving.get(id);

export function startSaving(): () => void {
  const stop = useEditor.subscribe((now, before) => {
    const changed = now.document !== before.document;
    if (changed && now.saving.state !== "saved") draft();
    if (changed || (before.held && !now.held)) plan(AFTER);
  });
  const leave = (e: BeforeUnloadEvent) => {
    const { state } = useEditor.getState().saving;
    if (state === "saved") return;
    void save();
    if (!drafted) e.preventDefault();
  };
  const look = () => void takeUp();
  const looking = window.setInterval(look, LOOK);
  window.addEventListener("beforeunload", leave);
  window.addEventListener("focus", look);
  return () => {
    stop();
    window.clearInterval(looking);
    window.removeEventListener("beforeunload", leave);
    window.removeEventListener("focus", look);
    window.clearTimeout(timer);
    const { id, document, revision, saving } = useEditor.getState();
    if (saving.state === "saved" || saving.state === "stale") return;
    const last = saveLast(id, document, revision).finally(() => leaving.delete(id));
    leaving.set(id, last);
  };
}

/** Saves an effect that is left, upon what is under way of it. */
async function saveLast(id: string, document: Effect, revision: number) {
  const before = running?.id === id ? running : null;
  const led = (await before?.done) ?? null;
  try {
    if (led === null || before?.document !== document) await put(id, document, led ?? revision);
    await dropDraft(id);
  } catch {
    // The draft is offered when it is opened again.
  }
}

let waiting = false;

/** Keeps a draft of the newest state; while one is written, later ones wait for it and become one. */
function draft() {
  drafted = false;
  if (waiting) return;
  waiting = true;
  queueMicrotask(async () => {
    waiting = false;
    const { id, document, revision: base } = useEditor.getState();
    const kept = await keepDraft(id, { document, base, at: Date.now() });
    if (useEditor.getState().document === document) drafted = kept;
  });
}

function plan(wait: number) {
  window.clearTimeout(timer);
  timer = window.setTimeout(() => void save(), wait);
}

const sent = (document: Effect) => document as unknown as Record<string, unknown>;

const put = (id: string, document: Effect, base: number) =>
  answered(
    client.PUT("/api/effects/{id}", {
      params: { path: { id } },
      body: { base, document: sent(document) },
      keepalive: JSON.stringify(document).length < 60000,
    }),
  );

async function save() {
  const { id, document, revision, saving, held } = useEditor.getState();
  if (held || saving.state === "saved" || saving.state === "stale") return;
  // It may be of the effect that was open before.
  if (running) return plan(AFTER);
  useEditor.setState({ saving: { state: "saving" } });
  const kept = put(id, document, revision);
  running = { id, document, done: kept.then((k) => k.revision).catch(() => null) };
  try {
    const { revision } = await kept;
    if (left(id)) return;
    const same = useEditor.getState().document === document;
    useEditor.setState({ revision, saving: { state: same ? "saved" : "unsaved" } });
    // A browser's store that is slow, or never answers, holds up no later save.
    if (same) void dropDraft(id);
    else {
      draft();
      plan(AFTER);
    }
  } catch (e) {
    if (left(id)) return;
    const refused = e instanceof Refused ? e : new Refused(0, {});
    if (refused.status === 409) {
      useEditor.setState({ saving: { state: "stale", head: refused.told.head ?? revision } });
    } else {
      useEditor.setState({ saving: { state: "failed", words: refused.message } });
      if (refused.status === 0 || refused.status >= 500) plan(AGAIN);
    }
  } finally {
    running = null;
  }
}

/** Where nothing was changed here, what was saved elsewhere is taken up; undo goes back to before. */
async function takeUp() {
  const { id, saving, held, revision } = useEditor.getState();
  if (running || held || saving.state !== "saved" || document.visibilityState === "hidden") return;
  try {
    const params = { path: { id }, query: { most: 1 } };
    const [head] = await answered(client.GET("/api/effects/{id}/revisions", { params }));
    if (!head || head.number <= revision) return;
    const theirs = await newest(id);
    const now = useEditor.getState();
    if (now.id === id && now.saving.state === "saved") replace(theirs.document, theirs.revision, "saved");
  } catch {
    // The server is away; the next save tells.
  }
}

const newest = (id: string) => answered(client.GET("/api/effects/{id}", { params: { path: { id } } }));

/** After a refused save: theirs stands in the history and in undo, mine becomes a new revision upon it. */
export async function keepMine() {
  const { id, document: mine } = useEditor.getState();
  const theirs = await newest(id);
  replace(theirs.document, theirs.revision, "saved");
  replace(mine, theirs.revision, "unsaved");
  plan(0);
}

/** Theirs is shown; undo goes back to mine. */
export async function takeTheirs() {
  const { id } = useEditor.getState();
  const theirs = await newest(id);
  replace(theirs.document, theirs.revision, "saved");
  await dropDraft(id);
}

/** Mine becomes an effect of its own, and theirs is shown; gives the copy's id. */
export async function keepBoth(): Promise<string> {
  const { document: mine } = useEditor.getState();
  const copy = { ...mine, name: `${mine.name.slice(0, 110)} (mine)` };
  const kept = await answered(client.POST("/api/effects", { body: { document: sent(copy) } }));
  await takeTheirs();
  return kept.id;
}
