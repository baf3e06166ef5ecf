import { Button, IconButton, Input, Menu, Portal } from "@chakra-ui/react";
import { ChevronDown, ChevronRight, Ellipsis } from "lucide-react";
import { useMemo, useState } from "react";
import { asked } from "../api/catalogue";
import { answered, client, type Effect } from "../api/client";
import { NumberControl } from "../bead/number";
import { deleteStrand, inPeoplesWords } from "../document/edit";
import { edit, select, sent, useEditor } from "../document/editor";
import { placeOf } from "../document/place";
import { references } from "../document/refer";
import { structure } from "../document/tree";
import { focusSoon, focusStrand } from "../focus";
import { SmallPicture } from "../painter/small-picture";
import { Box, Flex, Text } from "../plain";
import type { Loop } from "../stage/drawing";
import { useRoom } from "../studio/room";
import { keepAsSplice, said, take, useSplices } from "./splices";

type Spliced = Effect["splices"][number];

/** The head of what came as a splice: folded it stands for all of its strands, with its result and its inlets. */
export function SplicedHead({ spliced, loop }: { spliced: Spliced; loop: Loop }) {
  const { id, name, folded } = spliced;
  const entered = useRoom((s) => s.entered === id);
  const origin = useSplices().find((s) => s.id === spliced.origin);
  const [wrong, setWrong] = useState("");
  const [scaling, setScaling] = useState(false);
  const [kept, setKept] = useState<number | null>(null);
  const [renaming, setRenaming] = useState(false);
  const shape = useEditor((s) => structure(s.document));
  const { inlets, result } = useMemo(() => {
    const d = useEditor.getState().document;
    return { inlets: inletsOf(d, id), result: resultOf(d, id) };
  }, [shape, id]);
  const change = (to: Partial<Spliced>) =>
    edit((d) => {
      const own = d.splices.find((s) => s.id === id);
      if (own) Object.assign(own, to);
    });
  const renew = async () => {
    try {
      const body = { document: sent(), id };
      const made = await answered(client.POST("/api/splices/renew", { body }));
      take(made.document);
      setKept(made.kept);
      setWrong("");
    } catch (e) {
      setWrong(said(e));
    }
  };
  const strands = () => useEditor.getState().document.strands.filter((s) => s.of === id);
  const act: Record<string, () => void> = {
    enter: () => enter(entered ? null : id),
    rename: () => window.setTimeout(() => setRenaming(true), 120),
    scale: () => setScaling(true),
    renew: () => void renew(),
    keep: () =>
      keepAsSplice(
        strands().map((s) => s.id),
        origin && !origin.shipped ? origin.id : null,
      ),
    apart: async () => {
      const first = strands()[0];
      const made = await answered(client.POST("/api/splices/apart", { body: { document: sent(), id } }));
      take(made.document);
      if (entered) enter(null);
      if (first) focusStrand(first.id);
    },
    delete: () => {
      const all = strands().map((s) => s.id);
      edit((d) => {
        for (const s of all) deleteStrand(d, s);
        d.splices = d.splices.filter((s) => s.id !== id);
      });
      if (entered) enter(null);
      focusSoon("#sheet");
    },
  };
  const stale = origin && spliced.digest !== origin.digest;
  return (
    <Box className="spliced" data-group={id} data-testid={`group-${id}`} px="4" py="1">
      <Flex align="center" gap="2" minH="7">
        <button
          type="button"
          className="fold"
          aria-expanded={!folded}
          aria-label={`${folded ? "Unfold" : "Fold"} the splice ${name}`}
          title={folded ? "Show its strands" : "Show its result alone"}
          onClick={() => change({ folded: !folded })}
        >
          {folded ? <ChevronRight size={14} /> : <ChevronDown size={14} />}
        </button>
        {renaming ? (
          <Input
            autoFocus
            size="xs"
            w="12rem"
            aria-label="Name of the splice here"
            defaultValue={name}
            onKeyDown={(e) => {
              if (e.key === "Enter") e.currentTarget.blur();
              if (e.key === "Escape") setRenaming(false);
              e.stopPropagation();
            }}
            onBlur={(e) => {
              setRenaming(false);
              const text = e.target.value.trim();
              if (text) change({ name: text.slice(0, 120) });
            }}
          />
        ) : (
          <Text fontWeight="600">{name}</Text>
        )}
        <Menu.Root onSelect={(e) => act[e.value]()}>
          <Menu.Trigger asChild>
            <IconButton aria-label={`Splice ${name}: more`} size="2xs" variant="ghost" color="mist">
              <Ellipsis size={14} />
            </IconButton>
          </Menu.Trigger>
          <Portal>
            <Menu.Positioner>
              <Menu.Content bg="raised">
                <Menu.Item value="enter">{entered ? "Back to the whole sheet" : "Show it alone"}</Menu.Item>
                <Menu.Item value="rename">Rename</Menu.Item>
                <Menu.Item value="scale">Scale as one …</Menu.Item>
                {origin && <Menu.Item value="renew">Bring up to date</Menu.Item>}
                <Menu.Item value="keep">Keep as a splice …</Menu.Item>
                <Menu.Item value="apart">Take apart into strands</Menu.Item>
                <Menu.Item value="delete">Delete with its strands</Menu.Item>
              </Menu.Content>
            </Menu.Positioner>
          </Portal>
        </Menu.Root>
        <Text color="mist" fontSize="11.5px">
          {inlets.length ? `from ${inlets.map((i) => i.name).join(", ")}` : "by itself"}
        </Text>
        <Box flex="1" />
        {stale && (
          <button type="button" className="link" onClick={() => void renew()}>
            its origin has changed: bring up to date
          </button>
        )}
        {kept !== null && !stale && (
          <Text color="glass" fontSize="11.5px" role="status">
            {kept ? `up to date; ${kept} ${kept === 1 ? "value" : "values"} of yours stayed` : "up to date"}
          </Text>
        )}
      </Flex>
      {scaling && <Scale id={id} name={name} onDone={() => setScaling(false)} onWrong={setWrong} />}
      {wrong && (
        <Text color="coral" role="alert">
          {wrong}
        </Text>
      )}
      {folded && (
        <Flex gap="3" pl="8.7rem" pb="1" align="flex-start">
          {inlets.map((i) => (
            <PictureOf key={i.place} place={i.place} words={i.name} small loop={loop} />
          ))}
          {result && <PictureOf place={result} words="its result" loop={loop} />}
        </Flex>
      )}
    </Box>
  );
}

function PictureOf({
  place,
  words,
  loop,
  small,
}: {
  place: string;
  words: string;
  loop: Loop;
  small?: boolean;
}) {
  const [strand, bead] = place.split("/");
  return (
    <button
      type="button"
      className="begin"
      style={{ padding: 2 }}
      onClick={() => select({ strand, bead })}
      aria-label={`${words}: show its numbers`}
    >
      <SmallPicture source={loop.source} place={placeOf(strand, bead)} size={small ? 40 : 56} />
      <Text color="mist" fontSize="11.5px">
        {words}
      </Text>
    </button>
  );
}

function Scale({
  id,
  name,
  onDone,
  onWrong,
}: {
  id: string;
  name: string;
  onDone: () => void;
  onWrong: (words: string) => void;
}) {
  const { soft, hard, default: first } = asked("times");
  const [times, setTimes] = useState(first as number);
  const scale = async () => {
    try {
      const made = await answered(
        client.POST("/api/splices/scale", { body: { document: sent(), id, times } }),
      );
      take(made.document);
      onWrong("");
      onDone();
      focusSoon(`[data-group="${CSS.escape(id)}"] .fold`);
    } catch (e) {
      onWrong(said(e));
    }
  };
  return (
    <Flex align="center" gap="3" pl="8.7rem" wrap="wrap" data-testid="scale-as-one">
      <Text color="mist">patterns and lengths times</Text>
      <NumberControl
        narrow
        label={`How many times as large ${name} is made`}
        value={times}
        soft={soft}
        hard={hard}
        onChange={setTimes}
      />
      <Button size="2xs" variant="outline" onClick={() => void scale()}>
        scale it
      </Button>
      <Button size="2xs" variant="ghost" color="mist" onClick={onDone}>
        leave it
      </Button>
    </Flex>
  );
}

/** What strands of a group go on from that are not of it. */
function inletsOf(d: Effect, id: string): { name: string; place: string }[] {
  const own = new Set(d.strands.filter((s) => s.of === id).map((s) => s.id));
  const found = new Map<string, string>();
  for (const r of references(d)) {
    if (r.kind !== "strand" || !r.strand || !own.has(r.strand) || own.has(r.id)) continue;
    const strand = d.strands.find((s) => s.id === r.id);
    const bead = r.bead ?? strand?.beads.at(-1)?.id;
    if (strand && bead)
      found.set(
        `${strand.id}/${bead}`,
        r.bead ? inPeoplesWords(d, `strands/${r.id}/${r.bead}`) : strand.name,
      );
  }
  return [...found].map(([place, name]) => ({ place, name }));
}

/** The end of the last strand of a group. */
function resultOf(d: Effect, id: string): string | null {
  const last = d.strands.filter((s) => s.of === id && s.beads.length).at(-1);
  return last ? `${last.id}/${last.beads.at(-1)!.id}` : null;
}

/** Shows a group alone in the sheet, or all of it again. */
export function enter(id: string | null) {
  useRoom.setState({ entered: id });
  focusSoon(id ? "[data-testid=entered] button" : "#sheet");
}
