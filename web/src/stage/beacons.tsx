import { Box, Button, Flex, IconButton, Input, Text } from "@chakra-ui/react";
import { X } from "lucide-react";
import type { Effect } from "../api/client";
import { deleteBeacon } from "../document/edit";
import { edit, useEditor } from "../document/editor";
import { channelOrField, fieldsAt, fresh } from "../document/tree";
import { FieldRow } from "../field";
import type { Loop } from "./drawing";

/** A beacon at the stage's middle, its axis upwards; gives its id. */
export function addBeacon(): string {
  const known = useEditor.getState().document.beacons;
  let n = known.length + 1;
  while (known.some((b) => b.id === `beacon-${n}`)) n++;
  const id = `beacon-${n}`;
  edit((d) => {
    d.beacons.push({ ...fresh<Effect["beacons"][number]>("beacons/0"), id, name: `Beacon ${n}` });
  });
  return id;
}

/** The placed points that fields are measured from. */
export function BeaconsPanel({ loop }: { loop: Loop }) {
  const beacons = useEditor((s) => s.document.beacons);
  return (
    <Box data-testid="beacons" mt="3">
      <Flex align="center" gap="3" mb="1">
        <Text fontWeight="600">Beacons</Text>
        <Button
          size="xs"
          variant="outline"
          onClick={() => addBeacon()}
          disabled={beacons.length >= (channelOrField("beacons")?.most ?? 0)}
        >
          add a beacon
        </Button>
      </Flex>
      <Text color="mist" fontSize="11.5px" mb="1">
        {beacons.length
          ? "Drag a beacon on the stage: its middle, along an axis, or the far end to turn it."
          : "Points on the stage that fields can be measured from, such as a reveal that grows from one."}
      </Text>
      {beacons.map((b) => (
        <Box key={b.id} borderTop="1px solid" borderColor="line" py="1">
          <Flex align="center" gap="2">
            <Input
              size="xs"
              flex="1"
              aria-label={`Name of ${b.name}`}
              value={b.name}
              maxLength={120}
              onChange={(e) =>
                edit((d) => {
                  d.beacons.find((x) => x.id === b.id)!.name = e.target.value || b.id;
                })
              }
            />
            <IconButton
              aria-label={`Remove ${b.name}`}
              size="2xs"
              variant="ghost"
              color="mist"
              onClick={() => edit((d) => deleteBeacon(d, b.id))}
            >
              <X size={13} />
            </IconButton>
          </Flex>
          {fieldsAt("beacons")
            .filter((f) => f.kind === "number")
            .map((f) => (
              <FieldRow key={f.name} place={`beacons/${b.id}`} field={f} source={loop.source} />
            ))}
        </Box>
      ))}
    </Box>
  );
}
