import { Button } from "@chakra-ui/react";
import { allKinds, inputsOf, kindOf } from "../api/catalogue";
import { round } from "../document/edit";
import { Framed } from "../framed";
import { ofOneEffect } from "../one-effect";
import { Box, Flex, Text } from "../plain";

const useHelp = ofOneEffect<{ kind: string | null }>(() => ({ kind: null }));

/** Opens the page of a kind of bead; without one, that of the first. */
export const showHelp = (kind: string | null) => useHelp.setState({ kind: kind ?? allKinds()[0].kind });

/** What each kind of bead does: its picture, its numbers with their ranges, its formula and its source. */
export function HelpDialog() {
  const kind = useHelp((s) => s.kind);
  const bead = kind ? kindOf(kind) : undefined;
  const close = () => useHelp.setState({ kind: null });
  return (
    <Framed open={bead !== undefined} title={bead?.title ?? ""} testId="help" onClose={close}>
      {bead && <Page key={bead.kind} kind={bead.kind} />}
    </Framed>
  );
}

const signal = (s: string) => (s === "coords" ? "coordinates" : s);

function Page({ kind }: { kind: string }) {
  const bead = kindOf(kind)!;
  const near = allKinds().filter((k) => k.group === bead.group && k.kind !== kind);
  return (
    <Box>
      <Flex gap="5" align="center" mb="4">
        <img className="kind-picture" src={`/beads/${kind}.png`} alt="" width={88} height={88} />
        <Box>
          <Text>{bead.words}</Text>
          <Text color="mist" mt="1">
            {bead.takes.length ? `takes ${bead.takes.map(signal).join(" or ")}` : "starts a strand"} · gives{" "}
            {signal(bead.gives)}
          </Text>
        </Box>
      </Flex>
      <Box as="dl">
        {inputsOf(bead).map((p) => (
          <Entry key={p.name} term={p.label} words={p.words} more={range(p)} />
        ))}
        {bead.settings.map((s) => (
          <Entry
            key={s.name}
            term={s.label}
            words={s.words}
            more={s.options.length ? s.options.join(", ") : s.kind === "whole" ? `${s.low} … ${s.high}` : ""}
          />
        ))}
      </Box>
      {bead.formula && (
        <Text fontFamily="mono" fontSize="12.5px" mt="3">
          {bead.formula}
        </Text>
      )}
      {bead.source && (
        <Text color="mist" mt="2">
          {bead.source}
        </Text>
      )}
      <Text color="mist" mt="4" mb="1">
        the others among {bead.group}
      </Text>
      <Flex wrap="wrap" gap="2">
        {near.map((k) => (
          <Button key={k.kind} size="2xs" variant="outline" onClick={() => showHelp(k.kind)}>
            {k.title}
          </Button>
        ))}
      </Flex>
    </Box>
  );
}

function range(p: ReturnType<typeof inputsOf>[number]): string {
  const begins = [p.default].flat().every((x) => typeof x === "number")
    ? [p.default].flat().map((x) => round(x as number))
    : [];
  const soft =
    p.type === "number" || p.type === "pair" || p.type === "triple" ? `${p.soft[0]} … ${p.soft[1]}` : "";
  return [
    begins.length ? `begins at ${begins.join(" · ")}` : "",
    soft,
    p.unit,
    p.feed ? "a strand can feed it" : "",
  ]
    .filter(Boolean)
    .join(", ");
}

function Entry({ term, words, more }: { term: string; words: string; more: string }) {
  return (
    <Flex gap="4" py="1" borderTop="1px solid" borderColor="line">
      <Text as="dt" w="8rem" flexShrink={0} fontWeight="600">
        {term}
      </Text>
      <Box as="dd" flex="1">
        {words}{" "}
        {more && (
          <Text as="span" color="mist">
            {more}
          </Text>
        )}
      </Box>
    </Flex>
  );
}
