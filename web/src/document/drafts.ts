import { del, get, set } from "idb-keyval";
import type { Effect } from "../api/client";

/** What was changed and is not saved yet, kept in this browser from the first change on. */
export type Draft = {
  document: Effect;
  /** The revision it builds on. */
  base: number;
  at: number;
};

const key = (id: string) => `draft ${id}`;
let last: Promise<unknown> = Promise.resolve();

/** Keeps a draft; false where this browser keeps none. Drafts are written one after another. */
export function keepDraft(id: string, draft: Draft): Promise<boolean> {
  const done = last
    .then(() => set(key(id), draft))
    .then(
      () => true,
      () => false,
    );
  last = done;
  return done;
}

export function dropDraft(id: string): Promise<unknown> {
  last = last.then(() => del(key(id))).catch(() => undefined);
  return last;
}

export const draftOf = (id: string): Promise<Draft | undefined> => get<Draft>(key(id)).catch(() => undefined);
