import { answered, client, Refused } from "../api/client";
import { open, useEditor } from "./editor";

/** Saves without being asked: shortly after the last change, and again until it has worked. */
const AFTER = 700;
const AGAIN = 2000;

let timer: number | undefined;
let running = false;

export function startSaving(): () => void {
  const stop = useEditor.subscribe((now, before) => {
    if (now.document !== before.document || (before.held && !now.held)) plan(AFTER);
  });
  const leave = (e: BeforeUnloadEvent) => {
    if (useEditor.getState().saving.state === "saved") return;
    void save();
    e.preventDefault();
  };
  window.addEventListener("beforeunload", leave);
  return () => {
    stop();
    window.removeEventListener("beforeunload", leave);
    window.clearTimeout(timer);
    if (useEditor.getState().saving.state === "unsaved") void save();
  };
}

function plan(wait: number) {
  window.clearTimeout(timer);
  timer = window.setTimeout(() => void save(), wait);
}

async function save() {
  const { id, document, revision, saving, held } = useEditor.getState();
  if (running || held || saving.state === "saved" || saving.state === "stale") return;
  running = true;
  useEditor.setState({ saving: { state: "saving" } });
  try {
    const kept = await answered(
      client.PUT("/api/effects/{id}", {
        params: { path: { id } },
        body: { base: revision, document: document as unknown as Record<string, unknown> },
        keepalive: JSON.stringify(document).length < 60000,
      }),
    );
    const same = useEditor.getState().document === document;
    if (useEditor.getState().id !== id) return;
    useEditor.setState({ revision: kept.revision, saving: { state: same ? "saved" : "unsaved" } });
    if (!same) plan(AFTER);
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

/** After a refused save: mine becomes a new revision upon theirs, which stays in the history. */
export function keepMine(head: number) {
  useEditor.setState({ revision: head, saving: { state: "unsaved" } });
  plan(0);
}

export async function takeTheirs() {
  const { id } = useEditor.getState();
  const kept = await answered(client.GET("/api/effects/{id}", { params: { path: { id } } }));
  open(id, kept.document, kept.revision);
}
