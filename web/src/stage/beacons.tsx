import type { Effect } from "../api/client";
import { deleteBeacon } from "../document/edit";
import { edit, useEditor } from "../document/editor";
import { channelOrField, fresh } from "../document/tree";
import { Box } from "../plain";
import type { Loop } from "./drawing";
import { Adds, freeId, hold, PlacedHead, PlacedList } from "./placed";

/** A beacon at the stage's middle, its axis upwards; gives its id. */
export function addBeacon(): string {
  const id = freeId(useEditor.getState().document.beacons, "beacon");
  edit((d) => {
    const name = `Beacon ${id.split("-")[1]}`;
    d.beacons.push({ ...fresh<Effect["beacons"][number]>("beacons/0"), id, name });
  });
  hold(`beacons/${id}`);
  return id;
}

/** The placed points that fields are measured from. */
export function BeaconsPanel({ loop }: { loop: Loop }) {
  const beacons = useEditor((s) => s.document.beacons);
  const full = beacons.length >= (channelOrField("beacons")?.most ?? 0);
  const hint = beacons.length
    ? "Drag a beacon on the stage: its middle, along an axis, or the far end to turn it."
    : "Points on the stage that fields can be measured from, such as a reveal that grows from one.";
  return (
    <Box data-testid="beacons" mt="3">
      <PlacedHead title="Beacons" hint={hint}>
        <Adds list="beacons" full={full} onClick={() => void addBeacon()}>
          add a beacon
        </Adds>
      </PlacedHead>
      <PlacedList
        list="beacons"
        things={beacons}
        loop={loop}
        remove={(id) => edit((d) => deleteBeacon(d, id))}
      />
    </Box>
  );
}
