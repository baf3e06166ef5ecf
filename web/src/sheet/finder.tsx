import { Dialog, Input, Portal } from "@chakra-ui/react";
import { useEffect, useMemo, useRef, useState } from "react";
import { allKinds, goingOn, kindOf } from "../api/catalogue";
import type { Bead, BeadInfo, Schema } from "../api/client";
import { useEditor } from "../document/editor";
import { useEscapeAtOnce } from "../focus";
import { OVER, Veil } from "../framed";
import type { Source } from "../painter/small";
import { SmallPicture } from "../painter/small-picture";
import { Box, Flex, Text } from "../plain";

/** Where a bead goes; without a strand, into a new one. */
export type Place = { strand: string | null; at: number };
type Choice = {
  key: string;
  title: string;
  words: string;
  beads: Omit<Bead, "id">[];
  /** What it goes on from, shown alive; kinds have a picture of their own. */
  place: string | null;
  /** Why it cannot stand there, or null. */
  misfit: string | null;
  search: string;
  /** Those that fit come first, then what is gone on from, then those that bring others. */
  order: number;
};

type Fit = Schema["Fit"];

type Props = {
  place: Place | null;
  source: () => Source | null;
  onClose: () => void;
  onChoose: (beads: Omit<Bead, "id">[]) => void;
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
  const choose = (c: Choice | undefined) => c && !c.misfit && onChoose(c.beads);
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
  useEscapeAtOnce(place !== null, onClose);
  return (
    <Dialog.Root
      open={place !== null}
      onOpenChange={(d) => !d.open && onClose()}
      size="lg"
      placement="top"
      {...OVER}
    >
      <Portal>
        <Veil />
        <Dialog.Positioner>
          <Dialog.Content bg="raised" color="fog" maxH="80vh" data-testid="finder" onKeyDown={keys}>
            <Dialog.Header pb="2">
              <Dialog.Title fontSize="15px">Add a bead</Dialog.Title>
            </Dialog.Header>
            <Dialog.Body overflow="hidden" display="flex" flexDirection="column" gap="3">
              <Input
                autoFocus
                aria-label="Find a bead"
                role="combobox"
                aria-expanded="true"
                aria-autocomplete="list"
                aria-controls="found-beads"
                aria-activedescendant={found[at] && `found-${at}`}
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
                id="found-beads"
                aria-label="Beads"
              >
                {found.map((c, i) => (
                  // biome-ignore lint/a11y/useKeyWithClickEvents: the field above takes the keys
                  <div
                    key={c.key}
                    id={`found-${i}`}
                    role="option"
                    tabIndex={-1}
                    aria-selected={i === at}
                    aria-disabled={c.misfit !== null}
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
                      fontStyle={c.misfit || c.beads.length > 1 ? "italic" : undefined}
                      fontSize="11.5px"
                      lineHeight="1.25"
                    >
                      {c.misfit ?? brings(c) ?? c.words}
                    </Text>
                  </div>
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
    const after = place.at === 0 ? strand?.beads[0] : undefined;
    const peek = before && peeks?.find((p) => p.place === `strands/${place.strand}/${before.id}`);
    const comes = before ? (peek?.signal ?? "a fault") : "";
    const kinds = allKinds()
      .filter((k) => !k.goes_on)
      .map((k): Choice => {
        const { misfit, brings } = fit(k, comes, after && kindOf(after.kind));
        return {
          key: k.kind,
          title: k.title,
          words: k.words,
          beads: [...brings, k.kind].map(plainBead),
          place: null,
          misfit,
          search: [k.title, k.kind, ...k.find, k.group].join(" ").toLowerCase(),
          order: misfit ? 4 : brings.length ? 2 : 0,
        };
      });
    if (before || after) return kinds.sort((a, b) => a.order - b.order);
    const goOn = (id: string, name: string, bead: Bead, end: boolean): Choice => ({
      key: `on ${id} ${end ? "" : bead.id}`,
      title: end ? name : `${name} · ${kindOf(bead.kind)?.title ?? bead.kind}`,
      words: end ? "Goes on from this strand." : "Goes on from this bead of it.",
      beads: [goingOn(id, end ? null : bead.id)],
      place: `strands/${id}/${bead.id}`,
      misfit: null,
      search: `${name} ${bead.kind} tap strand go on`.toLowerCase(),
      order: end ? 1 : 3,
    });
    const row = place.strand === null ? strands.length : strands.findIndex((s) => s.id === place.strand);
    const above = strands.slice(0, row).filter((s) => s.beads.length > 0);
    const ends = above.map((s) => goOn(s.id, s.name, s.beads.at(-1)!, true));
    const inner = above.flatMap((s) => s.beads.slice(0, -1).map((b) => goOn(s.id, s.name, b, false)));
    return [...kinds, ...ends, ...inner].sort((a, b) => a.order - b.order);
  }, [strands, peeks, place]);
}

const plainBead = (kind: string) => ({ kind, settings: {}, params: {}, muted: false });

/** What is put before a bead for people, in words. */
function brings(c: Choice): string | null {
  const others = c.beads.slice(0, -1).map((b) => kindOf(b.kind)?.title ?? b.kind);
  return others.length ? `brings ${others.join(" and ")} before it` : null;
}

/** Whether a kind can stand behind a signal, or at the beginning, and before another kind. */
function fit(kind: BeadInfo, comes: string, next: BeadInfo | undefined): Fit {
  const misfit = next?.refuses[kind.gives];
  // Behind a fault nobody knows what comes in, and anything may be tried.
  return misfit ? { misfit, brings: [] } : (kind.fits[comes] ?? { misfit: null, brings: [] });
}

function matching(choices: Choice[], text: string): Choice[] {
  const words = text.toLowerCase().split(/\s+/).filter(Boolean);
  const found = choices.filter((c) => words.every((w) => c.search.includes(w)));
  const first = words[0];
  // What is called so comes first, whether or not it brings something with it.
  return first ? found.sort((a, b) => rank(a, first) - rank(b, first)) : found;
}

const rank = (c: Choice, word: string) => {
  const title = c.title.toLowerCase();
  const named = title === word ? 0 : title.startsWith(word) ? 1 : title.includes(word) ? 2 : 3;
  return (c.misfit ? 100 : 0) + named * 10 + c.order;
};
