import { Box, Button, Flex, IconButton, Input, Text } from "@chakra-ui/react";
import { X } from "lucide-react";
import { surfaceParam } from "../api/catalogue";
import { ParamRow } from "../bead/param";
import { edit, useEditor } from "../document/editor";
import type { Loop } from "./drawing";

/** A beacon at the stage's middle, its axis upwards; gives its id. */
export function addBeacon(): string {
  const known = useEditor.getState().document.beacons;
  let n = known.length + 1;
  while (known.some((b) => b.id === `beacon-${n}`)) n++;
  const id = `beacon-${n}`;
  edit((d) => {
    d.beacons.push({ id, name: `Beacon ${n}`, position: [0, 0, 0], yaw: 0, pitch: 90 });
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
        <Button size="xs" variant="outline" onClick={() => addBeacon()} disabled={beacons.length >= 16}>
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
              onClick={() =>
                edit((d) => {
                  d.beacons = d.beacons.filter((x) => x.id !== b.id);
                  // What was measured from it goes on from the first that is left.
                  for (const strand of d.strands)
                    for (const bead of strand.beads)
                      if (bead.settings.beacon === b.id) bead.settings.beacon = "";
                })
              }
            >
              <X size={13} />
            </IconButton>
          </Flex>
          {["position", "yaw", "pitch"].map((name) => (
            <ParamRow
              key={name}
              param={surfaceParam(name)}
              place={`beacons/${b.id}/${name}`}
              source={loop.source}
            />
          ))}
        </Box>
      ))}
    </Box>
  );
}
