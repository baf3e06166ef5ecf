import { Button } from "@chakra-ui/react";
import type { FieldInfo } from "./api/catalogue";
import { ColourControl } from "./bead/colour-control";
import { NumberControl } from "./bead/number";
import { ParamRow } from "./bead/param";
import { PictureControl } from "./bead/picture";
import { edit, useEditor } from "./document/editor";
import { isMotion, paramAt, putAt, valueAt } from "./document/place";
import { acts, bringAbout, choose, fieldsAt, mendable, partAt } from "./document/tree";
import { FieldPick } from "./field-pick";
import { PublishSetting } from "./front/choice";
import type { Source } from "./painter/small";
import { Box, Flex, Text } from "./plain";

type Props = {
  place: string;
  field: FieldInfo;
  source: () => Source | null;
  /** Where there is little room: numbers without sliders. */
  narrow?: boolean;
  /** Colours alone, without their strength. */
  bare?: boolean;
};

/** One field of the document as it says of itself: a number, a choice, a switch or a picture. */
export function FieldRow({ place, field, source, narrow, bare }: Props) {
  const at = place ? `${place}/${field.name}` : field.name;
  const value = useEditor((s) => partAt(s.document, place)?.[field.name]);
  const put = (v: unknown) => edit((d) => putAt(d, at, v));
  if (field.kind === "number") return <ParamRow place={at} source={source} narrow={narrow} bare={bare} />;
  if (field.kind === "picture")
    return <PictureControl value={String(value ?? "")} onChoose={(d, id) => choose(d, at, id)} />;
  if (field.kind === "switch")
    return (
      <label title={field.words} style={{ display: "flex", gap: 8, alignItems: "center", minHeight: 32 }}>
        <input type="checkbox" checked={Boolean(value)} onChange={(e) => put(e.target.checked)} />
        {field.words.replace(/\.$/, "")}
      </label>
    );
  if (field.kind !== "choice" && field.kind !== "whole") return null;
  return (
    <Box py="1">
      <Flex align="center" gap="3" title={field.words}>
        <Text w="5.4rem" flexShrink={0} color="mist">
          {field.label}
        </Text>
        <FieldPick place={place} field={field} wide={!narrow} />
        {!narrow && field.kind === "choice" && /^(surface|stage)\b/.test(at) && (
          <PublishSetting place={at} label={field.label} />
        )}
      </Flex>
      {!narrow && field.kind === "choice" && (
        <Text color="mist" fontSize="11.5px" mt="0.5">
          {field.options.find((o) => o.value === value)?.words}
        </Text>
      )}
    </Box>
  );
}

/** The fields of the part at a place that act as the document stands; `of` picks among them. */
export function useFields(place: string, of: (field: FieldInfo) => boolean): FieldInfo[] {
  // Names, so that the panel is drawn anew only where another field acts.
  const names = useEditor((s) => {
    const part = partAt(s.document, place);
    return fieldsAt(place)
      .filter((f) => of(f) && acts(s.document, part, f))
      .map((f) => f.name)
      .join(" ");
  });
  const shown = names.split(" ");
  return fieldsAt(place).filter((f) => shown.includes(f.name));
}

/** What a field needs to do anything, where it does nothing as things are, with what would bring that about. */
export function Idle({ place, field, children }: { place: string; field: FieldInfo; children?: string }) {
  const idle = useEditor((s) => !acts(s.document, partAt(s.document, place), field));
  if (!idle) return null;
  const needs = [...new Set(field.acts.map((c) => c.words))].join(" or ");
  return (
    <Flex color="coral" align="center" gap="2" mb="1" wrap="wrap" role="note">
      <Text>{children ?? `${field.label} does nothing here: it acts on ${needs}.`}</Text>
      {mendable(field).map((c) => (
        <Button
          key={c.words}
          size="2xs"
          variant="outline"
          color="coral"
          onClick={() => edit((d) => bringAbout(d, place, c))}
        >
          {c.mend}
        </Button>
      ))}
    </Flex>
  );
}

/** The field of a part by its name, for what has a row of its own. */
export const fieldOf = (place: string, name: string): FieldInfo =>
  fieldsAt(place).find((f) => f.name === name)!;

/** A number of the document that does not move, without a row of its own. */
export function NumberAt({ place, label, narrow }: { place: string; label: string; narrow?: boolean }) {
  const value = useEditor((s) => valueAt(s.document, place)) as number;
  const param = paramAt(useEditor.getState().document, place)!;
  return (
    <NumberControl
      label={label}
      narrow={narrow}
      value={value}
      soft={param.soft}
      hard={param.hard}
      whole={param.whole}
      onChange={(x) => edit((d) => putAt(d, place, x))}
    />
  );
}

/** A colour of the document, without a row of its own. */
export function ColourAt({ place, label, bare }: { place: string; label: string; bare?: boolean }) {
  const value = useEditor((s) => valueAt(s.document, place));
  if (!Array.isArray(value)) return <Text color="mist">{isMotion(value) ? "in motion" : "by a lever"}</Text>;
  return (
    <ColourControl
      bare={bare}
      label={label}
      value={value as number[]}
      onChange={(c) => edit((d) => putAt(d, place, c))}
    />
  );
}
