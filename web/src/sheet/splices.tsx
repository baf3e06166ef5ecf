import { Button, Input } from "@chakra-ui/react";
import { useQuery, useQueryClient } from "@tanstack/react-query";
import { useEffect, useState } from "react";
import { answered, client, type Effect, type Schema, type Told } from "../api/client";
import { inPeoplesWords } from "../document/edit";
import { edit, select, sent, showTab, useEditor } from "../document/editor";
import { placeOf } from "../document/place";
import { focusSoon } from "../focus";
import { Framed } from "../framed";
import { ofOneEffect } from "../one-effect";
import { SmallPicture } from "../painter/small-picture";
import { Box, Flex, Grid, Text } from "../plain";
import { Choice } from "../shelf/begin";
import { fromDocument, LoopPicture } from "../shelf/loop-picture";
import type { Loop } from "../stage/drawing";

type Info = Schema["SpliceInfo"];
type Fit = Schema["FitInfo"];

/** Which dialog is open: all splices, or the keeping of a strand. */
const useOpen = ofOneEffect<{ all: boolean; keeping: string[] | null; again: string | null }>(() => ({
  all: false,
  keeping: null,
  again: null,
}));
export const openSplices = () => useOpen.setState({ all: true });
export const keepAsSplice = (strands: string[], again: string | null = null) =>
  useOpen.setState({ keeping: strands, again });

const NONE: Info[] = [];

/** All splices, no older than so many milliseconds when they are first shown. */
export function useSplices(old = 30_000): Info[] {
  const got = useQuery({
    queryKey: ["splices"],
    staleTime: old,
    queryFn: () => answered(client.GET("/api/splices")),
  });
  return got.data ?? NONE;
}

/** Takes a document that the core made of the one at hand, as one step. */
export const take = (made: unknown) => edit((d) => void Object.assign(d, made as Effect));

export const said = (e: unknown) => (e instanceof Error ? e.message : String(e));

// --- all of them -------------------------------------------------------------------------

const SIZE = 104;

/** The dialogs of splices; they stand once in the sheet. */
export function SpliceDialogs({ loop }: { loop: Loop }) {
  const { all, keeping } = useOpen();
  const [chosen, setChosen] = useState<Info | null>(null);
  const close = () => {
    useOpen.setState({ all: false });
    setChosen(null);
  };
  return (
    <>
      <Framed
        open={all}
        title={chosen ? `Put in: ${chosen.name}` : "Splices"}
        testId="splices"
        size="xl"
        onClose={close}
      >
        {chosen ? (
          <PutIn splice={chosen} loop={loop} onBack={() => setChosen(null)} onDone={close} />
        ) : (
          <All onChoose={setChosen} />
        )}
      </Framed>
      <Framed
        open={keeping !== null}
        title="Keep as a splice"
        testId="keep-splice"
        onClose={() => useOpen.setState({ keeping: null })}
      >
        {keeping && <Keep first={keeping} />}
      </Framed>
    </>
  );
}

function All({ onChoose }: { onChoose: (splice: Info) => void }) {
  const splices = useSplices(0);
  const again = useQueryClient();
  const [gone, setGone] = useState<Info | null>(null);
  const [wrong, setWrong] = useState("");
  const refresh = () => again.invalidateQueries({ queryKey: ["splices"] });
  const doing = async (what: () => Promise<unknown>) => {
    try {
      await what();
      setWrong("");
    } catch (e) {
      setWrong(said(e));
    }
    await refresh();
  };
  const remove = (splice: Info) =>
    doing(async () => {
      await answered(client.DELETE("/api/splices/{id}", { params: { path: { id: splice.id } } }));
      setGone(splice);
    });
  const putBack = (splice: Info) =>
    doing(async () => {
      await answered(client.POST("/api/splices/{id}/restore", { params: { path: { id: splice.id } } }));
      setGone(null);
    });
  const bring = (file: File | undefined) =>
    file &&
    doing(async () => {
      const form = new FormData();
      form.set("file", file);
      const answer = await fetch("/api/splices/import", { method: "POST", body: form });
      if (!answer.ok) throw new Error(((await answer.json()) as Told).words);
    });
  return (
    <>
      <Flex align="center" gap="3" mb="3" wrap="wrap">
        <Text color="mist" flex="1">
          Strands to put into this effect, with what they need. What is put in is a copy.
        </Text>
        {gone && (
          <Button size="xs" variant="outline" borderColor="line" onClick={() => void putBack(gone)}>
            put {gone.name} back
          </Button>
        )}
        <label className="file-button">
          from a file …
          <input
            type="file"
            accept=".json,.zip"
            className="unseen"
            onChange={(e) => {
              void bring(e.target.files?.[0]);
              e.target.value = "";
            }}
          />
        </label>
      </Flex>
      {wrong && (
        <Text color="coral" role="alert" mb="2">
          {wrong}
        </Text>
      )}
      <Grid templateColumns="repeat(auto-fill, minmax(9rem, 1fr))" gap="4">
        {splices.map((s) => (
          <Box key={s.id} data-splice={s.id}>
            <Choice name={s.name} words={s.words} onClick={() => onChoose(s)}>
              <LoopPicture
                name={["splice", s.id, s.digest]}
                load={fromDocument(s.document)}
                seconds={s.document.turn.seconds}
                size={SIZE}
              />
            </Choice>
            {!s.shipped && (
              <Flex justify="center" gap="3" fontSize="11.5px">
                <a className="link" href={`/api/splices/${s.id}/export`} download>
                  as a file
                </a>
                <button type="button" className="link" onClick={() => void remove(s)}>
                  take away
                </button>
              </Flex>
            )}
          </Box>
        ))}
      </Grid>
    </>
  );
}

const STAND_IN = "";

/** What a splice's inlets are joined to, chosen with pictures. */
function PutIn({
  splice,
  loop,
  onBack,
  onDone,
}: {
  splice: Info;
  loop: Loop;
  onBack: () => void;
  onDone: () => void;
}) {
  const [joins, setJoins] = useState<Record<string, string>>({});
  const [surface, setSurface] = useState(true);
  const [wrong, setWrong] = useState("");
  const path = { id: splice.id };
  const got = useQuery({
    queryKey: ["fits", splice.id],
    gcTime: 0,
    queryFn: () =>
      answered(client.POST("/api/splices/{id}/fits", { params: { path }, body: { document: sent() } })),
  });
  useEffect(() => {
    if (got.data)
      setJoins(Object.fromEntries(got.data.flatMap((f) => (f.best ? [[f.strand, f.best] as const] : []))));
  }, [got.data]);
  const chosen = Object.fromEntries(Object.entries(joins).filter(([, to]) => to !== STAND_IN));
  const asked = () =>
    answered(
      client.POST("/api/splices/{id}/put", {
        params: { path },
        body: { document: sent(), joins: chosen, surface },
      }),
    );
  // As it would look here; what is open in a dialog does not change meanwhile.
  const here = useQuery({
    queryKey: ["put", splice.id, chosen],
    gcTime: 0,
    enabled: surface && !!got.data,
    placeholderData: (last) => last,
    queryFn: async () => (await asked()).document as Effect,
  });
  const put = async () => {
    try {
      const made = await asked();
      const had = new Set(useEditor.getState().document.beacons.map((b) => b.id));
      take(made.document);
      onDone();
      const own = useEditor.getState().document.strands.filter((s) => s.of === made.id);
      const last = own.at(-1);
      const end = last?.beads.at(-1);
      if (last && end) select({ strand: last.id, bead: end.id });
      // A beacon that came along is ready to be aimed: its handles are there with the stage's settings.
      if (useEditor.getState().document.beacons.some((b) => !had.has(b.id))) showTab("stage");
      focusSoon(`[data-group="${CSS.escape(made.id)}"] .fold`);
    } catch (e) {
      setWrong(said(e));
    }
  };
  return (
    <Flex gap="6" wrap="wrap">
      <Flex direction="column" gap="3">
        {surface && here.data && (
          <figure className="pictured">
            <LoopPicture
              name={["put", splice.id, chosen]}
              load={fromDocument(here.data)}
              seconds={here.data.turn.seconds}
              size={200}
            />
            <Text as="figcaption" color="mist" fontSize="11.5px" textAlign="center">
              in this effect
            </Text>
          </figure>
        )}
        <figure className="pictured">
          <LoopPicture
            name={["splice", splice.id, splice.digest]}
            load={fromDocument(splice.document)}
            seconds={splice.document.turn.seconds}
            size={surface ? 120 : 200}
          />
          <Text as="figcaption" color="mist" fontSize="11.5px" textAlign="center">
            by itself
          </Text>
        </figure>
      </Flex>
      <Box flex="1" minW="18rem">
        <Text mb="3">{splice.words}</Text>
        {got.data?.length === 0 && (
          <Text color="mist" mb="3">
            It needs nothing from this effect.
          </Text>
        )}
        {got.data?.map((f) => (
          <InletRow
            key={f.strand}
            fit={f}
            value={joins[f.strand] ?? STAND_IN}
            loop={loop}
            onChange={(to) => setJoins({ ...joins, [f.strand]: to })}
          />
        ))}
        <label className="check">
          <input type="checkbox" checked={surface} onChange={(e) => setSurface(e.target.checked)} /> send it
          to the surface, as it was where it was made
        </label>
        {(wrong || got.error) && (
          <Text color="coral" role="alert">
            {wrong || got.error?.message}
          </Text>
        )}
        <Flex gap="3" mt="4">
          <Button size="sm" bg="glass" color="ink" rounded="full" onClick={() => void put()}>
            put it in
          </Button>
          <Button size="sm" variant="outline" borderColor="line" rounded="full" onClick={onBack}>
            another
          </Button>
        </Flex>
      </Box>
    </Flex>
  );
}

function InletRow({
  fit,
  value,
  loop,
  onChange,
}: {
  fit: Fit;
  value: string;
  loop: Loop;
  onChange: (to: string) => void;
}) {
  const endOf = (strand: string) => {
    const d = useEditor.getState().document;
    return placeOf(strand, d.strands.find((s) => s.id === strand)?.beads.at(-1)?.id);
  };
  const words = (option: string) => inPeoplesWords(useEditor.getState().document, `strands/${option}`);
  const ends = fit.options.filter((o) => !o.includes("/"));
  return (
    <Box mb="3" data-inlet={fit.strand}>
      <Flex align="center" gap="3">
        <Text minW="7rem">{fit.name}</Text>
        <select
          className="plain-select wide"
          aria-label={`What ${fit.name} is joined to`}
          value={value}
          onChange={(e) => onChange(e.target.value)}
        >
          <option value={STAND_IN}>a plain one that comes along</option>
          {fit.options.map((o) => (
            <option key={o} value={o}>
              {words(o)}
            </option>
          ))}
        </select>
      </Flex>
      <Flex gap="2" mt="1" wrap="wrap" role="group" aria-label={`Strands for ${fit.name}, by picture`}>
        {ends.map((o) => (
          <button
            key={o}
            type="button"
            className="inlet-picture"
            aria-pressed={value === o}
            title={words(o)}
            aria-label={words(o)}
            onClick={() => onChange(o)}
          >
            <SmallPicture source={loop.source} place={endOf(o)} size={44} />
          </button>
        ))}
      </Flex>
    </Box>
  );
}

// --- keeping -----------------------------------------------------------------------------

/** Which strands are kept, under which name; what they need beside that becomes an inlet. */
function Keep({ first }: { first: string[] }) {
  const strands = useEditor((s) => s.document.strands);
  const { again } = useOpen();
  const refresh = useQueryClient();
  const [chosen, setChosen] = useState(first);
  const origin = useSplices().find((s) => s.id === again);
  const own = strands.find((s) => s.id === first.at(-1));
  const [name, setName] = useState(origin?.name ?? own?.name ?? "");
  const [words, setWords] = useState(origin?.words ?? "");
  const [wrong, setWrong] = useState("");
  const needed = useQuery({
    queryKey: ["needed", ...chosen],
    gcTime: 0,
    enabled: chosen.length > 0,
    queryFn: () =>
      answered(client.POST("/api/splices/needed", { body: { document: sent(), strands: chosen } })),
  });
  const needs = new Set(chosen.length ? needed.data : []);
  const keep = async () => {
    try {
      await answered(
        client.POST("/api/splices/cut", {
          body: { document: sent(), strands: chosen, name: name.trim(), words: words.trim(), id: again },
        }),
      );
      await refresh.invalidateQueries({ queryKey: ["splices"] });
      useOpen.setState({ keeping: null });
    } catch (e) {
      setWrong(said(e));
    }
  };
  return (
    <Box>
      <Flex gap="3" align="center" mb="2">
        <Text w="4rem" color="mist">
          name
        </Text>
        <Input
          size="sm"
          borderColor="line"
          aria-label="Name of the splice"
          value={name}
          maxLength={120}
          onChange={(e) => setName(e.target.value)}
        />
      </Flex>
      <Flex gap="3" align="center" mb="3">
        <Text w="4rem" color="mist">
          what for
        </Text>
        <Input
          size="sm"
          borderColor="line"
          aria-label="What the splice is for"
          value={words}
          maxLength={500}
          onChange={(e) => setWords(e.target.value)}
        />
      </Flex>
      <Box maxH="16rem" overflowY="auto" mb="3">
        {strands.map((s) => (
          <Flex key={s.id} align="center" gap="3" minH="7">
            <label className="check">
              <input
                type="checkbox"
                checked={chosen.includes(s.id)}
                onChange={(e) =>
                  setChosen(e.target.checked ? [...chosen, s.id] : chosen.filter((x) => x !== s.id))
                }
              />{" "}
              {s.name}
            </label>
            {needs.has(s.id) && <Text color="mist">needed: comes along if chosen, else an inlet</Text>}
          </Flex>
        ))}
      </Box>
      {wrong && (
        <Text color="coral" role="alert" mb="2">
          {wrong}
        </Text>
      )}
      <Flex gap="3">
        <Button
          size="sm"
          bg="glass"
          color="ink"
          rounded="full"
          disabled={!name.trim() || !chosen.length}
          onClick={() => void keep()}
        >
          {again ? "bring the splice up to this" : "keep it"}
        </Button>
        {needs.size > 0 && (
          <Button
            size="sm"
            variant="outline"
            borderColor="line"
            rounded="full"
            onClick={() => setChosen([...chosen, ...needs])}
          >
            take along all it needs
          </Button>
        )}
      </Flex>
    </Box>
  );
}
