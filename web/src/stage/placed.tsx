import { Button, IconButton, Input } from "@chakra-ui/react";
import { ChevronDown, ChevronRight, X } from "lucide-react";
import type { ReactNode } from "react";
import type { Effect } from "../api/client";
import { edit } from "../document/editor";
import { putAt } from "../document/place";
import { fieldsAt } from "../document/tree";
import { FieldRow } from "../field";
import { FieldPick } from "../field-pick";
import { focusSoon } from "../focus";
import { ofOneEffect } from "../one-effect";
import { Box, Flex, Text } from "../plain";
import type { Loop } from "./drawing";

export type Thing = Effect["beacons"][number] | Effect["stage"]["neighbours"]["objects"][number];

/** An id that none of them has: "beacon-3". */
export function freeId(known: { id: string }[], stem: string): string {
  for (let n = known.length + 1; ; n++)
    if (!known.some((x) => x.id === `${stem}-${n}`)) return `${stem}-${n}`;
}

/** The thing at hand: of many it alone shows its numbers and all of its handles. */
export const useHeld = ofOneEffect(() => ({ held: "" }));
export const hold = (place: string) => useHeld.setState({ held: place });

/** Things that stand somewhere by a name, each with its numbers: of the list at a place of the document. */
export function PlacedList({
  list,
  things,
  loop,
  remove,
}: {
  list: string;
  things: Thing[];
  loop: Loop;
  remove: (id: string) => void;
}) {
  const fields = fieldsAt(list);
  const held = useHeld((s) => s.held);
  const folds = things.length > 1;
  return things.map((t, i) => (
    <Box key={t.id} borderTop="1px solid" borderColor="line" py="1" role="group" aria-label={t.name}>
      <Flex align="center" gap="2">
        {folds && (
          <IconButton
            aria-label={`Numbers of ${t.name}`}
            aria-expanded={held === `${list}/${t.id}`}
            size="2xs"
            variant="ghost"
            color="mist"
            onClick={() => hold(held === `${list}/${t.id}` ? "" : `${list}/${t.id}`)}
          >
            {held === `${list}/${t.id}` ? <ChevronDown size={14} /> : <ChevronRight size={14} />}
          </IconButton>
        )}
        <Input
          size="xs"
          flex="1"
          aria-label={`Name of ${t.name}`}
          data-named={t.id}
          value={t.name}
          maxLength={120}
          onChange={(e) => edit((d) => putAt(d, `${list}/${t.id}/name`, e.target.value || t.id))}
        />
        {fields
          .filter((f) => f.kind === "choice")
          .map((f) => (
            <FieldPick key={f.name} place={`${list}/${t.id}`} field={f} label={`${t.name} ${f.label}`} />
          ))}
        <IconButton
          aria-label={`Remove ${t.name}`}
          size="2xs"
          variant="ghost"
          color="mist"
          onClick={() => {
            remove(t.id);
            // To the one that takes its place, or the one before it.
            const next = things[i + 1] ?? things[i - 1];
            focusSoon(next ? `[data-named="${next.id}"]` : `[data-add="${list}"]`);
          }}
        >
          <X size={13} />
        </IconButton>
      </Flex>
      {(!folds || held === `${list}/${t.id}`) &&
        fields
          .filter((f) => f.kind === "number")
          .map((f) => <FieldRow key={f.name} place={`${list}/${t.id}`} field={f} source={loop.source} />)}
    </Box>
  ));
}

/** What stands above such a list: what it is, how more are added, and what to do with them. */
export function PlacedHead({ title, hint, children }: { title: string; hint: string; children: ReactNode }) {
  return (
    <>
      <Flex align="center" gap="2" mb="1" wrap="wrap">
        <Text fontWeight="600" mr="1">
          {title}
        </Text>
        {children}
      </Flex>
      <Text color="mist" fontSize="11.5px" mb="1">
        {hint}
      </Text>
    </>
  );
}

/** A button that adds to such a list. */
export function Adds({
  list,
  full,
  onClick,
  children,
}: {
  list: string;
  full: boolean;
  onClick: () => void;
  children: ReactNode;
}) {
  return (
    <Button size="xs" variant="outline" data-add={list} onClick={onClick} disabled={full}>
      {children}
    </Button>
  );
}
