import { keepPreviousData, useQuery } from "@tanstack/react-query";
import { useEffect, useState } from "react";
import { type Answer, answered, type Bead, client, type Effect, type Schema } from "../api/client";
import { useEditor } from "../document/editor";
import { meshKey } from "../painter/mesh";

/** How long numbers have to rest before what comes in is looked at again. */
const SETTLED = 300;

/** How often each value comes into a bead, as the core measures it over the shape and the turn. */
export function useSignal(place: string): Schema["Signal"] | null {
  const key = useSettled(useEditor((s) => upTo(s.document, place, 0)));
  return useLookedAt(["signal", place, key], () => client.POST("/api/signal", { body: asked(place) }));
}

/** How often each value comes out of the bead that a number belongs to, moment by moment. */
export function useOverTurn(place: string): Schema["OverTurn"] | null {
  const key = useSettled(useEditor((s) => upTo(s.document, place, 1)));
  const bead = place.split("/").slice(0, 3).join("/");
  return useLookedAt(
    ["over turn", bead, key],
    () => client.POST("/api/over-turn", { body: asked(bead) }),
    bead.startsWith("strands/"),
  );
}

function useLookedAt<T>(queryKey: string[], ask: () => Promise<Answer<T>>, wanted = true): T | null {
  const queryFn = () => answered(ask());
  // The program goes first: the picture waits for it.
  const enabled = useEditor((s) => !s.remaking) && wanted;
  const got = useQuery({ queryKey, enabled, placeholderData: keepPreviousData, retry: false, queryFn });
  return (wanted && got.data) || null;
}

function asked(place: string) {
  const document = useEditor.getState().document as unknown as Record<string, unknown>;
  const [, strand, bead] = place.split("/");
  return { document, place: `${strand}/${bead}` };
}

/**
 * What a bead makes of rising values, from the core; the last answer stands in for the next.
 * Nothing is asked while a number is held.
 */
export function useResponse(bead: Bead | null, low: number, high: number): number[][] {
  const levers = useEditor((s) => s.document.levers);
  const key = bead && JSON.stringify([bead.kind, bead.settings, bead.params, low, high, levers]);
  const held = useEditor((s) => s.held || s.remaking);
  const [values, setValues] = useState<number[][]>([]);
  useEffect(() => {
    if (!bead || held) return;
    let gone = false;
    const plain = levers as unknown as Record<string, unknown>[];
    const asked = client.POST("/api/response", {
      body: { bead: { ...bead } as unknown as Record<string, unknown>, low, high, phase: 0, levers: plain },
    });
    answered(asked).then(
      (got) => !gone && setValues(got.values),
      () => undefined,
    );
    return () => {
      gone = true;
    };
  }, [key, held]);
  return values;
}

/** All of the document that can change what comes into a bead, and with `more` what so many from it on make of it. */
function upTo(effect: Effect, place: string, more: number): string {
  const [, strand, bead] = place.split("/");
  const row = effect.strands.findIndex((s) => s.id === strand);
  const above = effect.strands.slice(0, row).map((s) => [s.id, s.beads]);
  const own = effect.strands[row]?.beads ?? [];
  const at = own.findIndex((b) => b.id === bead);
  const { stage, surface } = effect;
  // The shape is measured as it is shown, and as displacement moves it.
  const shape = stage && [meshKey(stage), stage.size];
  const moved = surface.channels?.displacement.length && [surface, effect.strands, effect.beacons];
  return JSON.stringify([effect.turn, shape, moved, above, own.slice(0, at + more)]);
}

function useSettled(text: string): string {
  const [settled, setSettled] = useState(text);
  useEffect(() => {
    const timer = window.setTimeout(() => setSettled(text), SETTLED);
    return () => window.clearTimeout(timer);
  }, [text]);
  return settled;
}
