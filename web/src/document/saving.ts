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
let running = false;
/** Whether the last change is in a draft. */
let drafted = true;

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
    if (useEditor.getState().saving.state === "unsaved") void save();
  };
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

async function save() {
  const { id, document, revision, saving, held } = useEditor.getState();
  if (running || held || saving.state === "saved" || saving.state === "stale") return;
  running = true;
  useEditor.setState({ saving: { state: "saving" } });
  try {
    const kept = await answered(
      client.PUT("/api/effects/{id}", {
        params: { path: { id } },
        body: { base: revision, document: sent(document) },
        keepalive: JSON.stringify(document).length < 60000,
      }),
    );
    const now = useEditor.getState();
    const same = now.document === document;
    if (now.id !== id) {
      void dropDraft(id);
      return;
    }
    useEditor.setState({ revision: kept.revision, saving: { state: same ? "saved" : "unsaved" } });
    // A browser's store that is slow, or never answers, holds up no later save.
    if (same) void dropDraft(id);
    else {
      draft();
      plan(AFTER);
    }
  } catch (e) {
    if (useEditor.getState().id !== id) return;
    const refused = e instanceof Refused ? e : new Refused(0, {});
    if (refused.status === 409) {
      useEditor.setState({ saving: { state: "stale", head: refused.told.head ?? revision } });
    } else {
      useEditor.setState({ saving: { state: "failed", words: refused.message } });
      if (refused.status === 0 || refused.status >= 500) plan(AGAIN);
    }
  } finally {
    running = false;
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
