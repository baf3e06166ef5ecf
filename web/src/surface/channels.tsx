import { Button, IconButton, Menu, Portal } from "@chakra-ui/react";
import { GripVertical, Plus, X } from "lucide-react";
import type { FieldInfo } from "../api/catalogue";
import type { Entry } from "../api/client";
import { hexOf, linearOf } from "../bead/colour";
import { Mend } from "../bead/motion";
import { feedable, ParamRow, StrandSelect } from "../bead/param";
import { useFindings } from "../checks/looking";
import { edit, holdBriefly, useEditor } from "../document/editor";
import { isLevered, numbersOf, paramAt, putAt } from "../document/place";
import { acts, fresh, listsOf, partAt } from "../document/tree";
import { FieldRow, fieldOf, Idle, useFields } from "../field";
import { focusSoon } from "../focus";
import { present, publish } from "../front/levered";
import { SmallPicture } from "../painter/small-picture";
import { Pick } from "../pick";
import { Box, Flex, Grid, Text } from "../plain";
import type { Loop } from "../stage/drawing";

/** Fields that stand with the channel they belong to, not in the column of the surface's own. */
const WITH_CHANNEL: Record<string, string> = {
  gloss: "roughness",
  displaced: "displacement",
  whole: "displacement",
};
export const isOwn = (f: FieldInfo) =>
  ["number", "choice", "switch"].includes(f.kind) && !(f.name in WITH_CHANNEL);

/** The numbers, choices and switches of a surface. */
export function Rows({ place, fields, loop }: { place: string; fields: FieldInfo[]; loop: Loop }) {
  return (
    <Box
      flex="1 1 18rem"
      maxW="26rem"
      role="group"
      aria-label={place === "surface" ? "Surface" : "Second surface"}
      data-testid={`${place.replaceAll("/", "-")}-numbers`}
    >
      {fields.map((f) => (
        <FieldRow key={f.name} place={place} field={f} source={loop.source} />
      ))}
    </Box>
  );
}

/** The entry that is being dragged, by its place. */
let carried: string | null = null;

const used = (list: unknown) => Array.isArray(list) && list.length > 0;

/** The channels of a surface: those that are fed with their strands, then those that could be. */
export function Channels({ place, loop }: { place: string; loop: Loop }) {
  const holder = fieldsWithLists(place);
  const lists = listsOf(place).filter((f) => !holder.only.length || holder.only.includes(f.name));
  const state = useEditor((s) => {
    const part = partAt(s.document, place)?.[holder.name] as Record<string, unknown>;
    return lists
      .map((f) => (used(part?.[f.name]) ? "fed" : acts(s.document, part, f) ? "free" : ""))
      .join(" ");
  }).split(" ");
  const fed = lists.filter((_, i) => state[i] === "fed");
  const free = lists.filter((_, i) => state[i] === "free");
  return (
    <>
      {fed.map((f) => (
        <ChannelRows key={f.name} place={place} holder={holder} channel={f} loop={loop} />
      ))}
      {free.length > 0 && (
        <Text color="mist" fontSize="11.5px" mb="1">
          {fed.length ? "Not used:" : "No strand feeds it yet."}
        </Text>
      )}
      <Grid templateColumns="repeat(auto-fill, minmax(13rem, 1fr))" columnGap="5" rowGap="1">
        {free.map((f) => (
          <Flex key={f.name} align="center" gap="2" minW="0" title={f.words}>
            <Text flex="1">{f.label}</Text>
            <AddStrand place={place} holder={holder} channel={f} />
          </Flex>
        ))}
      </Grid>
    </>
  );
}

/** The silent part of a surface that holds its channels. */
const fieldsWithLists = (place: string): FieldInfo => fieldOf(place, "channels");

type Half = { place: string; holder: FieldInfo; channel: FieldInfo };
const entriesOf = (root: unknown, { place, holder, channel }: Half): Entry[] =>
  ((partAt(root, place)?.[holder.name] as Record<string, unknown>)?.[channel.name] as Entry[]) ?? [];
const ofSecond = (place: string) => (place === "surface" ? "" : " of the second surface");

/** Adds on confirmation alone: going through a menu with the keys adds nothing. */
function AddStrand(half: Half) {
  const strands = useEditor((s) => s.document.strands);
  const label = `Add a strand to ${half.channel.label}${ofSecond(half.place)}`;
  const add = (strand: string) => {
    edit((d) => {
      const entry = fresh<Entry>(`${half.place}/${half.channel.name}/0`);
      entriesOf(d, half).push({ ...entry, strand });
    });
    const at = entriesOf(useEditor.getState().document, half).length - 1;
    focusSoon(`[data-entry="${half.place}/${half.channel.name}/${at}"] input`);
  };
  return (
    <Menu.Root onSelect={(e) => add(e.value)}>
      <Menu.Trigger asChild>
        <Button size="2xs" variant="outline" borderColor="line" color="fog" aria-label={label}>
          <Plus size={12} /> strand
        </Button>
      </Menu.Trigger>
      <Portal>
        <Menu.Positioner>
          <Menu.Content bg="raised" aria-label={label}>
            {strands
              .filter((s) => s.beads.length > 0)
              .map((s) => (
                <Menu.Item key={s.id} value={s.id}>
                  {s.name}
                </Menu.Item>
              ))}
            {strands.every((s) => s.beads.length === 0) && (
              <Menu.Item value="" disabled>
                there is no strand yet
              </Menu.Item>
            )}
          </Menu.Content>
        </Menu.Positioner>
      </Portal>
    </Menu.Root>
  );
}

function ChannelRows({ place, holder, channel, loop }: Half & { loop: Loop }) {
  const entries = useEditor((s) => entriesOf(s.document, { place, holder, channel }));
  const strands = useEditor((s) => s.document.strands);
  const above = feedable({ strands }, "surface");
  const problems = useEditor((s) => s.problems);
  const found = useFindings();
  const move = (from: number, to: number) => {
    edit((d) => {
      const list = entriesOf(d, { place, holder, channel });
      list.splice(to, 0, ...list.splice(from, 1));
    });
    focusSoon(`[data-entry="${own}/${to}"] .entry-order`);
  };
  const tinted = !channel.only.length || channel.only.includes("tint");
  const beside = useFields(place, (f) => WITH_CHANNEL[f.name] === channel.name);
  const own = `${place}/${channel.name}`;
  const said = problems.find((p) => p.place === own);
  return (
    <Box mb="3" data-testid={`channel-${channel.name}`}>
      <Flex align="center" gap="3" mb="1">
        <Text fontWeight="600">{channel.label}</Text>
        <Text color="mist" fontSize="11.5px">
          {channel.words}
        </Text>
        <Box ml="auto">
          <AddStrand place={place} holder={holder} channel={channel} />
        </Box>
      </Flex>
      {beside.map((f) => (
        <FieldRow key={f.name} place={place} field={f} source={loop.source} narrow />
      ))}
      <Idle place={`${place}/${holder.name}`} field={channel} />
      {said && <Text color="coral">{said.words}</Text>}
      {entries.map((entry, i) => {
        const at = `${own}/${i}`;
        const strand = strands.find((s) => s.id === entry.strand);
        const bead = entry.bead ?? strand?.beads.at(-1)?.id;
        const problem = problems.find((p) => p.place === at);
        return (
          <Box
            key={i}
            data-entry={at}
            onDragOver={(e) => carried?.startsWith(`${own}/`) && e.preventDefault()}
            onDrop={() => carried?.startsWith(`${own}/`) && move(Number(carried.split("/").at(-1)), i)}
          >
            <Flex align="center" gap="3" rowGap="0" wrap="wrap">
              {entries.length > 1 && (
                <button
                  type="button"
                  className="plain entry-order"
                  draggable
                  aria-label={`Place of ${strand?.name} in ${channel.label}${ofSecond(place)}: ${i + 1} of ${entries.length}`}
                  title="Drag it to put it elsewhere; by keys up and down"
                  onDragStart={() => {
                    carried = at;
                  }}
                  onDragEnd={() => {
                    carried = null;
                  }}
                  onKeyDown={(e) => {
                    const to = i + (e.key === "ArrowDown" ? 1 : e.key === "ArrowUp" ? -1 : 0);
                    if (to === i) return;
                    e.preventDefault();
                    e.stopPropagation();
                    if (to >= 0 && to < entries.length) move(i, to);
                  }}
                >
                  <GripVertical size={14} />
                </button>
              )}
              {bead && (
                <SmallPicture source={loop.source} place={`strands/${entry.strand}/${bead}`} size={30} />
              )}
              <Flex w="8.5rem" flexShrink={0}>
                <StrandSelect
                  label={`What goes to ${channel.label}${ofSecond(place)}, ${i + 1}`}
                  chosen={entry}
                  strands={above}
                  onChange={(to) =>
                    edit((d) => {
                      Object.assign(entriesOf(d, { place, holder, channel })[i], to);
                    })
                  }
                />
              </Flex>
              <Box flex="1" minW={isLevered(entry.gain) ? "14rem" : "10rem"}>
                <ParamRow unnamed narrow place={`${at}/gain`} source={loop.source} />
              </Box>
              {tinted && !isLevered(entry.tint) && (
                <input
                  type="color"
                  className="swatch"
                  aria-label={`Tint of ${strand?.name}`}
                  title="Tint"
                  value={hexOf(numbersOf(entry.tint, paramAt(useEditor.getState().document, `${at}/tint`)!))}
                  onChange={(e) => {
                    holdBriefly();
                    edit((d) => {
                      entriesOf(d, { place, holder, channel })[i].tint = linearOf(e.target.value);
                    });
                  }}
                />
              )}
              {tinted && <TintLever place={`${at}/tint`} value={entry.tint} name={strand?.name ?? ""} />}
              <IconButton
                aria-label={`Take ${strand?.name} off ${channel.label}${ofSecond(place)}`}
                size="2xs"
                variant="ghost"
                color="mist"
                onClick={() =>
                  edit((d) => {
                    entriesOf(d, { place, holder, channel }).splice(i, 1);
                  })
                }
              >
                <X size={13} />
              </IconButton>
            </Flex>
            {problem && <Text color="coral">{problem.words}</Text>}
            {found
              .filter((f) => f.place === at)
              .map((f) => (
                <Mend key={f.kind + f.when} finding={f} />
              ))}
          </Box>
        );
      })}
    </Box>
  );
}

const OWN = "own tint";
const NEW = "a new lever";

/** Whether a tint is its own, or the colour of a lever. */
function TintLever({ place, value, name }: { place: string; value: unknown; name: string }) {
  const levers = useEditor((s) => s.document.levers);
  const colours = levers.filter((x) => x.kind === "colour");
  const by = isLevered(value) ? colours.find((x) => x.id === value.lever)?.name : undefined;
  const choose = async (to: string) => {
    const lever = colours.find((x) => x.name === to)?.id ?? null;
    if (to !== OWN) return publish(place, lever);
    if (!isLevered(value)) return;
    const now = await present(value.lever, place);
    edit((d) => putAt(d, place, now));
  };
  return (
    <Pick
      label={`Whose colour the tint of ${name} is`}
      value={by ?? OWN}
      options={[OWN, ...colours.map((x) => x.name), NEW]}
      onChange={(to) => void choose(to)}
    />
  );
}
