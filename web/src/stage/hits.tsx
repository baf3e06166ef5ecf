import { Button } from "@chakra-ui/react";
import { useState } from "react";
import { Vector3 } from "three";
import { asked } from "../api/catalogue";
import { answered, client, type Effect, type Schema } from "../api/client";
import { NumberControl } from "../bead/number";
import { edit, useEditor } from "../document/editor";
import { fieldsAt, within } from "../document/tree";
import { follow } from "../drag";
import { FieldRow } from "../field";
import { focusSoon } from "../focus";
import { ofOneEffect } from "../one-effect";
import type { View } from "../painter/camera";
import { Flex, Text } from "../plain";
import { frameOf, phaseOf, scrub, usePlayback } from "../playback/playback";
import { polar, tick } from "../ring/round";
import { stageNow } from "./seen";

export type Hit = Effect["hits"][number];

/** Which hit is chosen, and whether the next press on the picture places one. */
export const useHits = ofOneEffect<{ chosen: string | null; placing: boolean; wrong: string }>(() => ({
  chosen: null,
  placing: false,
  wrong: "",
}));

const MOST = () => asked("count").hard[1];
const NONE: Hit[] = [];
const tidy = (x: number) => Math.round(x * 1000) / 1000;
const fresh = (hits: Hit[]) => {
  for (let i = 1; ; i++) if (!hits.some((h) => h.id === `h${i}`)) return `h${i}`;
};

export function addHit(position: number[]) {
  const { phase, turn } = usePlayback.getState();
  const { hits } = useEditor.getState().document;
  if (hits.length >= MOST()) {
    useHits.setState({ wrong: `There are ${MOST()} hits, which is the most.` });
    return;
  }
  const id = fresh(hits);
  const at = phaseOf(frameOf(phase, turn), turn);
  edit((d) => {
    d.hits.push({ id, position, phase: tidy(at), strength: 1 });
  });
  useHits.setState({ chosen: id, placing: false, wrong: "" });
  focusSoon(`[data-hit="${id}"]`);
}

export function removeHit(id: string) {
  edit((d) => {
    d.hits = d.hits.filter((h) => h.id !== id);
  });
  useHits.setState({ chosen: null });
}

export const moveHit = (id: string, by: Partial<Hit>) =>
  edit((d) => {
    const hit = d.hits.find((h) => h.id === id);
    if (hit) Object.assign(hit, by);
  });

/** The place of the shape that is seen at a place of the picture. */
async function pick(x: number, y: number): Promise<number[] | null> {
  return (await answered(client.POST("/api/pick", { body: { stage: stageNow(), x, y } }))).position;
}

/** Over the picture while a hit is to be placed: a press puts it where the shape is seen. */
export function PlaceHit({ diameter }: { diameter: number }) {
  const placing = useHits((s) => s.placing);
  if (!placing) return null;
  const press = async (e: React.PointerEvent<HTMLButtonElement>) => {
    const box = e.currentTarget.getBoundingClientRect();
    const [x, y] = [(e.clientX - box.left) / box.width, (e.clientY - box.top) / box.height];
    try {
      const position = await pick(x, y);
      if (position) addHit(position);
      else useHits.setState({ wrong: "The shape is not seen there." });
    } catch (wrong) {
      useHits.setState({ wrong: wrong instanceof Error ? wrong.message : String(wrong) });
    }
  };
  return (
    <button
      type="button"
      aria-label="Press the picture where it strikes; Enter takes the middle"
      className="place-hit"
      style={{ width: diameter, height: diameter }}
      onPointerDown={press}
      onKeyDown={async (e) => {
        if (e.key === "Escape") useHits.setState({ placing: false });
        else if (e.key === "Enter" || e.key === " ") addHit((await pick(0.5, 0.5)) ?? [0, 0, 0]);
        else return;
        e.preventDefault();
        e.stopPropagation();
      }}
      data-testid="place-hit"
    />
  );
}

/** A hit on the picture: dragged over the shape, moved by keys, taken away by Delete. */
export function HitHandle({ hit, view, diameter }: { hit: Hit; view: View; diameter: number }) {
  const chosen = useHits((s) => s.chosen === hit.id);
  const size = useEditor((s) => s.document.stage.size);
  const turn = usePlayback((s) => s.turn);
  const at = new Vector3(...(hit.position as [number, number, number])).multiplyScalar(size);
  const seen = at.clone().applyMatrix4(view.matrix);
  const [x, y] = [((seen.x + 1) / 2) * diameter, ((1 - seen.y) / 2) * diameter];
  const drag = (e: React.PointerEvent<SVGCircleElement>) => {
    e.stopPropagation();
    e.currentTarget.focus();
    useHits.setState({ chosen: hit.id });
    const box = e.currentTarget.ownerSVGElement!.getBoundingClientRect();
    let last = Promise.resolve();
    let busy = false;
    follow(
      e,
      (m) => {
        if (busy) return;
        busy = true;
        last = pick((m.clientX - box.left) / box.width, (m.clientY - box.top) / box.height)
          .then((position) => {
            if (position) moveHit(hit.id, { position });
          })
          .catch(() => undefined)
          .finally(() => {
            busy = false;
          });
      },
      () => last,
    );
  };
  const keys = (e: React.KeyboardEvent) => {
    const by = { ArrowLeft: [-1, 0], ArrowRight: [1, 0], ArrowUp: [0, 1], ArrowDown: [0, -1] }[e.key];
    const { camera_right: right, camera_up: up } = view.camera;
    if (e.key === "Delete" || e.key === "Backspace") removeHit(hit.id);
    else if (by) {
      const p = at
        .clone()
        .addScaledVector(right, by[0] * 0.04)
        .addScaledVector(up, by[1] * 0.04);
      const position = p.divideScalar(size).toArray().map(tidy);
      moveHit(hit.id, { position: position.map((c) => within("hits/0/position", c)) });
    } else return;
    e.preventDefault();
    e.stopPropagation();
  };
  return (
    <circle
      cx={x}
      cy={y}
      r="7"
      fill={chosen ? "#6fd6ba" : "#0d1618aa"}
      stroke="#e6ece9"
      strokeWidth="1.75"
      className="grip"
      role="button"
      tabIndex={0}
      data-hit={hit.id}
      aria-label={`Hit ${hit.id} at frame ${frameOf(hit.phase, turn)}; arrows move it, Delete takes it away`}
      onPointerDown={drag}
      onKeyDown={keys}
    />
  );
}

/** Hits in words and numbers: place one, scatter some, repeat or remove the chosen one. */
export function HitsPanel({ named }: { named?: boolean }) {
  const hits = useEditor((s) => s.document.hits ?? NONE);
  const { chosen, placing, wrong } = useHits();
  const hit = hits.find((h) => h.id === chosen);
  const [every, setEvery] = useState(() => asked("every").default as number);
  const [count, setCount] = useState(() => asked("count").default as number);
  const button = (label: string, go: () => void, pressed?: boolean) => (
    <Button size="2xs" variant="outline" borderColor="line" color="fog" aria-pressed={pressed} onClick={go}>
      {label}
    </Button>
  );
  /** Hits as the core makes them. */
  const take = async (making: Promise<Schema["Scattered"]>) => {
    try {
      const { hits: made } = await making;
      edit((d) => {
        d.hits = made;
      });
      useHits.setState({ wrong: "" });
    } catch (e) {
      useHits.setState({ wrong: e instanceof Error ? e.message : String(e) });
    }
  };
  const scatter = () => {
    const { stage, turn } = useEditor.getState().document;
    const seed = Math.floor(Math.random() * 1000);
    void take(answered(client.POST("/api/scatter", { body: { stage, turn, count, seed } })));
  };
  const again = (id: string) => {
    const { hits: now, turn } = useEditor.getState().document;
    void take(answered(client.POST("/api/repeat", { body: { hits: now, id, every, turn } })));
  };
  const ask = (name: "count" | "every", value: number, put: (n: number) => void) => {
    const { soft, hard, words, unit } = asked(name);
    return (
      <Flex align="center" gap="1" title={words}>
        <NumberControl narrow whole label={words} value={value} soft={soft} hard={hard} onChange={put} />
        <Text color="mist">{unit}</Text>
      </Flex>
    );
  };
  return (
    <Flex direction="column" gap="1" data-testid="hits-panel">
      {named && <Text fontWeight="600">Hits</Text>}
      {hits.length === 0 && (
        <Text color="mist">Nothing strikes it yet. Beads for hits are among the places.</Text>
      )}
      <Flex gap="2" wrap="wrap">
        {hits.map((h) => (
          <button
            key={h.id}
            type="button"
            className="stage-word"
            aria-pressed={h.id === chosen}
            onClick={() => {
              useHits.setState({ chosen: h.id });
              scrub(h.phase);
            }}
          >
            {h.id} · {h.phase.toFixed(3)}
          </button>
        ))}
      </Flex>
      <Flex gap="2" wrap="wrap">
        {button(
          "place a hit here, now",
          () => {
            useHits.setState({ placing: !placing, wrong: "" });
            if (!placing) focusSoon(".place-hit");
          },
          placing,
        )}
        {button("scatter", scatter)}
        {ask("count", count, setCount)}
        {hit && button("again every", () => again(hit.id))}
        {hit && ask("every", every, setEvery)}
        {hit && button("remove it", () => removeHit(hit.id))}
      </Flex>
      {wrong && (
        <Text color="coral" role="alert">
          {wrong}
        </Text>
      )}
      {hit &&
        fieldsAt(`hits/${hit.id}`)
          .filter((f) => f.param)
          .map((f) => <FieldRow key={f.name} place={`hits/${hit.id}`} field={f} source={() => null} />)}
    </Flex>
  );
}

/** Ticks on the outer edge of the ring: dragged round to another phase. */
export function HitTicks({ half, radius }: { half: number; radius: number }) {
  const hits = useEditor((s) => s.document.hits);
  const chosen = useHits((s) => s.chosen);
  const turn = usePlayback((s) => s.turn);
  return (
    <>
      {hits?.map((h) => {
        const to = (phase: number) =>
          moveHit(h.id, { phase: Math.min(1, Math.max(0, Math.round(phase * turn.steps) / turn.steps)) });
        return (
          <line
            key={h.id}
            {...tick(half, radius - 4, radius + 9, h.phase)}
            stroke={h.id === chosen ? "#6fd6ba" : "#e6ece9"}
            strokeWidth="4"
            strokeLinecap="round"
            className="grip"
            role="slider"
            tabIndex={0}
            aria-label={`When hit ${h.id} strikes`}
            aria-valuemin={0}
            aria-valuemax={1}
            aria-valuenow={h.phase}
            aria-valuetext={`frame ${frameOf(h.phase, turn)}`}
            data-testid={`tick-${h.id}`}
            onPointerDown={(e) => {
              e.stopPropagation();
              useHits.setState({ chosen: h.id });
              const svg = e.currentTarget.ownerSVGElement!;
              follow(e, (m) => to(polar(svg, m.clientX, m.clientY).phase));
            }}
            onKeyDown={(e) => {
              const by = { ArrowRight: 1, ArrowUp: 1, ArrowLeft: -1, ArrowDown: -1 }[e.key];
              if (e.key === "Delete" || e.key === "Backspace") removeHit(h.id);
              else if (by) to(turn.looping ? (h.phase + by / turn.steps + 1) % 1 : h.phase + by / turn.steps);
              else return;
              e.preventDefault();
              e.stopPropagation();
            }}
          />
        );
      })}
    </>
  );
}
