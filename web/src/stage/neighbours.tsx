import { figure } from "../api/catalogue";
import type { Effect } from "../api/client";
import { edit, useEditor } from "../document/editor";
import { putAt } from "../document/place";
import { channelOrField, fieldsAt, fresh, partAt } from "../document/tree";
import { FieldRow, fieldOf, useFields } from "../field";
import { FieldPick } from "../field-pick";
import { focusSoon } from "../focus";
import { Box, Flex, Text } from "../plain";
import type { Loop } from "./drawing";
import { Adds, freeId, hold, PlacedHead, PlacedList } from "./placed";

const PLACE = "stage/neighbours";
const OBJECTS = `${PLACE}/objects`;

/** What else stands on the stage, each with its numbers while it is there. */
export function NeighboursPanel({ loop }: { loop: Loop }) {
  return (
    <Box data-testid="neighbours" mt="3">
      <Text fontWeight="600" mb="1">
        Neighbours
      </Text>
      {fieldsAt(PLACE)
        .filter((f) => f.kind === "part")
        .map((f) => (
          <Neighbour key={f.name} name={f.name} loop={loop} />
        ))}
    </Box>
  );
}

const capital = (word: string) => word[0].toUpperCase() + word.slice(1);

type Placed = Effect["stage"]["neighbours"]["objects"][number];

/** The neighbours that have a place and a turn of their own. */
export function ObjectsPanel({ loop }: { loop: Loop }) {
  const objects = useEditor((s) => s.document.stage.neighbours.objects);
  const most = channelOrField(OBJECTS)?.most ?? 0;
  const form = fieldsAt(OBJECTS).find((f) => f.name === "form")!;
  const put = (made: Omit<Placed, "id">[]) => {
    const known = [...useEditor.getState().document.stage.neighbours.objects];
    for (const m of made)
      known.push({ ...m, id: freeId(known, m.name.toLowerCase().replace(/[^a-z]+/g, "-")) });
    edit((d) => {
      d.stage.neighbours.objects = known;
    });
    const last = known[known.length - 1].id;
    hold(`${OBJECTS}/${last}`);
    focusSoon(`[data-named="${last}"]`);
  };
  const hint = objects.length
    ? "Drag one on the stage: its middle, along an axis, or the far end to turn it."
    : "The effect meets them: contact, depth, shadows and mirrors know of each.";
  return (
    <Box data-testid="objects" mt="3">
      <PlacedHead title="More neighbours" hint={hint}>
        {form.options.map((o) => (
          <Adds
            key={o.value}
            list={OBJECTS}
            full={objects.length >= most}
            onClick={() =>
              put([
                { ...fresh<Placed>(`${OBJECTS}/0`), form: o.value as Placed["form"], name: capital(o.value) },
              ])
            }
          >
            {`add a ${o.value}`}
          </Adds>
        ))}
        <Adds list={OBJECTS} full={objects.length + figure().length > most} onClick={() => put(figure())}>
          add a figure
        </Adds>
      </PlacedHead>
      <PlacedList
        list={OBJECTS}
        things={objects}
        loop={loop}
        remove={(id) =>
          edit((d) => {
            d.stage.neighbours.objects = d.stage.neighbours.objects.filter((o) => o.id !== id);
          })
        }
      />
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
