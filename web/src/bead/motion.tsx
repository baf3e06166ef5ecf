import { Button } from "@chakra-ui/react";
import { type FieldInfo, fieldsOf, motions, paramOf } from "../api/catalogue";
import { answered, client, type Effect, type Finding, type ParamInfo } from "../api/client";
import { edit, useEditor } from "../document/editor";
import { type Motion, putAt } from "../document/place";
import { Box, Flex, Text } from "../plain";
import { usePlayback } from "../playback/playback";
import { lead, unroll } from "../ring/hand";
import { NumberControl } from "./number";
import { ParamRow } from "./param";

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

/** The numbers and choices of a motion, as its part of the document describes them. */
export function MotionControl({ motion, param, place, tight, onChange }: Props) {
  const part = motions().find((m) => m.kind === motion.motion)?.part ?? "";
  const held = motion as unknown as Record<string, unknown>;
  const put = (name: string, v: unknown) => onChange({ ...motion, [name]: v } as Motion);
  const fields = fieldsOf(part);
  return (
    <Box>
      {"keys" in motion && <KeysControl motion={motion} param={param} place={place} onChange={onChange} />}
      {"axes" in motion && <AxesControl param={param} place={place} />}
      {"place" in motion && <Followed value={motion.place} place={place} onChange={(v) => put("place", v)} />}
      {fields
        .filter((f) => f.param)
        .map((f) => (
          <MotionNumber
            key={f.name}
            field={f}
            value={held[f.name]}
            param={param}
            tight={tight}
            onChange={(v) => put(f.name, v)}
          />
        ))}
      <Flex gap="4" wrap="wrap">
        {fields
          .filter((f) => f.kind === "choice" && f.options.length > 1)
          .map((f) => (
            <Flex key={f.name} align="center" gap="2" minH="7" title={f.words}>
              <Text color="mist">{f.label}</Text>
              <select
                className="plain-select"
                aria-label={`${param.label} ${f.label}`}
                value={String(held[f.name] ?? f.fresh)}
                onChange={(e) => put(f.name, e.target.value)}
              >
                {f.options.map((o) => (
                  <option key={o.value} value={o.value} title={o.words}>
                    {o.value}
                  </option>
                ))}
              </select>
            </Flex>
          ))}
        {param.axes.length > 1 &&
          fields
            .filter((f) => f.kind === "switch")
            .map((f) => (
              <label key={f.name} className="check" title={f.words}>
                <input
                  type="checkbox"
                  checked={Boolean(held[f.name] ?? f.fresh)}
                  onChange={(e) => put(f.name, e.target.checked)}
                />{" "}
                {f.label}
              </label>
            ))}
      </Flex>
      {fields.some((f) => f.param) && <UnrollButton place={place} />}
    </Box>
  );
}

/** Opens the curve of a number in place of these controls. */
function UnrollButton({ place }: { place: string }) {
  const there = useEditor((s) => s.program?.tracks.some((t) => t.place === place));
  if (!there) return null;
  const open = () => {
    lead(place);
    unroll(true);
  };
  return (
    <Button size="2xs" variant="outline" borderColor="line" color="fog" mt="1" onClick={open}>
      unroll its curve
    </Button>
  );
}

/** Each component by itself, as a number of its own. */
function AxesControl({ param, place }: { param: ParamInfo; place: string }) {
  return (
    <>
      {param.axes.map((axis, i) => (
        <ParamRow key={axis} place={`${place}/axes/${i}`} source={() => null} />
      ))}
    </>
  );
}

/** The number that is followed: any other that moves. */
function Followed({
  value,
  place,
  onChange,
}: {
  value: string;
  place: string;
  onChange: (v: string) => void;
}) {
  const tracks = useEditor((s) => s.program?.tracks);
  const others = new Map((tracks ?? []).filter((t) => t.uniform !== place).map((t) => [t.uniform, t.words]));
  if (value && !others.has(value)) others.set(value, value);
  return (
    <Flex align="center" gap="3" minH="7">
      <Text color="mist" w="4.6rem" flexShrink={0}>
        follows
      </Text>
      <select
        className="plain-select wide"
        aria-label="The number that it follows"
        value={value}
        onChange={(e) => onChange(e.target.value)}
      >
        {[...others].map(([p, words]) => (
          <option key={p} value={p}>
            {words}
          </option>
        ))}
      </select>
    </Flex>
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
    <Flex align="center" columnGap="3" minH="7" wrap="wrap" title={field.words}>
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
      <Text color="mist" fontSize="11.5px" whiteSpace="nowrap" flexShrink={0}>
        {unit}
      </Text>
    </Flex>
  );
}

type KeysMotion = Extract<Motion, { motion: "keys" }>;

function KeysControl({
  motion,
  param,
  place,
  onChange,
}: {
  motion: KeysMotion;
  param: ParamInfo;
  place: string;
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
      <Flex gap="2" mt="1">
        <Button size="2xs" variant="outline" borderColor="line" color="fog" onClick={add}>
          add a key at this phase
        </Button>
        <UnrollButton place={place} />
      </Flex>
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
  const follows = motions().find((m) => m.kind === kind)?.follows;
  const { document } = useEditor.getState();
  const body = {
    motion: kind as Motion["motion"],
    place,
    bead,
    now,
    document:
      follows || place.startsWith("levers/") ? (document as unknown as Record<string, unknown>) : null,
  };
  return (await answered(client.POST("/api/motion", { body }))).motion;
}

/** What a finding says, and a button for each way to mend it. */
export function Mend({ finding }: { finding: Pick<Finding, "words" | "mends"> }) {
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
