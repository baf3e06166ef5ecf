import { IconButton, Input, Menu, Portal } from "@chakra-ui/react";
import { ChevronDown, ChevronRight, Ellipsis, Plus } from "lucide-react";
import { memo, useMemo, useState } from "react";
import { gravity, kindOf } from "../api/catalogue";
import type { Finding, Strand } from "../api/client";
import { useLooking } from "../checks/looking";
import { duplicateWhole } from "../document/clip";
import {
  deleteBead,
  deleteStrand,
  duplicateStrand,
  moveBead,
  moveStrand,
  summary,
  usersOf,
} from "../document/edit";
import { edit, point, select, togglePeek, useEditor } from "../document/editor";
import { isFeed, isMotion, placeOf } from "../document/place";
import { focusBead, focusSoon, focusStrand } from "../focus";
import { SmallPicture } from "../painter/small-picture";
import { Box, Flex, Text } from "../plain";
import type { Loop } from "../stage/drawing";
import { askForMenu } from "./bead-menu";
import { keepAsSplice } from "./splices";

type Props = { strand: Strand; index: number; count: number; loop: Loop; onAdd: (at: number) => void };
type Dragged = { strand: string; bead?: string };

const KIND = "application/x-whorl-bead";
let dragged: Dragged | null = null;

/** One strand: its name, its beads threaded on a line with their live results, and where it goes. */
export const StrandRow = memo(function StrandRow({ strand, index, count, loop, onAdd }: Props) {
  const users = useUsers(strand.id);
  const stood = useEditor((s) => s.stood.includes(`strands/${strand.id}`) || s.stood.includes("strands"));
  const [over, setOver] = useState<number | null>(null);
  const [noting, setNoting] = useState(false);
  const beadDrop = (at: number) => ({
    onDragOver: (e: React.DragEvent) => {
      if (!dragged?.bead) return;
      e.preventDefault();
      setOver(at);
    },
    onDragLeave: () => setOver(null),
    onDrop: (e: React.DragEvent) => {
      e.preventDefault();
      setOver(null);
      if (!dragged?.bead) return;
      const from = { strand: dragged.strand, bead: dragged.bead };
      let id = from.bead;
      edit((d) => {
        id = moveBead(d, from, strand.id, at);
      });
      select({ strand: strand.id, bead: id });
    },
  });
  return (
    <Flex
      align="flex-start"
      gap="2"
      py="1"
      px="4"
      data-testid={`strand-${strand.id}`}
      data-muted={strand.muted}
      data-stood={stood}
      className="strand-row"
      onDragOver={(e) => dragged && !dragged.bead && e.preventDefault()}
      onDrop={() => {
        if (!dragged || dragged.bead || dragged.strand === strand.id) return;
        const id = dragged.strand;
        edit((d) => moveStrand(d, id, index));
      }}
    >
      <Box w="8.2rem" flexShrink={0} pt="3">
        <Flex align="center" gap="1">
          <button
            type="button"
            className="fold"
            aria-expanded={!strand.folded}
            aria-label={`${strand.folded ? "Unfold" : "Fold"} ${strand.name}`}
            title={strand.folded ? "Show all beads" : "Show the end alone"}
            onClick={() => change(strand.id, (s) => (s.folded = !s.folded))}
          >
            {strand.folded ? <ChevronRight size={14} /> : <ChevronDown size={14} />}
          </button>
          <StrandName strand={strand} />
          <StrandMenu strand={strand} index={index} count={count} onNote={() => setNoting(true)} />
        </Flex>
        {(strand.muted || strand.solo) && (
          <Text color="glass" fontSize="11.5px">
            {[strand.solo && "solo", strand.muted && "muted"].filter(Boolean).join(", ")}
          </Text>
        )}
        {stood && (
          <Text color="coral" fontSize="11.5px">
            drawn as it was
          </Text>
        )}
        {users.strands.length > 0 && (
          <Text color="mist" fontSize="11.5px" lineClamp={2} title={`used by ${users.strands.join(", ")}`}>
            used by {users.strands.join(", ")}
          </Text>
        )}
      </Box>
      <Box flex="1" minW="0" position="relative">
        {noting || (strand.note && !strand.folded) ? (
          <StrandNote strand={strand} open={noting} onOpen={setNoting} />
        ) : null}
        <Flex wrap="wrap" rowGap="2" position="relative">
          {strand.folded && strand.beads.length > 1 && (
            <Text color="mist" fontSize="11.5px" pt="5" w="82px" textAlign="center">
              {strand.beads.length - 1} before
            </Text>
          )}
          {strand.beads.map((b, i) =>
            strand.folded && i < strand.beads.length - 1 ? null : (
              <Box
                key={b.id}
                position="relative"
                {...beadDrop(i)}
                className={over === i ? "drop-before" : undefined}
              >
                <Box
                  position="absolute"
                  top="29px"
                  left={i === 0 ? "40px" : "0"}
                  right="0"
                  h="1px"
                  bg="#3a4d4a"
                />
                <BeadCircle strand={strand} index={i} loop={loop} />
              </Box>
            ),
          )}
          <Box
            position="relative"
            {...beadDrop(strand.beads.length)}
            className={over === strand.beads.length ? "drop-before" : undefined}
          >
            {strand.beads.length > 0 && (
              <Box position="absolute" top="29px" left="0" w="28px" h="1px" bg="#3a4d4a" />
            )}
            <button
              type="button"
              className="add-bead"
              aria-label={`Add a bead to ${strand.name}`}
              onClick={() => onAdd(strand.beads.length)}
            >
              <span>
                <Plus size={14} />
              </span>
              add
            </button>
          </Box>
        </Flex>
      </Box>
      <Flex direction="column" gap="1" pt="4" align="flex-end" flexShrink={0} maxW="7.5rem">
        {users.channels.map((c) => (
          <Text
            key={c}
            fontSize="11.5px"
            px="2.5"
            py="0.5"
            rounded="full"
            border="1px solid"
            borderColor="line"
            bg="raised"
            whiteSpace="nowrap"
          >
            {c}
          </Text>
        ))}
        {users.channels.length === 0 && users.strands.length === 0 && strand.beads.length > 0 && (
          <Text color="mist" fontSize="11.5px">
            not used
          </Text>
        )}
      </Flex>
    </Flex>
  );
});

function StrandName({ strand }: { strand: Strand }) {
  const [text, setText] = useState<string | null>(null);
  const done = (back = true) => {
    const name = text?.trim();
    setText(null);
    if (back) focusStrand(strand.id);
    if (!name || name === strand.name) return;
    edit((d) => {
      d.strands.find((s) => s.id === strand.id)!.name = name.slice(0, 120);
    });
  };
  if (text !== null)
    return (
      <Input
        autoFocus
        aria-label="Strand name"
        size="xs"
        value={text}
        onFocus={(e) => e.target.select()}
        onChange={(e) => setText(e.target.value)}
        onBlur={() => done(false)}
        onKeyDown={(e) => {
          e.stopPropagation();
          if (e.key === "Enter") done();
          if (e.key === "Escape") {
            setText(null);
            focusStrand(strand.id);
          }
        }}
      />
    );
  return (
    <button
      type="button"
      className="strand-name"
      data-strand={strand.id}
      draggable
      title="Drag to move the strand; press twice to rename it"
      onDragStart={(e) => {
        dragged = { strand: strand.id };
        e.dataTransfer.setData(KIND, strand.id);
      }}
      onDragEnd={() => {
        dragged = null;
      }}
      onDoubleClick={() => setText(strand.name)}
      onKeyDown={(e) => {
        if (e.key === "Enter" || e.key === "F2") {
          e.preventDefault();
          setText(strand.name);
        }
      }}
    >
      {strand.name}
    </button>
  );
}

/** Changes one strand of the document. */
function change(id: string, by: (strand: Strand) => void) {
  edit((d) => {
    by(d.strands.find((s) => s.id === id)!);
  });
}

/** A few words about a strand, for whoever opens it later. */
function StrandNote({
  strand,
  open,
  onOpen,
}: {
  strand: Strand;
  open: boolean;
  onOpen: (o: boolean) => void;
}) {
  const [text, setText] = useState(strand.note);
  if (!open)
    return (
      <button type="button" className="note" title="Press to change the note" onClick={() => onOpen(true)}>
        {strand.note}
      </button>
    );
  const done = () => {
    onOpen(false);
    if (text !== strand.note) change(strand.id, (s) => (s.note = text.trim().slice(0, 2000)));
  };
  return (
    <textarea
      // biome-ignore lint/a11y/noAutofocus: it was just asked for
      autoFocus
      className="note"
      aria-label={`Note on ${strand.name}`}
      rows={2}
      value={text}
      onChange={(e) => setText(e.target.value)}
      onBlur={done}
      onKeyDown={(e) => {
        e.stopPropagation();
        if (e.key === "Escape" || (e.key === "Enter" && !e.shiftKey)) done();
      }}
    />
  );
}

type MenuProps = { strand: Strand; index: number; count: number; onNote: () => void };

function StrandMenu({ strand, index, count, onNote }: MenuProps) {
  const act: Record<string, () => void> = {
    mute: () => change(strand.id, (s) => (s.muted = !s.muted)),
    solo: () => change(strand.id, (s) => (s.solo = !s.solo)),
    // Once the menu has given the focus back.
    note: () => window.setTimeout(onNote, 120),
    duplicate: () => {
      let copy = "";
      edit((d) => {
        copy = duplicateStrand(d, strand.id);
      });
      focusStrand(copy);
    },
    whole: () => {
      let copy = "";
      edit((d) => {
        copy = duplicateWhole(d, strand.id);
      });
      focusStrand(copy);
    },
    keep: () => keepAsSplice([strand.id]),
    up: () => edit((d) => moveStrand(d, strand.id, index - 1)),
    down: () => edit((d) => moveStrand(d, strand.id, index + 2)),
    delete: () => {
      const { strands } = useEditor.getState().document;
      const next = strands[index + 1] ?? strands[index - 1];
      edit((d) => deleteStrand(d, strand.id));
      if (next) focusStrand(next.id);
      else focusSoon("#sheet");
    },
  };
  return (
    <Menu.Root onSelect={(e) => act[e.value]()}>
      <Menu.Trigger asChild>
        <IconButton aria-label={`${strand.name}: more`} size="2xs" variant="ghost" color="mist">
          <Ellipsis size={14} />
        </IconButton>
      </Menu.Trigger>
      <Portal>
        <Menu.Positioner>
          <Menu.Content bg="raised">
            <Menu.Item value="mute">{strand.muted ? "Sound again" : "Mute: leave it out"}</Menu.Item>
            <Menu.Item value="solo">{strand.solo ? "Stop solo" : "Solo: its light alone"}</Menu.Item>
            <Menu.Item value="note">{strand.note ? "Change the note" : "Add a note"}</Menu.Item>
            <Menu.Item value="duplicate">Duplicate strand</Menu.Item>
            <Menu.Item value="whole">Duplicate with all it goes on from</Menu.Item>
            <Menu.Item value="keep">Keep as a splice …</Menu.Item>
            <Menu.Item value="up" disabled={index === 0}>
              Move up
            </Menu.Item>
            <Menu.Item value="down" disabled={index === count - 1}>
              Move down
            </Menu.Item>
            <Menu.Item value="delete">Delete strand</Menu.Item>
          </Menu.Content>
        </Menu.Positioner>
      </Portal>
    </Menu.Root>
  );
}

/** One bead: its live result in a circle, and a few words. */
function BeadCircle({ strand, index, loop }: { strand: Strand; index: number; loop: Loop }) {
  const bead = strand.beads[index];
  const place = placeOf(strand.id, bead.id);
  const selected = useEditor((s) => s.selected?.strand === strand.id && s.selected.bead === bead.id);
  const peeked = useEditor((s) => s.peek === place);
  const problem = useEditor((s) =>
    s.problems.find((p) => p.place === place || p.place.startsWith(`${place}/`)),
  );
  const here = (f: Finding) => !f.aside && (f.place === place || f.place.startsWith(`${place}/`));
  const planned = useEditor((s) => s.program?.findings.some(here));
  // What could merely be better is told in the panel alone.
  const seen = useLooking((s) => s.found.some((f) => here(f) && f.bad !== gravity().at(-1)));
  const open = planned || seen;
  const users = useLit(strand.id, bead.id);
  const words = useEditor((s) => summary(s.document, bead));
  const moving = Object.values(bead.params).some(isMotion);
  const fed = kindOf(bead.kind)?.goes_on ? undefined : Object.values(bead.params).find(isFeed);
  const feeding = useEditor((s) => s.document.strands.find((x) => x.id === fed?.strand));
  return (
    <button
      type="button"
      className="bead"
      draggable
      data-testid={`bead-${strand.id}-${bead.id}`}
      data-selected={selected}
      data-lit={users}
      data-wrong={Boolean(problem)}
      data-muted={bead.muted}
      aria-pressed={selected}
      aria-label={`${words}${bead.muted ? ", muted" : ""}, bead ${index + 1} of ${strand.name}${problem ? `: ${problem.words}` : ""}`}
      title={problem?.words ?? kindOf(bead.kind)?.words}
      onClick={() => select({ strand: strand.id, bead: bead.id })}
      onDoubleClick={() => togglePeek(place)}
      onContextMenu={(e) => askForMenu(e, strand.id, bead.id)}
      onPointerEnter={() => point({ strand: strand.id, bead: bead.id })}
      onPointerLeave={() => point(null)}
      onDragStart={(e) => {
        dragged = { strand: strand.id, bead: bead.id };
        e.dataTransfer.setData(KIND, bead.id);
        e.stopPropagation();
      }}
      onDragEnd={() => {
        dragged = null;
      }}
    >
      <span className="bead-ring">
        <SmallPicture source={loop.source} place={place} size={50} />
      </span>
      {fed && (
        <span className="bead-fed" title={`brings in ${feeding?.name}`}>
          <SmallPicture
            source={loop.source}
            place={placeOf(fed.strand, fed.bead ?? feeding?.beads.at(-1)?.id)}
            size={20}
          />
        </span>
      )}
      <span className="bead-words" data-peeked={peeked}>
        {bead.muted ? "muted" : words}
      </span>
      {(moving || open || problem) && (
        <span
          className="bead-mark"
          data-wrong={Boolean(problem || open)}
          title={problem ? "has a fault" : open ? "keeps the loop open" : "moves"}
        >
          {problem || open ? "!" : "~"}
        </span>
      )}
    </button>
  );
}

/** Who uses a strand; the same while that is the same. */
function useUsers(id: string): ReturnType<typeof usersOf> {
  const text = useEditor((s) => JSON.stringify(usersOf(s.document, id)));
  return useMemo(() => JSON.parse(text), [text]);
}

/** Whether this bead is used by the selected one, or uses it. */
function useLit(strand: string, bead: string): boolean {
  return useEditor((s) => {
    const from = s.pointed ?? s.selected;
    if (!from || (from.strand === strand && from.bead === bead)) return false;
    const feeds = (id: string, b: string) =>
      Object.values(
        s.document.strands.find((x) => x.id === id)?.beads.find((x) => x.id === b)?.params ?? {},
      ).filter(isFeed);
    const ends = (id: string) => s.document.strands.find((x) => x.id === id)?.beads.at(-1)?.id;
    const at = (f: { strand: string; bead?: string | null }, id: string, b: string) =>
      f.strand === id && (f.bead ?? ends(id)) === b;
    return (
      feeds(from.strand, from.bead).some((f) => at(f, strand, bead)) ||
      feeds(strand, bead).some((f) => at(f, from.strand, from.bead))
    );
  });
}

export function removeSelected() {
  const { selected, document } = useEditor.getState();
  if (!selected) return;
  const beads = document.strands.find((s) => s.id === selected.strand)?.beads ?? [];
  const at = beads.findIndex((b) => b.id === selected.bead);
  const next = beads[at - 1] ?? beads[at + 1];
  edit((d) => deleteBead(d, selected.strand, selected.bead));
  select(next ? { strand: selected.strand, bead: next.id } : null);
  if (next) focusBead(selected.strand, next.id);
  else focusStrand(selected.strand);
}

/** A muted bead passes on what comes in; the first of a strand has nothing to pass on. */
export function muteSelected() {
  const { selected, document } = useEditor.getState();
  const beads = document.strands.find((s) => s.id === selected?.strand)?.beads ?? [];
  const at = beads.findIndex((b) => b.id === selected?.bead);
  if (!selected || at < 1) return;
  change(selected.strand, (s) => (s.beads[at].muted = !s.beads[at].muted));
}
