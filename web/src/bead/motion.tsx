import { Box, Button, Flex, Text } from "@chakra-ui/react";
import type { Finding, ParamInfo, Value } from "../api/client";
import { round } from "../document/edit";
import { edit } from "../document/editor";
import { type Motion, putAt } from "../document/place";
import { usePlayback } from "../playback/playback";
import { NumberControl } from "./number";

type Props = {
  motion: Motion;
  param: ParamInfo;
  place: string;
  /** Little room: numbers without sliders. */
  tight?: boolean;
  onChange: (motion: Motion) => void;
};

const parts = (value: unknown, size: number, rest: number): number[] => {
  const given = value === null || value === undefined ? [] : ([value].flat() as number[]);
  return Array.from({ length: size }, (_, i) => given[i] ?? rest);
};
const packed = (numbers: number[]) => (numbers.length === 1 ? numbers[0] : numbers);

/** The numbers of a motion. */
export function MotionControl({ motion, param, tight, onChange }: Props) {
  const defaults = [param.default].flat() as number[];
  const size = defaults.length;
  const reach = param.soft[1] - param.soft[0];
  const row = (
    label: string,
    unit: string,
    numbers: number[],
    soft: number[],
    put: (n: number[]) => void,
  ) => (
    <Flex align="center" gap="3" key={label} minH="7">
      <Text color="mist" w="4.6rem" flexShrink={0}>
        {label}
      </Text>
      {numbers.map((n, i) => (
        <NumberControl
          key={param.axes[i] ?? "one"}
          narrow={tight || numbers.length > 1}
          label={`${param.label} ${label}${param.axes[i] ? ` ${param.axes[i]}` : ""}`}
          value={n}
          soft={soft}
          hard={[-100000, 100000]}
          onChange={(x) => put(numbers.map((old, k) => (k === i ? x : old)))}
        />
      ))}
      <Text color="mist" fontSize="11.5px" w="6rem" flexShrink={0}>
        {unit}
      </Text>
    </Flex>
  );
  const base = motion.motion === "keys" ? [] : defaults.map((d, i) => parts(motion.base, size, d)[i] ?? d);
  if (motion.motion === "drift")
    return (
      <Box>
        {row(
          "drift",
          param.wraps ? "repeats a turn" : "a turn",
          parts(motion.cycles, size, 0),
          [-3, 3],
          (n) => onChange({ ...motion, cycles: packed(n) }),
        )}
        {row("from", param.unit, base, param.soft, (n) => onChange({ ...motion, base: packed(n) }))}
      </Box>
    );
  if (motion.motion === "sway")
    return (
      <Box>
        {row("sway ±", param.unit, parts(motion.amount, size, 0), [0, reach / 2], (n) =>
          onChange({ ...motion, amount: packed(n) }),
        )}
        {row("about", param.unit, base, param.soft, (n) => onChange({ ...motion, base: packed(n) }))}
        {row("cycles", "a turn", [motion.cycles], [1, 8], ([n]) => onChange({ ...motion, cycles: n }))}
        {row("start", "of a cycle", [motion.start], [0, 1], ([n]) => onChange({ ...motion, start: n }))}
      </Box>
    );
  return <KeysControl motion={motion} param={param} onChange={onChange} />;
}

type KeysMotion = Extract<Motion, { motion: "keys" }>;

function KeysControl({
  motion,
  param,
  onChange,
}: {
  motion: KeysMotion;
  param: ParamInfo;
  onChange: (m: Motion) => void;
}) {
  const defaults = [param.default].flat() as number[];
  const keys = [...motion.keys].sort((a, b) => a.phase - b.phase);
  const put = (next: KeysMotion["keys"]) => onChange({ ...motion, keys: next });
  const change = (i: number, by: Partial<KeysMotion["keys"][number]>) =>
    put(keys.map((k, n) => (n === i ? { ...k, ...by } : k)));
  const add = () => {
    const phase = Number(usePlayback.getState().phase.toFixed(3));
    const near = [...keys].reverse().find((k) => k.phase <= phase) ?? keys[0];
    if (!keys.some((k) => Math.abs(k.phase - phase) < 0.001)) put([...keys, { ...near, phase }]);
  };
  return (
    <Box>
      {keys.map((k, i) => (
        <Flex key={i} align="center" gap="3" minH="7">
          <NumberControl
            narrow
            label={`Key ${i + 1} phase`}
            value={k.phase}
            soft={[0, 1]}
            hard={[0, 1]}
            onChange={(phase) => change(i, { phase })}
          />
          {parts(k.value, defaults.length, 0).map((n, axis, all) => (
            <NumberControl
              key={param.axes[axis] ?? "one"}
              narrow
              label={`Key ${i + 1} value ${param.axes[axis] ?? ""}`}
              value={n}
              soft={param.soft}
              hard={param.hard}
              onChange={(x) => change(i, { value: packed(all.map((old, m) => (m === axis ? x : old))) })}
            />
          ))}
          <select
            className="plain-select"
            aria-label={`Key ${i + 1} ease`}
            value={k.ease}
            onChange={(e) => change(i, { ease: e.target.value as "linear" })}
          >
            {["linear", "eased", "held"].map((e) => (
              <option key={e}>{e}</option>
            ))}
          </select>
          <Button
            size="2xs"
            variant="ghost"
            disabled={keys.length < 2}
            aria-label={`Remove key ${i + 1}`}
            onClick={() => put(keys.filter((_, n) => n !== i))}
          >
            ×
          </Button>
        </Flex>
      ))}
      <Button size="xs" variant="outline" mt="1" onClick={add}>
        add a key at this phase
      </Button>
    </Box>
  );
}

/** A motion to begin with when a number is set moving. */
export function fresh(kind: Motion["motion"], now: number[], param: ParamInfo): Motion {
  const one = <T,>(numbers: T[]) => (numbers.length === 1 ? numbers[0] : numbers) as T | T[];
  const reach = (param.soft[1] - param.soft[0]) / 4;
  const first = now.map((_, i) => (i === 0 ? 1 : 0));
  if (kind === "drift") return { motion: "drift", cycles: one(first) as number, base: one(now) as number };
  if (kind === "sway")
    return {
      motion: "sway",
      amount: one(first.map((f) => f * reach)) as number,
      cycles: 1,
      start: 0,
      base: one(now) as number,
    };
  const far = now.map((x, i) => Number(Math.min(param.hard[1], x + (i === 0 ? reach : 0)).toPrecision(4)));
  return {
    motion: "keys",
    keys: [
      { phase: 0, value: one(now) as number, ease: "eased" },
      { phase: 0.5, value: one(far) as number, ease: "eased" },
    ],
  };
}

/** A motion in a few words. */
export function inWords(m: Motion): string {
  if (m.motion === "drift") return `drift ${[m.cycles].flat().map(round).join(" · ")}`;
  if (m.motion === "sway") return `sway ±${[m.amount].flat().map(round).join(" · ")}`;
  return `${m.keys.length} keys`;
}

/** What keeps the loop open here, and the button that closes it. */
export function Mend({ finding }: { finding: Finding }) {
  return (
    <Flex align="center" gap="3" mt="1" color="coral" role="alert">
      <Text flex="1">{finding.words}</Text>
      {finding.mend !== null && finding.mend !== undefined && (
        <Button
          size="xs"
          rounded="full"
          bg="coral"
          color="ink"
          onClick={() => edit((d) => putAt(d, finding.place, finding.mend as Value))}
          data-testid="mend"
        >
          {finding.kind === "seam" ? "make it meet" : "close the loop"}
        </Button>
      )}
    </Flex>
  );
}
