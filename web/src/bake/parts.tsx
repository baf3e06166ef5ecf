import type { ReactNode } from "react";
import { fieldsOf, paramOf } from "../api/catalogue";
import type { Schema } from "../api/client";
import { NumberControl } from "../bead/number";
import { Pick } from "../pick";
import { Flex, Text } from "../plain";

export type Options = Schema["BakeOptions"];

/** What a field of some options says of itself. */
const field = (part: string, name: string) => fieldsOf(part).find((f) => f.name === name)!;

/** Options as the core has them when nobody has chosen. */
export const freshOf = <T,>(part: string): T =>
  Object.fromEntries(fieldsOf(part).map((f) => [f.name, f.fresh])) as T;

/** A line of a form: what it is about, and how it is chosen. */
export function Row({ label, children }: { label: string; children: ReactNode }) {
  return (
    <Flex align="flex-start" gap="3" mb="1" role="group" aria-label={label}>
      <Text w="5.5rem" flexShrink={0} color="mist" lineHeight="28px">
        {label}
      </Text>
      <Flex align="center" columnGap="3" rowGap="1" wrap="wrap" flex="1" minW="0" minH="7">
        {children}
      </Flex>
    </Flex>
  );
}

type NumberProps = {
  part: string;
  name: string;
  label: string;
  words?: string;
  value: number;
  fraction?: boolean;
  onChange: (x: number) => void;
};

/** A number of some options, within what the core takes. */
export function Count({ part, name, label, words, value, fraction, onChange }: NumberProps) {
  const { soft, hard, words: said } = paramOf(part, name);
  return (
    <Flex align="center" gap="1" title={said}>
      {words && <Text color="mist">{words}</Text>}
      <NumberControl
        narrow
        whole={!fraction}
        label={label}
        value={value}
        soft={soft}
        hard={hard}
        onChange={onChange}
      />
    </Flex>
  );
}

/** One of a few ways, as the core names them. */
export function Way(props: {
  part: string;
  name: string;
  label?: string;
  value: string;
  onChange: (v: string) => void;
}) {
  const { part, name, label, value, onChange } = props;
  const { options, words } = field(part, name);
  return (
    <Pick label={label ?? words} value={value} options={options.map((o) => o.value)} onChange={onChange} />
  );
}

/** Yes or no. */
export function Check(props: {
  checked: boolean;
  disabled?: boolean;
  title?: string;
  children: ReactNode;
  onChange: (on: boolean) => void;
}) {
  return (
    <label className="check" title={props.title}>
      <input
        type="checkbox"
        checked={props.checked}
        disabled={props.disabled}
        onChange={(e) => props.onChange(e.target.checked)}
      />{" "}
      {props.children}
    </label>
  );
}

/** Which kinds of file are made. */
export function Kinds<T extends string>({
  kinds,
  chosen,
  onChange,
}: {
  kinds: { kind: string; title: string; words: string }[];
  chosen: T[];
  onChange: (kinds: T[]) => void;
}) {
  return (
    <Flex columnGap="4" rowGap="1" wrap="wrap">
      {kinds.map(({ kind, title, words }) => (
        <label key={kind} className="check" title={words}>
          <input
            type="checkbox"
            checked={chosen.includes(kind as T)}
            onChange={(e) =>
              onChange(e.target.checked ? [...chosen, kind as T] : chosen.filter((k) => k !== kind))
            }
          />{" "}
          {title}
        </label>
      ))}
    </Flex>
  );
}
