import { useQuery } from "@tanstack/react-query";
import { useEffect, useRef, useState } from "react";
import { answered, client, type Effect, type Schema } from "../api/client";
import { drawableOf } from "../document/measuring";
import { eachFrame, wake } from "../painter/frames";
import { Feeder } from "../painter/numbers";
import { painter } from "../painter/painter";
import { type Source, small } from "../painter/small";
import { SmallPicture } from "../painter/small-picture";
import { calm, REST } from "../playback/playback";

/** Where in its turn an effect is shown to who wants things to stand still. */
const SHOWS = 0.4;

/** Draws the shelf's pictures, a few each animation frame. */
export function useShelfLoop() {
  useEffect(() => {
    return eachFrame(() => {
      void small.draw(2);
      return small.open;
    });
  }, []);
}

type Props = {
  /** What its picture is known by. */
  name: readonly unknown[];
  load: () => Promise<{ document: Effect; compiled: Schema["Compile"] }>;
  seconds: number;
  size: number;
  unreadable?: string;
};

/** An effect of the shelf with its program. */
export const fromShelf = (id: string) => async () => {
  const params = { path: { id } };
  const [kept, compiled] = await Promise.all([
    answered(client.GET("/api/effects/{id}", { params })),
    answered(client.GET("/api/effects/{id}/program", { params })),
  ]);
  return { document: kept.document, compiled };
};

/** A document that is at hand, with its program. */
export const fromDocument = (document: Effect) => async () => {
  const body = { document: document as unknown as Record<string, unknown> };
  return { document, compiled: await answered(client.POST("/api/compile", { body })) };
};

/** One effect in its own small loop, or a moment of it where no motion is wanted. */
export function LoopPicture({ name, load, seconds, size, unreadable }: Props) {
  const [wrong, setWrong] = useState("");
  const [near, setNear] = useState(false);
  const here = useRef<HTMLSpanElement>(null);
  useEffect(() => {
    // Of hundreds on a shelf only those in sight, and a little beyond, are asked for and drawn.
    const watch = new IntersectionObserver(([e]) => setNear(e.isIntersecting), { rootMargin: "200px" });
    watch.observe(here.current!);
    return () => watch.disconnect();
  }, []);
  const source = useRef<Source | null>(null);
  const got = useQuery({
    queryKey: ["shelf picture", ...name],
    staleTime: Number.POSITIVE_INFINITY,
    gcTime: 30_000,
    enabled: near && !unreadable,
    queryFn: load,
  });
  useEffect(() => {
    if (!got.data || !near) return;
    const { document, compiled } = got.data;
    if (!compiled.program) {
      setWrong(compiled.problems?.[0]?.words ?? "it has a fault");
      return;
    }
    let gone = false;
    const making = drawableOf(compiled.program, document);
    making
      .then((drawable) => {
        if (gone) return;
        source.current = { drawable, effect: document, feeder: new Feeder(), frame: 0 };
        wake();
      })
      .catch((e: Error) => setWrong(e.message));
    return () => {
      gone = true;
      source.current = null;
      void making.then((d) => painter().dispose(d)).catch(() => undefined);
    };
  }, [got.data, near]);
  const now = useRef((): Source | null => {
    const s = source.current;
    if (!s) return null;
    const { frames, looping } = s.drawable.compiled;
    const lasts = looping ? seconds : seconds + REST;
    const at = calm.matches ? seconds * SHOWS : (performance.now() / 1000) % lasts;
    return { ...s, frame: Math.min(frames - 1, Math.floor((at / seconds) * frames)), moves: !calm.matches };
  });
  const problem = unreadable || wrong || got.error?.message;
  return (
    <span ref={here} style={{ position: "relative", display: "block", width: size, height: size }}>
      <SmallPicture source={now.current} place={null} size={size} />
      {problem && <span className="shelf-wrong">{problem}</span>}
    </span>
  );
}
