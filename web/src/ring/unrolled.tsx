import { Button } from "@chakra-ui/react";
import { type ReactNode, useEffect, useMemo, useRef, useState } from "react";
import { fieldsOf, paramOf } from "../api/catalogue";
import { NumberControl } from "../bead/number";
import { useOverTurn } from "../bead/signal";
import { edit, useEditor } from "../document/editor";
import { type Grip, type Track, useWrong } from "../document/moving";
import { isMotion, paramAt, putAt, valueAt } from "../document/place";
import { SmallPicture } from "../painter/small-picture";
import { Box, Flex, Text } from "../plain";
import { frameOf, scrub, usePlayback } from "../playback/playback";
import type { Loop } from "../stage/drawing";
import { Grips } from "./grips";
import {
  act,
  addHere,
  copyMotion,
  lead,
  pasteMotion,
  type Scale,
  scaleOf,
  unroll,
  useCopied,
  useHand,
  useLead,
  useRows,
  useTracks,
} from "./hand";
import { Speed } from "./speed";
import { trackKeys } from "./track";

/** What stands in a panel, or the curve that is unrolled in its place. */
export function OrUnrolled({ loop, children }: { loop: Loop; children: ReactNode }) {
  const tracks = useTracks();
  const track = useLead(tracks);
  const unrolled = useHand((s) => s.unrolled);
  return unrolled && track ? <Unrolled loop={loop} track={track} tracks={tracks} /> : children;
}

const LEFT = 52;
const RIGHT = 14;
const TOP = 10;
const BOTTOM = 26;
const PICTURE = 44;

/** The curve of one motion over the turn, for precise work. */
function Unrolled({ loop, track, tracks }: { loop: Loop; track: Track; tracks: Track[] }) {
  const box = useRef<HTMLDivElement>(null);
  const [{ w, h }, setSize] = useState({ w: 640, h: 320 });
  const rows = useRows(track);
  const pull = useHand((s) => (s.pull?.place === track.place ? s.pull : null));
  const over = useHand((s) => s.over);
  const turn = usePlayback((s) => s.turn);
  const own = useMemo(() => {
    // Handles that lie beyond the curve are to be taken hold of too.
    const { low, high } = scaleOf(rows, track);
    const held = track.grips.map((g) => g.value);
    return { low: Math.min(low, ...held), high: Math.max(high, ...held) };
  }, [rows, track]);
  const scale = pull?.scale ?? own;
  useEffect(() => {
    const watch = new ResizeObserver(([e]) =>
      setSize({ w: e.contentRect.width, h: Math.max(150, e.contentRect.height) }),
    );
    watch.observe(box.current!);
    return () => watch.disconnect();
  }, []);
  const room = { w: w - LEFT - RIGHT, h: h - TOP - BOTTOM };
  const x = (phase: number) => LEFT + phase * room.w;
  const y = (value: number) =>
    TOP + room.h * (0.94 - 0.88 * ((value - scale.low) / (scale.high - scale.low)));
  const at = (svg: Element) => (px: number, py: number) => {
    const b = svg.getBoundingClientRect();
    const up = (0.94 - (py - b.top - TOP) / room.h) / 0.88;
    return { phase: (px - b.left - LEFT) / room.w, value: scale.low + up * (scale.high - scale.low) };
  };
  return (
    <Flex direction="column" h="100%" minH="22rem" data-testid="unrolled">
      <Flex align="baseline" gap="3" wrap="wrap">
        <Text fontWeight="600" fontSize="15px">
          {track.words}
        </Text>
        <Text color="mist">{track.short}</Text>
        <Button
          size="2xs"
          variant="outline"
          borderColor="line"
          color="fog"
          ml="auto"
          onClick={() => unroll(false)}
        >
          back to its numbers
        </Button>
      </Flex>
      <Speed track={track} />
      <Overlays track={track} tracks={tracks} />
      <Box ref={box} flex="1" minH="150px" position="relative">
        <svg width={w} height={h} className="unrolled" style={{ position: "absolute", inset: 0 }}>
          <title>{`${track.words} over the turn`}</title>
          <Grid x={x} y={y} scale={scale} w={w} h={h} />
          {over.map((place) => (
            <Other key={place} place={place} tracks={tracks} x={x} h={h} />
          ))}
          <Curve track={track} rows={rows} x={x} y={y} at={at} />
          <HandLine x={x} h={h} />
          <Grips
            track={track}
            scale={scale}
            drawn={{ to: (phase, value) => ({ x: x(phase), y: y(value) }), from: at, middle: x(0.8) }}
            where=", unrolled"
          />
        </svg>
      </Box>
      <Made place={track.place} />
      <Strip loop={loop} w={room.w} turn={turn} />
      <Chosen track={track} />
    </Flex>
  );
}

type To = (n: number) => number;

/** Frames as small lines, eighths of the turn and round values as long ones. */
function Grid({ x, y, scale, w, h }: { x: To; y: To; scale: Scale; w: number; h: number }) {
  const turn = usePlayback((s) => s.turn);
  const bottom = h - BOTTOM;
  const every = Math.max(1, Math.ceil((turn.frames * 5) / (w - LEFT - RIGHT)));
  const values = useMemo(() => rounded(scale), [scale]);
  return (
    <g>
      <rect x={x(0)} y={TOP} width={x(1) - x(0)} height={bottom - TOP} fill="#091012" stroke="#22312f" />
      {Array.from({ length: Math.floor(turn.steps / every) + 1 }, (_, i) => (
        <line
          key={i}
          x1={x((i * every) / turn.steps)}
          x2={x((i * every) / turn.steps)}
          y1={bottom - 5}
          y2={bottom}
          stroke="#2a3a3c"
        />
      ))}
      {[0.25, 0.5, 0.75].map((p) => (
        <line key={p} x1={x(p)} x2={x(p)} y1={TOP} y2={bottom} stroke="#1d2b2c" />
      ))}
      {[0, 0.25, 0.5, 0.75, 1].map((p) => (
        <text key={p} x={x(p)} y={bottom + 15} className="axis" textAnchor="middle">
          {p}
        </text>
      ))}
      {values.map((v) => (
        <g key={v}>
          <line x1={x(0)} x2={x(1)} y1={y(v)} y2={y(v)} stroke="#16211f" />
          <text x={LEFT - 8} y={y(v) + 4} className="axis" textAnchor="end">
            {Number(v.toPrecision(6))}
          </text>
        </g>
      ))}
      {turn.looping && (
        <>
          <line x1={x(0)} x2={x(0)} y1={TOP} y2={bottom} stroke="#6fd6ba" strokeWidth="2" />
          <line x1={x(1)} x2={x(1)} y1={TOP} y2={bottom} stroke="#6fd6ba" strokeWidth="2" />
        </>
      )}
    </g>
  );
}

/** Some four round values within a range. */
function rounded({ low, high }: Scale): number[] {
  const rough = (high - low) / 4;
  const power = 10 ** Math.floor(Math.log10(rough));
  const each = [1, 2, 5, 10].map((m) => m * power).find((s) => s >= rough) ?? rough;
  const first = Math.ceil(low / each - 1e-9) * each;
  return Array.from({ length: Math.floor((high - first) / each + 1e-9) + 1 }, (_, i) => first + i * each);
}

const path = (values: number[], steps: number, x: To, y: To) =>
  values.map((v, i) => `${i ? "L" : "M"}${x(i / steps).toFixed(1)} ${y(v).toFixed(1)}`).join("");

type CurveProps = {
  track: Track;
  rows: number[][];
  x: To;
  y: To;
  at: (svg: Element) => (px: number, py: number) => { phase: number; value: number };
};

function Curve({ track, rows, x, y, at }: CurveProps) {
  const turn = usePlayback((s) => s.turn);
  const line = useMemo(() => {
    const values = rows.map((r) => r[track.axis]);
    // Where it comes round the curve ends where it began.
    if (turn.looping && track.rounds === null && values.length) values.push(values[0]);
    return path(values, turn.steps, x, y);
  }, [rows, track, turn, x, y]);
  return (
    <>
      <path d={line} fill="none" stroke={track.closed ? "#6fd6ba" : "#ff8672"} strokeWidth="2.25" />
      <path
        d={line}
        fill="none"
        stroke="transparent"
        strokeWidth="14"
        className="track-hit"
        role="button"
        tabIndex={0}
        aria-label={`The curve of ${track.words}; + adds a point at the hand`}
        onPointerDown={(e) => {
          const { phase } = at(e.currentTarget.closest("svg")!)(e.clientX, e.clientY);
          void act(track, { kind: "add", phase, snap: !e.altKey });
        }}
        onKeyDown={(e) => trackKeys(e, track)}
      />
    </>
  );
}

/** Another curve laid over, from its own least to its own greatest. */
function Other({ place, tracks, x, h }: { place: string; tracks: Track[]; x: To; h: number }) {
  const track = tracks.find((t) => t.place === place);
  const rows = useRows(track);
  const steps = usePlayback((s) => s.turn.steps);
  if (!track || !rows.length) return null;
  const { low, high } = scaleOf(rows, track);
  const y = (v: number) => TOP + (h - TOP - BOTTOM) * (0.94 - 0.88 * ((v - low) / (high - low)));
  const values = rows.map((r) => r[track.axis]);
  return <path d={path(values, steps, x, y)} fill="none" stroke="#5f716d" strokeWidth="1.5" />;
}

function HandLine({ x, h }: { x: To; h: number }) {
  const phase = usePlayback((s) => s.phase);
  return <line x1={x(phase)} x2={x(phase)} y1={TOP} y2={h - BOTTOM} stroke="#e6ece9" opacity="0.7" />;
}

/** The other curves of what is looked at, to be laid over. */
function Overlays({ track, tracks }: { track: Track; tracks: Track[] }) {
  const over = useHand((s) => s.over);
  const others = tracks.filter((t) => t !== track);
  if (!others.length) return null;
  const toggle = (place: string) =>
    useHand.setState({ over: over.includes(place) ? over.filter((p) => p !== place) : [...over, place] });
  return (
    <Flex gap="3" wrap="wrap" color="mist" fontSize="11.5px" align="center" minH="6">
      {others.map((t) => (
        <Flex key={t.place} align="center" gap="1">
          <label className="check">
            <input type="checkbox" checked={over.includes(t.place)} onChange={() => toggle(t.place)} /> also{" "}
            {t.words}
          </label>
          <button
            type="button"
            className="link"
            onClick={() => lead(t.place)}
            aria-label={`Work on ${t.words}`}
          >
            work on it
          </button>
        </Flex>
      ))}
    </Flex>
  );
}

/** What the bead makes over the turn: each column a moment, brighter where more of the shape has that value. */
function Made({ place }: { place: string }) {
  const canvas = useRef<HTMLCanvasElement>(null);
  const made = useOverTurn(place);
  useEffect(() => {
    const c = canvas.current?.getContext("2d");
    if (!made || !c) return;
    const high = made.moments[0].length;
    const picture = c.createImageData(made.moments.length, high);
    made.moments.forEach((parts, x) => {
      parts.forEach((part, i) => {
        const at = 4 * ((high - 1 - i) * made.moments.length + x);
        // Small parts are seen too.
        picture.data.set([111, 214, 186, 255 * Math.min(1, Math.sqrt(2 * part))], at);
      });
    });
    c.putImageData(picture, 0, 0);
  }, [made]);
  if (!made) return null;
  const end = (n: number) => Number(n.toPrecision(2));
  return (
    <Box position="relative" ml={`${LEFT}px`} mr={`${RIGHT}px`} mb="2" h="48px" bg="deep" data-testid="made">
      <canvas
        ref={canvas}
        width={made.moments.length}
        height={made.moments[0].length}
        role="img"
        aria-label={`What the bead makes over the turn, from ${end(made.low)} to ${end(made.high)}`}
        style={{ width: "100%", height: "100%", display: "block" }}
      />
      <Text position="absolute" right="100%" top="-2px" mr="2" fontFamily="mono" fontSize="11px" color="mist">
        {end(made.high)}
      </Text>
      <Text position="absolute" right="100%" top="16px" mr="2" fontSize="11px" color="mist">
        makes
      </Text>
      <Text
        position="absolute"
        right="100%"
        bottom="-2px"
        mr="2"
        fontFamily="mono"
        fontSize="11px"
        color="mist"
      >
        {end(made.low)}
      </Text>
    </Box>
  );
}

/** The effect over the turn, under the curve. */
function Strip({ loop, w, turn }: { loop: Loop; w: number; turn: { frames: number; steps: number } }) {
  const count = Math.max(2, Math.floor(w / (PICTURE + 6)));
  const now = usePlayback((s) => frameOf(s.phase, s.turn));
  const frames = Array.from({ length: count }, (_, i) =>
    Math.min(turn.frames - 1, Math.round(((i + 0.5) / count) * turn.steps)),
  );
  const nearest = frames.reduce((a, b) => (Math.abs(b - now) < Math.abs(a - now) ? b : a), 0);
  return (
    <Flex pl={`${LEFT}px`} pr={`${RIGHT}px`} justify="space-around" data-testid="unrolled-strip">
      {frames.map((frame, i) => (
        <button
          key={i}
          type="button"
          className="phase"
          aria-label={`to frame ${frame}`}
          aria-pressed={frame === nearest}
          onClick={() => scrub(frame / turn.steps)}
        >
          <SmallPicture source={loop.source} place={null} frame={frame} size={PICTURE} />
        </button>
      ))}
    </Flex>
  );
}

/** The numbers of what is chosen, and what can be done with the whole. */
function Chosen({ track }: { track: Track }) {
  const name = useHand((s) => (s.lead === track.place || s.lead === null ? s.chosen[0] : undefined));
  const copied = useCopied((s) => s.motion);
  const wrong = useWrong((s) => (s.place === track.place ? s.words : ""));
  const phase = () => usePlayback.getState().phase;
  const grip = track.grips.find((g) => g.name === name) ?? track.grips[0];
  const button = (label: string, go: () => void, off = false) => (
    <Button size="2xs" variant="outline" borderColor="line" color="fog" disabled={off} onClick={go}>
      {label}
    </Button>
  );
  return (
    <Flex wrap="wrap" align="center" gap="2" pt="2" minH="9">
      {grip && <GripNumbers track={track} grip={grip} />}
      {button("add at the hand", () => addHere(track))}
      {button("remove", () => void act(track, { kind: "remove", names: [grip.name] }), !grip?.taken)}
      {button("begin here", () => void act(track, { kind: "shift", phase: -phase() }))}
      {button("reverse", () => void act(track, { kind: "reverse" }))}
      {button("copy", () => copyMotion(track))}
      {button("paste", () => void pasteMotion(track), !copied)}
      {wrong && (
        <Text color="coral" role="alert" w="100%">
          {wrong}
        </Text>
      )}
    </Flex>
  );
}

function GripNumbers({ track, grip }: { track: Track; grip: Grip }) {
  const motion = useEditor((s) => valueAt(s.document, track.place));
  const param = paramAt(useEditor.getState().document, track.place);
  if (!param) return null;
  const move = (phase: number, value: number) =>
    void act(track, { kind: "pull", names: [grip.name], phase, value, snap: false });
  const index = Number(grip.name.split(" ")[1]);
  const key =
    isMotion(motion) && "keys" in motion && grip.name.startsWith("key ") ? motion.keys[index] : null;
  const ease = fieldsOf("Key").find((f) => f.name === "ease");
  return (
    <>
      <Text color="mist">{grip.words}</Text>
      <NumberControl
        narrow
        label={`${grip.words} phase`}
        value={Number(grip.phase.toFixed(4))}
        soft={paramOf("Key", "phase").soft}
        hard={paramOf("Key", "phase").hard}
        onChange={(p) => move(p - grip.phase, 0)}
      />
      <NumberControl
        narrow
        label={`${grip.words} value`}
        value={Number(grip.value.toPrecision(6))}
        soft={param.soft}
        hard={param.hard}
        onChange={(v) => move(0, v - grip.value)}
      />
      {key && (
        <select
          className="plain-select"
          aria-label="How it goes on to the next key"
          value={key.ease}
          onChange={(e) =>
            edit((d) => {
              if (!isMotion(motion) || !("keys" in motion)) return;
              const keys = motion.keys.map((k, i) => (i === index ? { ...k, ease: e.target.value } : k));
              putAt(d, track.place, { ...motion, keys });
            })
          }
        >
          {ease?.options.map((o) => (
            <option key={o.value} value={o.value} title={o.words}>
              {o.value}
            </option>
          ))}
        </select>
      )}
    </>
  );
}
