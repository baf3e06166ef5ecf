import { Button } from "@chakra-ui/react";
import { Play, Square, X } from "lucide-react";
import { useEffect, useState } from "react";
import { useShallow } from "zustand/react/shallow";
import { asked, fieldsOf, paramOf } from "../api/catalogue";
import type { Effect } from "../api/client";
import { NumberControl } from "../bead/number";
import { freshId } from "../document/edit";
import { edit, showTab, useEditor } from "../document/editor";
import { Pick } from "../pick";
import { Box, Flex, Text } from "../plain";
import { follow, type Known, letGo, listen, playNight, record, useSignals, watch } from "./live";

type Tie = Effect["ties"][number];
const round = (x: number) => Number(x.toPrecision(4));

/** What comes from outside, what it moves, and what becomes of it. */
export function SignalsPanel() {
  useEffect(watch, []);
  const wrong = useSignals((s) => s.wrong);
  return (
    <Box data-testid="signals">
      <Port />
      <Keep />
      {wrong && (
        <Text color="coral" role="alert" mb="2">
          {wrong}
        </Text>
      )}
      <Arriving />
      <Ties />
      <Addresses />
    </Box>
  );
}

/** Whether signals are taken and where, and the stand-in that sends some. */
function Port() {
  const port = useSignals((s) => s.port);
  const [seed, setSeed] = useState(asked("night").default as number);
  const [speed, setSpeed] = useState(asked("pace").default as number);
  const on = port?.listening ?? false;
  const plays = port?.night.playing ?? false;
  const number = (name: "night" | "pace", value: number, change: (x: number) => void) => {
    const { label, soft, hard, whole } = asked(name);
    return (
      <Flex align="center" gap="1">
        <Text color="mist">{name === "pace" ? "speed ×" : label}</Text>
        <NumberControl
          narrow
          label={name === "pace" ? "How fast the night passes" : "Which night"}
          value={value}
          soft={soft}
          hard={hard}
          whole={whole}
          onChange={change}
        />
      </Flex>
    );
  };
  return (
    <>
      <Flex align="center" gap="3" minH="9" wrap="wrap">
        <Button
          size="xs"
          rounded="full"
          variant={on ? "outline" : "solid"}
          {...(on ? { borderColor: "line" } : { bg: "glass", color: "ink" })}
          onClick={() => void listen(!on)}
        >
          {on ? "stop taking signals" : "take signals"}
        </Button>
        <Text flex="1" color={on ? "fog" : "mist"} data-testid="port">
          {on
            ? `OSC over UDP at ${port!.host}:${port!.port}`
            : "Nothing from outside reaches the effect until you ask for it."}
        </Text>
        {port && port.count + port.dropped > 0 && (
          <Text color="mist" fontVariantNumeric="tabular-nums" data-testid="counts">
            {port.count.toLocaleString()} came
            {port.dropped > 0 && `, ${port.dropped.toLocaleString()} dropped`}
          </Text>
        )}
      </Flex>
      <Flex align="center" gap="3" minH="9" wrap="wrap">
        <Button
          size="xs"
          variant="outline"
          borderColor="line"
          rounded="full"
          onClick={() => void playNight({ playing: !plays, seed, speed })}
        >
          {plays ? <Square size={12} /> : <Play size={12} />}
          {plays ? "end the ferry's night" : "play the ferry's night"}
        </Button>
        <Text color="mist" flex="1" minW="12rem">
          Tide, gusts, spray, a lamp and a gate, made up, to the same port.
        </Text>
        {!plays && number("night", seed, setSeed)}
        {!plays && number("pace", speed, setSpeed)}
      </Flex>
    </>
  );
}

/** Whether the effect follows, and a turn of it kept as keys. */
function Keep() {
  const { follows, recording, kept, listening, has } = useSignals(
    useShallow((s) => ({
      follows: s.follows,
      recording: s.recording,
      kept: s.kept,
      listening: s.port?.listening ?? false,
      has: Object.keys(s.levers).length > 0,
    })),
  );
  const seconds = useEditor((s) => s.document.turn.seconds);
  const [tolerance, setTolerance] = useState(asked("tolerance").default as number);
  const { soft, hard, unit, label } = asked("tolerance");
  return (
    <Box borderTop="1px solid" borderColor="line" mt="1" pt="1" mb="2">
      <Flex align="center" gap="3" minH="9" wrap="wrap">
        <label className="check">
          <input type="checkbox" checked={follows} onChange={(e) => follow(e.target.checked)} /> this effect
          follows
        </label>
        {has && (
          <Button size="2xs" variant="ghost" color="mist" onClick={letGo}>
            let the levers go
          </Button>
        )}
        <Box flex="1" />
        <Text color="mist">{label}</Text>
        <NumberControl
          narrow
          label="How far keys may be off, in % of a slider"
          value={tolerance}
          soft={soft}
          hard={hard}
          onChange={setTolerance}
        />
        <Text color="mist">{unit}</Text>
        <Button
          size="xs"
          variant="outline"
          borderColor="line"
          rounded="full"
          disabled={!listening || recording !== null}
          onClick={() => record(tolerance)}
        >
          <span className="record-dot" aria-hidden /> keep one turn
        </Button>
      </Flex>
      {recording !== null && <Going from={recording} seconds={seconds} />}
      {kept && (
        <Text color="glass" role="status" data-testid="kept">
          Kept: {kept}. Signals are set aside so that you see it.
        </Text>
      )}
    </Box>
  );
}

function Going({ from, seconds }: { from: number; seconds: number }) {
  const [part, setPart] = useState(0);
  useEffect(() => {
    const timer = window.setInterval(
      () => setPart(Math.min(1, (performance.now() - from) / 1000 / seconds)),
      60,
    );
    return () => window.clearInterval(timer);
  }, [from, seconds]);
  return (
    <div
      className="going"
      role="progressbar"
      aria-label="Keeping one turn"
      aria-valuenow={Math.round(part * 100)}
      aria-valuemin={0}
      aria-valuemax={100}
    >
      <div style={{ width: `${part * 100}%` }} />
    </div>
  );
}

/** Every address that something came to lately. */
function Arriving() {
  const known = useSignals((s) => s.known);
  if (!known.length)
    return (
      <Text color="mist" my="3">
        Nothing has come yet.
      </Text>
    );
  return (
    <table className="arriving" data-testid="arriving">
      <caption className="unseen">What arrives</caption>
      <thead>
        <tr>
          <th scope="col">address</th>
          <th scope="col">last ten seconds</th>
          <th scope="col">newest</th>
          <th scope="col">a second</th>
          <th scope="col">moves</th>
        </tr>
      </thead>
      <tbody>
        {known.map((k) => (
          <tr key={k.address} data-address={k.address} className={k.silent > 2 ? "silent" : undefined}>
            <th scope="row">{k.address}</th>
            <td>
              <Trace known={k} />
            </td>
            <td className="newest">
              {k.arguments.map((x) => (typeof x === "number" ? round(x) : x)).join(" ")}
            </td>
            <td className="newest">
              {k.silent > 2 ? `silent ${Math.round(k.silent)} s` : Math.round(k.rate)}
            </td>
            <td>
              <Moves known={k} />
            </td>
          </tr>
        ))}
      </tbody>
    </table>
  );
}

const WIDE = 120;
const HIGH = 24;
const SECONDS = 10;

function Trace({ known }: { known: Known }) {
  const values = known.trace.map(([, v]) => v);
  const low = Math.min(...values);
  const span = Math.max(...values) - low || 1;
  const flat = Math.max(...values) === low;
  const points = known.trace
    .map(([age, v]) => {
      const y = flat ? HIGH / 2 : HIGH - 2 - ((v - low) / span) * (HIGH - 4);
      return `${(WIDE - (age / SECONDS) * WIDE).toFixed(1)},${y.toFixed(1)}`;
    })
    .join(" ");
  return (
    <svg
      width={WIDE}
      height={HIGH}
      className="trace"
      role="img"
      aria-label={values.length ? `from ${round(low)} to ${round(low + (flat ? 0 : span))}` : "silent"}
    >
      <polyline points={points} />
    </svg>
  );
}

const ADDRESS = /[*?[\]{},#]/;

/** What an address moves; where that is nothing, a lever can be tied to it. */
function Moves({ known }: { known: Known }) {
  const levers = useEditor((s) => s.document.levers);
  const named = known.moves.map((m) => levers.find((x) => x.id === m)?.name ?? m);
  const words = named.join(", ");
  if (words) return <Text>{words === "hit" ? "strikes" : words}</Text>;
  if (!levers.length || ADDRESS.test(known.address)) return <Text color="mist">nothing here</Text>;
  return (
    <select
      className="plain-select small"
      aria-label={`Tie ${known.address} to a lever`}
      value=""
      onChange={(e) => e.target.value && tie(known, e.target.value)}
    >
      <option value="">tie it to …</option>
      {levers.map((x) => (
        <option key={x.id} value={x.id}>
          {x.name}
        </option>
      ))}
    </select>
  );
}

/** Ties a lever to an address, over what has come there. */
function tie(known: Known, lever: string) {
  edit((d) => {
    const base = known.address.split("/").at(-1)!;
    const id = freshId(
      base,
      d.ties.map((t) => t.id),
    );
    const rest = Object.fromEntries(fieldsOf("Tie").map((f) => [f.name, f.fresh]));
    d.ties.push({
      ...(rest as unknown as Tie),
      id,
      address: known.address,
      lever,
      low: known.span[0],
      high: known.span[1],
    });
  });
}

/** Which signals move which levers, and how. */
function Ties() {
  const ties = useEditor((s) => s.document.ties);
  const levers = useEditor((s) => s.document.levers);
  if (!ties.length) return null;
  const change = (id: string, to: Partial<Tie>) =>
    edit((d) => {
      const own = d.ties.find((t) => t.id === id);
      if (own) Object.assign(own, to);
    });
  const silence = fieldsOf("Tie").find((f) => f.name === "silence")!;
  return (
    <Box mt="4" data-testid="ties">
      <h3 className="panel-head">Tied</h3>
      {ties.map((t) => {
        const name = levers.find((x) => x.id === t.lever)?.name ?? t.lever;
        const number = (field: "low" | "high" | "smoothing" | "after", words: string, unit = "") => (
          <Flex align="center" gap="1">
            <Text color="mist">{words}</Text>
            <NumberControl
              narrow
              label={`${words} of ${name} tied to ${t.address}`}
              value={t[field]}
              soft={paramOf("Tie", field).soft}
              hard={paramOf("Tie", field).hard}
              onChange={(x) => change(t.id, { [field]: x })}
            />
            {unit && <Text color="mist">{unit}</Text>}
          </Flex>
        );
        return (
          <Box key={t.id} py="1.5" borderTop="1px solid" borderColor="line" data-tie={t.id}>
            <Flex align="center" gap="2" wrap="wrap" minH="7">
              <Text className="address">{t.address}</Text>
              <Text color="mist">moves</Text>
              <button type="button" className="link" onClick={() => showTab("front")}>
                {name}
              </button>
              <Box flex="1" />
              <Button
                size="2xs"
                variant="ghost"
                color="mist"
                aria-label={`Untie ${t.address} from ${name}`}
                title="Untie"
                onClick={() =>
                  edit((d) => {
                    d.ties = d.ties.filter((x) => x.id !== t.id);
                  })
                }
              >
                <X size={13} />
              </Button>
            </Flex>
            <Flex align="center" columnGap="3" rowGap="0" wrap="wrap" minH="7">
              {number("low", "low at")}
              {number("high", "high at")}
              {number("smoothing", "smoothed", "s")}
              <Flex align="center" gap="1">
                <Text color="mist">in silence it</Text>
                <Pick
                  label={`What ${name} does in silence`}
                  value={t.silence}
                  options={silence.options.map((o) => o.value)}
                  onChange={(v) => change(t.id, { silence: v as Tie["silence"] })}
                />
              </Flex>
              {t.silence === "goes back" && number("after", "after", "s")}
            </Flex>
          </Box>
        );
      })}
    </Box>
  );
}

/** What to send to, for whoever sends. */
function Addresses() {
  const levers = useEditor((s) => s.document.levers);
  const variants = useEditor((s) => s.document.variants.length);
  const name = useSignals((s) => s.name);
  if (!name) return null;
  const base = `/whorl/${name}`;
  const row = (address: string, what: string) => (
    <Flex key={address} gap="3" minH="6" align="center">
      <Text className="address" minW="20rem">
        {address}
      </Text>
      <Text color="mist">{what}</Text>
    </Flex>
  );
  return (
    <details className="front-group" style={{ marginTop: 16 }}>
      <summary>Addresses of this effect</summary>
      {levers.map((x) =>
        row(
          `${base}/lever/${x.id}`,
          x.kind === "colour"
            ? "three numbers, linear"
            : x.kind === "switch"
              ? "0 or 1"
              : `${round(x.least)} to ${round(x.most)} ${x.unit}`,
        ),
      )}
      {row(`${base}/hit`, "x y z, and how hard")}
      {row(`${base}/phase`, "0 to 1: where in the turn it is")}
      {variants > 0 && row(`${base}/variant`, "its name, and in how many seconds")}
    </details>
  );
}
