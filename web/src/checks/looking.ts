import { useMemo } from "react";
import { create } from "zustand";
import type { Effect, Finding } from "../api/client";
import { sent, useEditor } from "../document/editor";
import { scrub, usePlayback } from "../playback/playback";

/** How long the sheet has to be still before it is looked at. */
const STILL = 1000;
const KEY = "whorl looking";

type Looking = {
  /** What was found by looking; while it is looked at again, of what is not known yet as it was. */
  found: Finding[];
  /** Which document it was found in, all of it. */
  of: Effect | null;
  looking: boolean;
  /** Whether it begins by itself; kept in this browser. */
  byItself: boolean;
  /** The finding whose place in the picture and in the turn is shown. */
  shown: Finding | null;
};

export const useLooking = create<Looking>()(() => ({
  found: [],
  of: null,
  looking: false,
  byItself: localStorage.getItem(KEY) !== "off",
  shown: null,
}));
const set = useLooking.setState;

/** What looks at once; nothing without an effect that is open. */
let now = () => {};
export const lookNow = () => now();

/** Whether it is looked by itself from here on; what is under way is ended where it is not. */
export function lookByItself(byItself: boolean) {
  localStorage.setItem(KEY, byItself ? "on" : "off");
  set({ byItself });
}

const key = (f: Finding) => `${f.kind} ${f.place} ${f.when}`;

/** Looks at the effect whenever it has been still for a while, or when asked; a change ends it. */
export function startLooking(): () => void {
  let timer: number | undefined;
  let under: AbortController | null = null;
  const end = () => {
    under?.abort();
    under = null;
    window.clearTimeout(timer);
    set({ looking: false });
  };
  const later = () => {
    end();
    if (useLooking.getState().byItself) timer = window.setTimeout(begin, STILL);
  };
  const begin = () => {
    const { document, held, problems, program } = useEditor.getState();
    if (held || document === useLooking.getState().of) return;
    if (problems.length || !program) return set({ found: [], of: null, looking: false });
    under = new AbortController();
    set({ looking: true });
    void look(document, under.signal);
  };
  const stop = useEditor.subscribe((now, before) => {
    if (now.document !== before.document || now.held !== before.held || now.program !== before.program) {
      // A program that came for the same document changes nothing that was looked at.
      if (now.document === before.document && under) return;
      later();
    }
  });
  // At rest it goes on at full speed.
  const paused = usePlayback.subscribe((now, before) => {
    if (now.playing === before.playing || !useLooking.getState().looking) return;
    end();
    begin();
  });
  const chosen = useLooking.subscribe((now, before) => {
    if (now.byItself !== before.byItself) later();
  });
  now = begin;
  later();
  return () => {
    stop();
    paused();
    chosen();
    now = () => {};
    end();
    set({ found: [], of: null, shown: null });
  };
}

async function look(document: Effect, signal: AbortSignal) {
  const fresh: Finding[] = [];
  try {
    const answer = await fetch("/api/checks/look", {
      method: "POST",
      headers: { "Content-Type": "application/json" },
      // Beside a picture that plays it takes its time.
      body: JSON.stringify({ document: sent(), gently: usePlayback.getState().playing }),
      signal,
    });
    if (!answer.ok || !answer.body) throw new Error(answer.statusText);
    const reader = answer.body.pipeThrough(new TextDecoderStream()).getReader();
    const old = useLooking.getState().found;
    let text = "";
    for (;;) {
      const { done, value } = await reader.read();
      text += value ?? "";
      const lines = text.split("\n");
      text = lines.pop()!;
      for (const line of lines) if (line) fresh.push(JSON.parse(line) as Finding);
      if (done) break;
      const known = new Set(fresh.map(key));
      set({ found: [...fresh, ...old.filter((f) => !known.has(key(f)))] });
    }
    if (!signal.aborted) set({ found: fresh, of: document, looking: false });
  } catch {
    // Ended by a change, or the server is away: what was found stays until it is looked at again.
    if (!signal.aborted) set({ looking: false });
  }
}

const NONE: Finding[] = [];

/** Every finding: those of the program, and those of looking; what was set aside says why. */
export function useAll(): Finding[] {
  const planned = useEditor((s) => s.program?.findings ?? NONE);
  const found = useLooking((s) => s.found);
  const asides = useEditor((s) => s.document.aside);
  return useMemo(
    () =>
      [...planned, ...found].map((f) => {
        // What was set aside just now is not known to the core yet, and what was taken up again neither.
        const own = asides?.find((a) => a.kind === f.kind && a.place === f.place);
        const aside = own && (f.aside || f.measure <= own.measure) ? own.reason : "";
        return aside === f.aside ? f : { ...f, aside };
      }),
    [planned, found, asides],
  );
}

/** The findings that were not set aside. */
export function useFindings(): Finding[] {
  const all = useAll();
  return useMemo(() => all.filter((f) => !f.aside), [all]);
}

/** Shows where a finding is seen: its moment on the ring and on the stage, and its place in the picture. */
export function show(finding: Finding | null) {
  set({ shown: finding });
  const phase = finding?.evidence?.phase;
  if (phase !== null && phase !== undefined) scrub(phase);
}
