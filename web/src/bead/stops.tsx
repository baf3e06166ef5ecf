import { Button } from "@chakra-ui/react";
import { useState } from "react";
import { paramOf } from "../api/catalogue";
import type { Bead } from "../api/client";
import { hold, letGo, showTab, useEditor } from "../document/editor";
import type { Stop } from "../document/place";
import { LEVER, LeverOptions, publish } from "../front/levered";
import { Box, Flex, Text } from "../plain";
import { hexOf } from "./colour";
import { ColourControl } from "./colour-control";
import { NumberControl } from "./number";
import { useSignal } from "./signal";
import { SignalView } from "./signal-view";

type Props = {
  stops: Stop[];
  interpolation: string;
  place: string;
  /** What the list is called among the bead's numbers. */
  param: string;
  bead: Bead;
  onChange: (stops: Stop[]) => void;
};

/** A ramp over the signal that comes in: drag a stop, press the strip to add one, Delete takes one away. */
export function StopsControl({ stops: own, interpolation, place, param, bead, onChange }: Props) {
  const signal = useSignal(place);
  const [chosen, setChosen] = useState(0);
  const [wrong, setWrong] = useState("");
  const levers = useEditor((s) => s.document.levers);
  const leverOf = (stop: Stop) => levers.find((x) => x.id === stop.lever);
  // As they are seen: what a lever colours has that one's colour.
  const stops = own.map((s) => {
    const lever = leverOf(s);
    const colour = Array.isArray(lever?.colour) ? lever.colour : lever?.rest_colour;
    return colour ? { ...s, colour: colour as number[] } : s;
  });
  const at = Math.min(chosen, stops.length - 1);
  const places = stops.map((s) => s.at);
  const low = Math.min(signal?.low ?? 0, ...places);
  const high = Math.max(signal?.high ?? 1, ...places);
  const part = (x: number) => ((x - low) / (high - low)) * 100;
  const sorted = [...stops].sort((a, b) => a.at - b.at);
  const change = (i: number, by: Partial<Stop>) =>
    onChange(stops.map((s, k) => (k === i ? { ...s, ...by } : s)));
  const remove = (i: number) => {
    if (stops.length > 1) onChange(stops.filter((_, k) => k !== i));
  };
  const choose = (next: string) => {
    setWrong("");
    if (!next) return change(at, { lever: null });
    // What stands as it begins is not in the document yet.
    onChange(stops);
    publish(`${place}/${param}/${at}/lever`, next.slice(LEVER.length) || null).catch((e) =>
      setWrong(e.message),
    );
  };
  const add = (e: React.MouseEvent<HTMLElement>) => {
    if (stops.length >= 8) return;
    const box = e.currentTarget.getBoundingClientRect();
    const x = low + ((e.clientX - box.left) / box.width) * (high - low);
    const before = [...sorted].reverse().find((s) => s.at <= x) ?? sorted[0];
    const after = sorted.find((s) => s.at > x) ?? before;
    const t = after.at > before.at ? (x - before.at) / (after.at - before.at) : 0;
    const colour = before.colour.map((c, k) => Number((c + (after.colour[k] - c) * t).toPrecision(4)));
    onChange([...stops, { at: Number(x.toFixed(3)), colour }]);
    setChosen(stops.length);
  };
  const drag = (i: number) => (e: React.PointerEvent<HTMLButtonElement>) => {
    e.stopPropagation();
    setChosen(i);
    const button = e.currentTarget;
    const strip = button.parentElement!;
    button.setPointerCapture(e.pointerId);
    hold();
    const move = (m: PointerEvent) => {
      const box = strip.getBoundingClientRect();
      const x = Math.max(0, Math.min(1, (m.clientX - box.left) / box.width));
      change(i, { at: Number((low + x * (high - low)).toFixed(3)) });
    };
    const end = () => {
      button.removeEventListener("pointermove", move);
      letGo();
    };
    button.addEventListener("pointermove", move);
    button.addEventListener("pointerup", end, { once: true });
  };
  return (
    <Box data-testid="stops">
      <SignalView place={place} bead={bead} include={places} height={40} answer={false} />
      <Box
        position="relative"
        h="9"
        rounded="md"
        cursor="copy"
        bgImage={`linear-gradient(to right, ${gradient(sorted, part, interpolation)})`}
        onClick={add}
        title="Press to add a colour here"
      >
        {stops.map((s, i) => (
          <button
            key={i}
            type="button"
            className="stop"
            aria-label={`Stop at ${s.at}`}
            aria-pressed={i === at}
            style={{ left: `calc(${part(s.at)}% - 9px)`, background: hexOf(s.colour) }}
            onClick={(e) => e.stopPropagation()}
            onPointerDown={drag(i)}
            onFocus={() => setChosen(i)}
            onKeyDown={(e) => {
              const by = { ArrowLeft: -0.01, ArrowRight: 0.01 }[e.key];
              if (by) change(i, { at: Number((s.at + by).toFixed(3)) });
              else if (e.key === "Delete" || e.key === "Backspace") remove(i);
              else return;
              e.preventDefault();
              e.stopPropagation();
            }}
          />
        ))}
      </Box>
      <Flex align="center" gap="4" mt="5">
        <Text color="mist" flexShrink={0}>
          stop {at + 1} of {stops.length}
        </Text>
        {stops[at].lever ? (
          <button type="button" className="link" onClick={() => showTab("front")} title="To the front">
            {leverOf(stops[at])?.name ?? "its lever is gone"}
          </button>
        ) : (
          <ColourControl
            value={stops[at].colour}
            label="Stop colour"
            onChange={(colour) => change(at, { colour })}
          />
        )}
        <NumberControl
          narrow
          label="Stop place"
          value={stops[at].at}
          soft={paramOf("Stop", "at").soft}
          hard={paramOf("Stop", "at").hard}
          onChange={(x) => change(at, { at: x })}
        />
      </Flex>
      <Flex gap="2" mt="2" wrap="wrap">
        <select
          className="plain-select small"
          aria-label="Where the stop's colour comes from"
          value={stops[at].lever ? LEVER + stops[at].lever : ""}
          onChange={(e) => choose(e.target.value)}
        >
          <option value="">a colour of its own</option>
          <LeverOptions colour="alone" place={false} />
        </select>
        <Button
          size="xs"
          variant="outline"
          onClick={() => onChange(stops.map((s) => ({ ...s, at: Number((low + high - s.at).toFixed(4)) })))}
        >
          flip
        </Button>
        <Button
          size="xs"
          variant="outline"
          onClick={() =>
            onChange(
              sorted.map((s, i) => ({
                ...s,
                at: Number((low + ((high - low) * i) / Math.max(1, sorted.length - 1)).toFixed(4)),
              })),
            )
          }
        >
          spread evenly
        </Button>
        <Button size="xs" variant="outline" disabled={stops.length < 2} onClick={() => remove(at)}>
          remove stop
        </Button>
      </Flex>
      {wrong && (
        <Text color="coral" role="alert">
          {wrong}
        </Text>
      )}
    </Box>
  );
}

function gradient(sorted: Stop[], part: (x: number) => number, interpolation: string): string {
  const out: string[] = [];
  sorted.forEach((s, i) => {
    out.push(`${hexOf(s.colour)} ${part(s.at)}%`);
    const next = sorted[i + 1];
    if (interpolation === "constant" && next) out.push(`${hexOf(s.colour)} ${part(next.at)}%`);
  });
  return out.length === 1 ? `${out[0]}, ${out[0]}` : out.join(", ");
}
