import { Box, Flex, Text } from "@chakra-ui/react";
import { edit, useEditor } from "../document/editor";
import { putAt } from "../document/place";
import { fieldsAt, partAt } from "../document/tree";
import { FieldPick, FieldRow, fieldOf, useFields } from "../field";
import type { Loop } from "./drawing";

const PLACE = "stage/neighbours";

/** What else stands on the stage, each with its numbers while it is there. */
export function NeighboursPanel({ loop }: { loop: Loop }) {
  return (
    <Box data-testid="neighbours" mt="3">
      <Text fontWeight="600" mb="1">
        Neighbours
      </Text>
      {fieldsAt(PLACE).map((f) => (
        <Neighbour key={f.name} name={f.name} loop={loop} />
      ))}
    </Box>
  );
}

function Neighbour({ name, loop }: { name: string; loop: Loop }) {
  const place = `${PLACE}/${name}`;
  const on = useEditor((s) => Boolean(partAt(s.document, place)?.on));
  const numbers = useFields(place, (f) => f.kind === "number");
  const choices = useFields(place, (f) => f.kind === "choice");
  return (
    <Box py="0.5">
      <Flex align="center" gap="3" minH="7">
        <label
          title={fieldOf(PLACE, name).words}
          style={{ display: "flex", gap: 6, width: "5rem", flexShrink: 0 }}
        >
          <input
            type="checkbox"
            checked={on}
            onChange={(e) => edit((d) => putAt(d, `${place}/on`, e.target.checked))}
          />
          {name}
        </label>
        {choices.map((f) => (
          <FieldPick key={f.name} place={place} field={f} label={`${name} ${f.label}`} />
        ))}
      </Flex>
      {on &&
        numbers.map((f) => (
          <FieldRow narrow bare key={f.name} place={place} field={f} source={loop.source} />
        ))}
    </Box>
  );
}
