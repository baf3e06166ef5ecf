import createClient from "openapi-fetch";
import type { components, paths } from "./schema.gen";

export type Schema = components["schemas"];
export type Effect = Schema["Effect"];
export type Strand = Schema["Strand"];
export type Bead = Schema["Bead"];
export type Entry = Schema["Entry"];
export type Value = Bead["params"][string];
export type Compiled = Schema["Compiled"];
export type Problem = Schema["Problem"];
export type Finding = Schema["Finding"];
export type BeadInfo = Schema["BeadInfo"];
export type ParamInfo = Schema["ParamInfo"];
export type BakeJob = Schema["BakeJob"];
export type Told = Schema["Told"];

export const client = createClient<paths>({ baseUrl: "" });

/** What the server said, or that it is not there, as one line for people. */
export class Refused extends Error {
  constructor(
    readonly status: number,
    readonly told: Partial<Told>,
  ) {
    super(told.words ?? "Whorl's server is not answering");
  }
}

export type Answer<T> = { data?: T; error?: unknown; response: Response };

/** The data of an answer; throws Refused otherwise, also when nothing answers. */
export async function answered<T>(asked: Promise<Answer<T>>): Promise<T> {
  let got: Awaited<typeof asked>;
  try {
    got = await asked;
  } catch {
    throw new Refused(0, {});
  }
  if (got.error !== undefined || !got.response.ok)
    throw new Refused(got.response.status, (got.error ?? {}) as Told);
  return got.data as T;
}

/** Sends a file, and gives what is told of it; throws Refused. */
export async function sendFile<T>(url: string, file: File): Promise<T> {
  const answer = await fetch(url, { method: "POST", body: file }).catch(() => null);
  if (!answer) throw new Refused(0, {});
  const got = await answer.json().catch(() => ({}));
  if (!answer.ok) throw new Refused(answer.status, got as Told);
  return got as T;
}
