import { Box, Button, Flex, Grid, IconButton, Input, Menu, Portal, Text } from "@chakra-ui/react";
import { useQuery, useQueryClient } from "@tanstack/react-query";
import { ChevronDown, ChevronRight, Ellipsis } from "lucide-react";
import { useEffect, useMemo, useState } from "react";
import { create } from "zustand";
import { answered, client, type Effect, type Schema, type Told } from "../api/client";
import { NumberControl } from "../bead/number";
import { deleteStrand, inPeoplesWords } from "../document/edit";
import { edit, select, showTab, useEditor } from "../document/editor";
import { placeOf } from "../document/place";
import { references } from "../document/refer";
import { structure } from "../document/tree";
import { focusSoon, focusStrand } from "../focus";
import { Framed } from "../framed";
import { SmallPicture } from "../painter/small-picture";
import { Choice } from "../shelf/begin";
import { fromDocument, LoopPicture } from "../shelf/loop-picture";
import type { Loop } from "../stage/drawing";
import { useRoom } from "../studio/room";

type Spliced = Effect["splices"][number];
type Info = Schema["SpliceInfo"];
type Fit = Schema["FitInfo"];

/** Which dialog is open: all splices, or the keeping of a strand. */
const useOpen = create<{ all: boolean; keeping: string[] | null; again: string | null }>()(() => ({
  all: false,
  keeping: null,
  again: null,
}));
export const openSplices = () => useOpen.setState({ all: true });
export const keepAsSplice = (strands: string[], again: string | null = null) =>
  useOpen.setState({ keeping: strands, again });

const sent = () => useEditor.getState().document as unknown as Record<string, unknown>;
const NONE: Info[] = [];

export function useSplices(): Info[] {
  const got = useQuery({
    queryKey: ["splices"],
    staleTime: 30_000,
    queryFn: () => answered(client.GET("/api/splices")),
  });
  return got.data ?? NONE;
}

/** Takes a document that the core made of the one at hand, as one step. */
const take = (made: unknown) => edit((d) => void Object.assign(d, made as Effect));

const said = (e: unknown) => (e instanceof Error ? e.message : String(e));

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
  const splices = useSplices();
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
  const put = async () => {
    const chosen = Object.fromEntries(Object.entries(joins).filter(([, to]) => to !== STAND_IN));
    try {
      const made = await answered(
        client.POST("/api/splices/{id}/put", {
          params: { path },
          body: { document: sent(), joins: chosen, surface },
        }),
      );
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
      <LoopPicture
        name={["splice", splice.id, splice.digest]}
        load={fromDocument(splice.document)}
        seconds={splice.document.turn.seconds}
        size={200}
      />
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

// --- in the sheet ------------------------------------------------------------------------

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
  const [times, setTimes] = useState(1);
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
        soft={[0.25, 4]}
        hard={[0.001, 1000]}
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
