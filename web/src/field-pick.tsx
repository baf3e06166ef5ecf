import type { FieldInfo } from "./api/catalogue";
import { edit, useEditor } from "./document/editor";
import { choose, partAt } from "./document/tree";
import { Pick } from "./pick";

/** The choices of a field, or the whole numbers it may be. */
export function FieldPick({
  place,
  field,
  wide,
  label,
}: {
  place: string;
  field: FieldInfo;
  wide?: boolean;
  label?: string;
}) {
  const value = useEditor((s) => partAt(s.document, place)?.[field.name]);
  const whole = field.kind === "whole";
  const [low, high] = field.param?.hard ?? [0, 0];
  const options = whole
    ? Array.from({ length: high - low + 1 }, (_, i) => String(low + i))
    : field.options.map((o) => o.value);
  return (
    <Pick
      wide={wide}
      label={label ?? field.label}
      value={String(value)}
      options={options}
      onChange={(v) => edit((d) => choose(d, `${place}/${field.name}`, whole ? Number(v) : v))}
    />
  );
}
