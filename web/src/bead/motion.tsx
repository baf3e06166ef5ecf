import { Box, Button, Flex, Text } from "@chakra-ui/react";
import { type FieldInfo, fieldsOf, motions, paramOf } from "../api/catalogue";
import { answered, client, type Effect, type Finding, type ParamInfo } from "../api/client";
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

/** The numbers of a motion, as its part of the document describes them. */
export function MotionControl({ motion, param, tight, onChange }: Props) {
  if (motion.motion === "keys") return <KeysControl motion={motion} param={param} onChange={onChange} />;
  const part = motions().find((m) => m.kind === motion.motion)?.part ?? "";
  const held = motion as unknown as Record<string, unknown>;
  return (
    <Box>
      {fieldsOf(part)
        .filter((f) => f.param)
        .map((f) => (
          <MotionNumber
            key={f.name}
            field={f}
            value={held[f.name]}
            param={param}
            tight={tight}
            onChange={(v) => onChange({ ...motion, [f.name]: v } as Motion)}
          />
        ))}
    </Box>
  );
}

type NumberProps = {
  field: FieldInfo;
  value: unknown;
  param: ParamInfo;
  tight?: boolean;
  onChange: (value: number | number[]) => void;
};

/** One number of a motion, or one for each component of what moves. */
function MotionNumber({ field, value, param, tight, onChange }: NumberProps) {
  const defaults = [param.default].flat() as number[];
  const reach = param.soft[1] - param.soft[0];
  const { soft, unit } = {
    param: { soft: param.soft, unit: param.unit },
    reach: { soft: [0, reach / 2], unit: param.unit },
    rate: { soft: field.param!.soft, unit: param.rate },
  }[field.like] ?? { soft: field.param!.soft, unit: field.param!.unit };
  // What counts in the param's own numbers has as many components as it has.
  const numbers = field.like
    ? defaults.map((d, i) => parts(value, defaults.length, field.like === "param" ? d : 0)[i])
    : parts(value, 1, 0);
  return (
    <Flex align="center" gap="3" minH="7" title={field.words}>
      <Text color="mist" w="4.6rem" flexShrink={0}>
        {field.label}
      </Text>
      {numbers.map((n, i) => (
        <NumberControl
          key={param.axes[i] ?? "one"}
          narrow={tight || numbers.length > 1}
          label={`${param.label} ${field.label}${param.axes[i] ? ` ${param.axes[i]}` : ""}`}
          value={n}
          soft={soft}
          hard={field.param!.hard}
          onChange={(x) => onChange(packed(numbers.map((old, k) => (k === i ? x : old))))}
        />
      ))}
      <Text color="mist" fontSize="11.5px" w="6rem" flexShrink={0}>
        {unit}
      </Text>
    </Flex>
  );
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
            soft={paramOf("Key", "phase").soft}
            hard={paramOf("Key", "phase").hard}
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
            {fieldsOf("Key")
              .find((f) => f.name === "ease")
              ?.options.map((o) => (
                <option key={o.value} title={o.words}>
                  {o.value}
                </option>
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

/** The motion that a number begins with, from the core. */
export async function begin(
  kind: string,
  place: string,
  bead: string | null,
  now: number[],
): Promise<Motion> {
  const body = { motion: kind as Motion["motion"], place, bead, now };
  return (await answered(client.POST("/api/motion", { body }))).motion;
}

/** A motion in a few words. */
export function inWords(m: Motion): string {
  if (m.motion === "drift") return `drift ${[m.cycles].flat().map(round).join(" · ")}`;
  if (m.motion === "sway") return `sway ±${[m.amount].flat().map(round).join(" · ")}`;
  return `${m.keys.length} keys`;
}

/** What a finding says, and a button for each way to mend it. */
export function Mend({ finding }: { finding: Finding }) {
  return (
    <Flex align="center" gap="3" mt="1" color="coral" role="alert" wrap="wrap">
      <Text flex="1" minW="12rem">
        {finding.words}
      </Text>
      {finding.mends.map((m) => (
        <Button
          key={m.words}
          size="xs"
          rounded="full"
          bg="coral"
          color="ink"
          onClick={() => edit((d) => apply(d, m))}
          data-testid="mend"
        >
          {m.words}
        </Button>
      ))}
    </Flex>
  );
}

/** All changes of a mend. */
export function apply(draft: Effect, mend: Finding["mends"][number]) {
  for (const { place, value } of mend.changes) putAt(draft, place, value);
}
