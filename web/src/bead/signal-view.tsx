import type { ReactNode } from "react";
import type { Bead } from "../api/client";
import { hold, letGo, useEditor } from "../document/editor";
import { Box } from "../plain";
import { hexOf } from "./colour";
import { useResponse, useSignal } from "./signal";

/** The span of values a view shows, and of results. */
export type Domain = { low: number; high: number; bottom: number; top: number };

type Props = {
  place: string;
  bead: Bead;
  /** Values that have to lie within the view. */
  include?: number[];
  /** Results that have to. */
  results?: number[];
  height?: number;
  /** Points of a curve, joined by straight lines while one is held. */
  points?: { at: number; value: number }[];
  /** Whether what the bead makes of each value is drawn over how often it comes. */
  answer?: boolean;
  children?: (domain: Domain) => ReactNode;
};

/** How often each value comes in, and what the bead makes of it: a curve, and a strip below. */
export function SignalView({
  place,
  bead,
  include = [],
  results = [],
  height = 68,
  answer = true,
  points,
  children,
}: Props) {
  const signal = useSignal(place);
  const low = Math.min(signal?.low ?? 0, ...include);
  const high = Math.max(signal?.high ?? 1, ...include);
  const values = useResponse(answer ? bead : null, low, high);
  const plain = values.every((v) => v.length === 1);
  const heights = plain ? values.map((v) => v[0]) : [];
  const domain = {
    low,
    high,
    bottom: Math.min(0, ...heights, ...results),
    top: Math.max(1, ...heights, ...results),
  };
  const y = (v: number) => height - 2 - ((v - domain.bottom) / (domain.top - domain.bottom)) * (height - 4);
  const held = useEditor((s) => s.held);
  const x = (v: number) => ((v - low) / (high - low)) * 1000;
  const straight = [...(points ?? [])]
    .sort((a, b) => a.at - b.at)
    .map((p, i) => `${i ? "L" : "M"}${x(p.at)} ${y(p.value)}`);
  const line = heights.map(
    (v, i) => `${i ? "L" : "M"}${(i / (heights.length - 1)) * 1000} ${y(v).toFixed(2)}`,
  );
  return (
    <Box mb="2" data-testid="signal">
      <Box position="relative" h={`${height}px`} bg="deep" rounded="md" overflow="visible">
        <svg
          width="100%"
          height={height}
          viewBox={`0 0 1000 ${height}`}
          preserveAspectRatio="none"
          style={{ display: "block" }}
          role="img"
        >
          <title>{words(signal)}</title>
          {signal && <path d={bars(signal, low, high, height)} fill="#2f4644" />}
          {held && points && (
            <path
              d={straight.join("")}
              fill="none"
              stroke="#c9d3d0"
              strokeDasharray="4 4"
              vectorEffect="non-scaling-stroke"
            />
          )}
          {answer && plain && line.length > 1 && !(held && points) && (
            <path
              d={line.join("")}
              fill="none"
              stroke="#6fd6ba"
              strokeWidth="1.6"
              vectorEffect="non-scaling-stroke"
            />
          )}
        </svg>
        {children?.(domain)}
      </Box>
      {answer && values.length > 1 && <Strip values={values} />}
      <Box display="flex" justifyContent="space-between" color="mist" fontSize="11px" fontFamily="mono">
        <span>{short(low)}</span>
        <span>{signal ? words(signal) : "looking at what comes in …"}</span>
        <span>{short(high)}</span>
      </Box>
    </Box>
  );
}

/** What comes out, along what comes in. */
function Strip({ values }: { values: number[][] }) {
  const colours = values.map((v) => (v.length === 1 ? grey(v[0]) : hexOf(v)));
  return (
    <Box
      h="10px"
      mt="1px"
      rounded="sm"
      data-testid="strip"
      bgImage={`linear-gradient(to right, ${colours.join(", ")})`}
    />
  );
}

type HandleProps = {
  label: string;
  /** Where it stands, in values; and in results, where it has a height of its own. */
  at: number;
  height?: number;
  domain: Domain;
  chosen?: boolean;
  look?: "line" | "side" | "point";
  onMove: (at: number, height: number) => void;
  onChoose?: () => void;
  onRemove?: () => void;
};

/** Something on the view that is dragged, or moved with the arrow keys; Delete takes a point away. */
export function Handle({
  label,
  at,
  height,
  domain,
  chosen,
  look = "line",
  onMove,
  onChoose,
  onRemove,
}: HandleProps) {
  const { low, high, bottom, top } = domain;
  const part = ((at - low) / (high - low)) * 100;
  const up = height === undefined ? undefined : ((height - bottom) / (top - bottom)) * 100;
  const drag = (e: React.PointerEvent<HTMLButtonElement>) => {
    e.stopPropagation();
    onChoose?.();
    const button = e.currentTarget;
    const box = button.parentElement!.getBoundingClientRect();
    button.setPointerCapture(e.pointerId);
    hold();
    const move = (m: PointerEvent) =>
      onMove(
        tidy(low + ((m.clientX - box.left) / box.width) * (high - low)),
        tidy(top - ((m.clientY - box.top) / box.height) * (top - bottom)),
      );
    const end = () => {
      button.removeEventListener("pointermove", move);
      letGo();
    };
    button.addEventListener("pointermove", move);
    button.addEventListener("pointerup", end, { once: true });
  };
  const press = (e: React.KeyboardEvent) => {
    const fine = e.shiftKey ? 0.1 : 1;
    const x = { ArrowLeft: -1, ArrowRight: 1 }[e.key] ?? 0;
    const y = { ArrowDown: -1, ArrowUp: 1 }[e.key] ?? 0;
    if (x || y)
      onMove(
        tidy(at + x * fine * 0.01 * (high - low)),
        tidy((height ?? 0) + y * fine * 0.02 * (top - bottom)),
      );
    else if ((e.key === "Delete" || e.key === "Backspace") && onRemove) onRemove();
    else return;
    e.preventDefault();
    e.stopPropagation();
  };
  return (
    <button
      type="button"
      role="slider"
      aria-label={label}
      aria-valuenow={at}
      aria-valuetext={height === undefined ? short(at) : `${short(at)}, ${short(height)}`}
      className="signal-handle"
      data-look={look}
      data-chosen={chosen}
      title={label}
      style={{ left: `${part}%`, bottom: up === undefined ? undefined : `${up}%` }}
      onClick={(e) => e.stopPropagation()}
      onPointerDown={drag}
      onFocus={onChoose}
      onKeyDown={press}
    />
  );
}

const tidy = (x: number) => Number(x.toPrecision(5));
export const short = (x: number) => Number(x.toPrecision(3)).toString();

function grey(v: number): string {
  const level = Math.round(Math.max(0, Math.min(1, v)) * 255);
  return `rgb(${level} ${level} ${level})`;
}

function words(signal: { least: number; most: number } | null): string {
  return signal ? `comes in: ${short(signal.least)} to ${short(signal.most)}` : "";
}

/** Bars by the root of their share, so that rare values are seen beside common ones. */
function bars(
  signal: { low: number; high: number; parts: number[] },
  low: number,
  high: number,
  height: number,
) {
  const most = Math.sqrt(Math.max(...signal.parts, 1e-9));
  const x = (v: number) => (((v - low) / (high - low)) * 1000).toFixed(2);
  const width = (signal.high - signal.low) / signal.parts.length;
  const steps = signal.parts.map((p, i) => {
    const y = (height - (Math.sqrt(p) / most) * (height - 8)).toFixed(2);
    return `L${x(signal.low + i * width)} ${y}L${x(signal.low + (i + 1) * width)} ${y}`;
  });
  return `M${x(signal.low)} ${height}${steps.join("")}L${x(signal.high)} ${height}Z`;
}
