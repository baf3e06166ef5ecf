import { Box, Dialog, Flex, Input, Portal, Text } from "@chakra-ui/react";
import { useEffect, useMemo, useRef, useState } from "react";
import { allKinds } from "../api/catalogue";
import type { Bead, BeadInfo } from "../api/client";
import { feedable } from "../bead/param";
import { useEditor } from "../document/editor";
import type { Source } from "../painter/small";
import { SmallPicture } from "../painter/small-picture";

export type Place = { strand: string; at: number };
type Choice = {
  key: string;
  title: string;
  words: string;
  bead: Omit<Bead, "id">;
  /** The strand it goes on from, shown alive; kinds have a picture of their own. */
  place: string | null;
  fits: string | null;
  search: string;
};

type Props = {
  place: Place | null;
  source: () => Source | null;
  onClose: () => void;
  onChoose: (bead: Omit<Bead, "id">) => void;
};

/** Finds a bead by its name, or by what people call the result; each with its picture. */
export function Finder({ place, source, onClose, onChoose }: Props) {
  const [text, setText] = useState("");
  const [at, setAt] = useState(0);
  const list = useRef<HTMLDivElement>(null);
  const choices = useChoices(place);
  const found = useMemo(() => matching(choices, text), [choices, text]);
  useEffect(() => {
    setText("");
    setAt(0);
  }, [place]);
  useEffect(() => {
    list.current?.children[at]?.scrollIntoView({ block: "nearest" });
  }, [at]);
  const choose = (c: Choice | undefined) => c && !c.fits && onChoose(c.bead);
  const keys = (e: React.KeyboardEvent) => {
    const columns = 4;
    const by = { ArrowRight: 1, ArrowLeft: -1, ArrowDown: columns, ArrowUp: -columns }[e.key];
    if (by) {
      e.preventDefault();
      setAt((i) => Math.max(0, Math.min(found.length - 1, i + by)));
    } else if (e.key === "Enter") {
      e.preventDefault();
      choose(found[at]);
    }
  };
  return (
    <Dialog.Root
      open={place !== null}
      onOpenChange={(d) => !d.open && onClose()}
      size="lg"
      placement="top"
      motionPreset="none"
    >
      <Portal>
        <Dialog.Backdrop bg="#04080899" />
        <Dialog.Positioner>
          <Dialog.Content bg="raised" color="fog" maxH="80vh" data-testid="finder" onKeyDown={keys}>
            <Dialog.Header pb="2">
              <Dialog.Title fontSize="15px">Add a bead</Dialog.Title>
            </Dialog.Header>
            <Dialog.Body overflow="hidden" display="flex" flexDirection="column" gap="3">
              <Input
                autoFocus
                aria-label="Find a bead"
                placeholder="noise, honeycomb, edge glow, cut …"
                value={text}
                onChange={(e) => {
                  setText(e.target.value);
                  setAt(0);
                }}
                flexShrink={0}
                bg="deep"
                borderColor="line"
              />
              <Box
                ref={list}
                overflowY="auto"
                display="grid"
                gridTemplateColumns="repeat(4, 1fr)"
                gap="2"
                role="listbox"
                aria-label="Beads"
              >
                {found.map((c, i) => (
                  <button
                    key={c.key}
                    type="button"
                    role="option"
                    aria-selected={i === at}
                    aria-disabled={c.fits !== null}
                    className="choice"
                    title={c.words}
                    onClick={() => choose(c)}
                    onPointerMove={() => setAt(i)}
                  >
                    {c.place ? (
                      <SmallPicture source={source} place={c.place} size={64} />
                    ) : (
                      <img
                        className="kind-picture"
                        src={`/beads/${c.key}.png`}
                        alt=""
                        width={64}
                        height={64}
                      />
                    )}
                    <Text fontWeight="600" mt="1">
                      {c.title}
                    </Text>
                    <Text
                      color="mist"
                      fontStyle={c.fits ? "italic" : undefined}
                      fontSize="11.5px"
                      lineHeight="1.25"
                    >
                      {c.fits ?? c.words}
                    </Text>
                  </button>
                ))}
              </Box>
              {found.length === 0 && (
                <Text color="mist">No bead goes by that name. Try what the result looks like.</Text>
              )}
              <Flex color="mist" fontSize="11.5px" gap="4">
                <span>arrows choose</span>
                <span>Enter adds</span>
                <span>Esc closes</span>
              </Flex>
            </Dialog.Body>
          </Dialog.Content>
        </Dialog.Positioner>
      </Portal>
    </Dialog.Root>
  );
}

function useChoices(place: Place | null): Choice[] {
  const strands = useEditor((s) => (place ? s.document.strands : null));
  const peeks = useEditor((s) => s.program?.peeks);
  return useMemo(() => {
    if (!place || !strands) return [];
    const strand = strands.find((s) => s.id === place.strand);
    const before = strand?.beads[place.at - 1];
    const signal = before && peeks?.find((p) => p.place === `strands/${place.strand}/${before.id}`)?.signal;
    const kinds = allKinds()
      .filter((k) => k.kind !== "tap")
      .map(
        (k): Choice => ({
          key: k.kind,
          title: k.title,
          words: k.words,
          bead: { kind: k.kind, settings: {}, params: {}, muted: false },
          place: null,
          fits: misfit(k, before !== undefined, signal),
          search: [k.title, k.kind, ...k.find, k.group].join(" ").toLowerCase(),
        }),
      );
    if (before) return kinds.sort((a, b) => Number(a.fits !== null) - Number(b.fits !== null));
    const taps = feedable({ strands }, `strands/${place.strand}`).map(
      (s): Choice => ({
        key: `tap ${s.strand}`,
        title: s.name,
        words: "Goes on from this strand.",
        bead: { kind: "tap", settings: {}, params: { from: { strand: s.strand, bead: null } }, muted: false },
        place: `strands/${s.strand}/${s.beads.at(-1)!.id}`,
        fits: null,
        search: `${s.name} tap strand`.toLowerCase(),
      }),
    );
    return [...kinds.filter((k) => !k.fits), ...taps, ...kinds.filter((k) => k.fits)];
  }, [strands, peeks, place]);
}

/** Why a kind cannot stand at a place, or null where it can. */
function misfit(kind: BeadInfo, behind: boolean, signal: string | undefined): string | null {
  const name = (t: string) => (t === "coords" ? "coordinates" : `a ${t}`);
  if (kind.takes.length === 0) return behind ? "starts a strand" : null;
  if (!behind) return `needs ${name(kind.takes[0])} before it`;
  if (!signal) return null;
  return kind.takes.includes(signal) ? null : `takes ${kind.takes.map(name).join(" or ")}`;
}

function matching(choices: Choice[], text: string): Choice[] {
  const words = text.toLowerCase().split(/\s+/).filter(Boolean);
  const found = choices.filter((c) => words.every((w) => c.search.includes(w)));
  const first = words[0];
  return first ? found.sort((a, b) => rank(a, first) - rank(b, first)) : found;
}

const rank = (c: Choice, word: string) =>
  (c.fits ? 10 : 0) +
  (c.title.toLowerCase().startsWith(word) ? 0 : c.title.toLowerCase().includes(word) ? 1 : 2);
