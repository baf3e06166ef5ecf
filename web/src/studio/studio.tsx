import { Button, Tabs } from "@chakra-ui/react";
import { useQuery } from "@tanstack/react-query";
import { useCallback, useEffect, useRef, useState } from "react";
import { answered, client, Refused } from "../api/client";
import { BakeDialog } from "../bake/dialog";
import { BeadControls } from "../bead/controls";
import { startLooking } from "../checks/looking";
import { ChecksPanel } from "../checks/panel";
import { startAhead } from "../document/ahead";
import { startCompiling } from "../document/compiling";
import { type Draft, draftOf, dropDraft } from "../document/drafts";
import { open, replace, showTab, type Tab, useEditor } from "../document/editor";
import { startHits } from "../document/measuring";
import { startMoving } from "../document/moving";
import { leftSaved, startSaving } from "../document/saving";
import { follow } from "../drag";
import { FrontPanel } from "../front/panel";
import { Notice } from "../notice";
import { leaveEffect } from "../one-effect";
import { Box, Flex, Text } from "../plain";
import { noSlips } from "../playback/slips";
import { Transport } from "../playback/transport";
import { unroll, useHand } from "../ring/hand";
import { Ring } from "../ring/ring";
import { OrUnrolled } from "../ring/unrolled";
import { go } from "../route";
import type { Place } from "../sheet/finder";
import { Sheet } from "../sheet/sheet";
import { startSignals } from "../signals/live";
import { SignalsPanel } from "../signals/panel";
import { bringLooks, CompareRow } from "../stage/compare";
import { Tried } from "../stage/conditions";
import { Loop } from "../stage/drawing";
import { MomentsRow } from "../stage/moments";
import { StagePanel } from "../stage/panel";
import { Phases } from "../stage/phases";
import { Stage } from "../stage/stage";
import { SurfacePanel } from "../surface/panel";
import { SurfaceStrip } from "../surface/strip";
import { useClipboard } from "./clipboard";
import { Header } from "./header";
import { HelpDialog } from "./help";
import { HistoryDialog } from "./history";
import { KeysDialog } from "./keys";
import { setHeight, toggleWide, useRoom } from "./room";
import "./studio.css";
import { useShortcuts } from "./shortcuts";

/** One effect: the stage in its ring at left, the sheet and what is selected at right. */
export function Studio({ id }: { id: string }) {
  const [opened, setOpened] = useState(false);
  const got = useQuery({
    queryKey: ["effect", id],
    gcTime: 0,
    staleTime: Number.POSITIVE_INFINITY,
    retry: false,
    queryFn: async () => {
      await leftSaved(id);
      return answered(client.GET("/api/effects/{id}", { params: { path: { id } } }));
    },
  });
  const [draft, setDraft] = useState<Draft | null>(null);
  useEffect(() => {
    if (!got.data) return;
    open(id, got.data.document, got.data.revision);
    void bringLooks(id);
    setOpened(true);
    const { document } = got.data;
    void draftOf(id).then((found) => {
      // What was acknowledged after all, while the page was already gone, needs no question.
      if (found && JSON.stringify(found.document) !== JSON.stringify(document)) setDraft(found);
      else if (found) void dropDraft(id);
    });
  }, [got.data, id]);
  if (got.error) {
    const gone = got.error instanceof Refused && got.error.status === 404;
    return gone ? (
      <Notice title="There is no such effect" action="To the shelf" onAction={() => go("/")}>
        It may have been deleted; the shelf can bring back what was deleted last.
      </Notice>
    ) : (
      <Notice title="The effect did not open" action="Try again" onAction={() => got.refetch()}>
        {got.error.message}
      </Notice>
    );
  }
  if (!opened) return <Notice title="Opening the effect …" />;
  return <Open offer={draft && <Unsaved id={id} draft={draft} onDone={() => setDraft(null)} />} />;
}

const TABS: [Tab, string][] = [
  ["bead", "Bead"],
  ["surface", "Surface"],
  ["stage", "Stage"],
  ["front", "Front"],
  ["signals", "Signals"],
  ["checks", "Checks"],
];

/** What was changed here and never reached the server, to be taken up again. */
function Unsaved({ id, draft, onDone }: { id: string; draft: Draft; onDone: () => void }) {
  const when = new Date(draft.at).toLocaleString(undefined, { dateStyle: "medium", timeStyle: "short" });
  const takeUp = () => {
    // Upon the revision that it was made on: where others saved since, that is told and decided.
    replace(draft.document, draft.base, "unsaved");
    onDone();
  };
  return (
    <Flex px="4" py="2" gap="3" align="center" bg="raised" role="status" data-testid="draft">
      <Text flex="1">Changes of {when} were made here and did not reach the server.</Text>
      <Button size="xs" bg="glass" color="ink" rounded="full" onClick={takeUp}>
        take them up
      </Button>
      <Button
        size="xs"
        variant="outline"
        rounded="full"
        onClick={() => {
          void dropDraft(id);
          onDone();
        }}
      >
        throw them away
      </Button>
    </Flex>
  );
}

function Open({ offer }: { offer: React.ReactNode }) {
  const [loop] = useState(() => new Loop());
  const [baking, setBaking] = useState(false);
  const [keys, setKeys] = useState(false);
  const [past, setPast] = useState(false);
  const [finding, setFinding] = useState<Place | null>(null);
  const name = useEditor((s) => s.document.name);
  useEffect(startSaving, []);
  useEffect(startCompiling, []);
  useEffect(startAhead, []);
  useEffect(startLooking, []);
  useEffect(startMoving, []);
  useEffect(startHits, []);
  useEffect(startSignals, []);
  useEffect(() => atRest, []);
  useEffect(() => {
    document.title = `${name} · Whorl`;
  }, [name]);
  useClipboard();
  useShortcuts(
    setFinding,
    useCallback(() => setKeys(true), []),
  );
  return (
    <Flex direction="column" className="studio">
      <SkipLinks />
      <Header onBake={() => setBaking(true)} onKeys={() => setKeys(true)} onHistory={() => setPast(true)} />
      {offer}
      <main className="studio-main">
        <h1 className="unseen">{name}</h1>
        <Left loop={loop} />
        <Right loop={loop} finding={finding} onFind={setFinding} />
      </main>
      <BakeDialog open={baking} loop={loop} onClose={() => setBaking(false)} />
      <HelpDialog />
      <HistoryDialog open={past} onClose={() => setPast(false)} />
      <KeysDialog open={keys} onClose={() => setKeys(false)} />
    </Flex>
  );
}

/** The first things that Tab meets: past the header, to the parts of the page. */
function SkipLinks() {
  const { front, wide } = useRoom();
  return (
    <nav aria-label="Parts of the page">
      {!front && !wide && (
        <a className="skip" href="#sheet">
          to the sheet
        </a>
      )}
      {!wide && (
        <a className="skip" href="#panel">
          to the panel
        </a>
      )}
    </nav>
  );
}

type RightProps = { loop: Loop; finding: Place | null; onFind: (place: Place | null) => void };

/** What belonged to the effect that was open. */
function atRest() {
  noSlips();
  leaveEffect();
}

/**
 * The sheet and the panels. A bead's panel lies below the sheet, as high as its divider says; the others
 * take the whole height, and the sheet becomes one line, unless there is room for both side by side.
 */
function Right({ loop, finding, onFind }: RightProps) {
  const { wide, beside, height, front } = useRoom();
  const tab = useEditor((s) => s.tab);
  const count = useEditor((s) => s.document.strands.length);
  const unrolled = useHand((s) => s.unrolled);
  if (wide) return null;
  if (front)
    return (
      <section className="studio-right front-tried" aria-label="Front" id="panel" tabIndex={-1}>
        <FrontPanel loop={loop} />
      </section>
    );
  const tall = tab !== "bead" || unrolled;
  const away = tall && !beside;
  return (
    <div className={beside && tall ? "studio-right studio-beside" : "studio-right"}>
      <Flex direction="column" flex="1" minH="0" minW="0" display={away ? "none" : "flex"}>
        <Sheet loop={loop} finding={finding} onFind={onFind} />
        <SurfaceStrip loop={loop} />
      </Flex>
      {away && (
        <button
          type="button"
          className="sheet-line"
          onClick={() => {
            unroll(false);
            showTab("bead");
          }}
          data-testid="sheet-line"
        >
          Sheet · {count === 1 ? "one strand" : `${count} strands`}
          <span className="sheet-line-hint">bring it back (1)</span>
        </button>
      )}
      {!tall && <Divider />}
      <Panels loop={loop} look={tall ? (beside ? "panels-beside" : "panels-tall") : ""} height={height} />
    </div>
  );
}

/** The line between sheet and panel: dragged, or moved by arrow keys. */
function Divider() {
  const height = useRoom((s) => s.height);
  const share = Math.round((height / window.innerHeight) * 100);
  return (
    <div
      className="divider"
      role="separator"
      aria-orientation="horizontal"
      aria-label="Height of the panel"
      aria-valuemin={0}
      aria-valuemax={100}
      aria-valuenow={share}
      aria-valuetext={`${share} % of the page`}
      tabIndex={0}
      onPointerDown={(e) => follow(e, (m) => setHeight(window.innerHeight - m.clientY))}
      onKeyDown={(e) => {
        const by = { ArrowUp: 24, ArrowDown: -24 }[e.key];
        if (!by) return;
        e.preventDefault();
        e.stopPropagation();
        setHeight(height + by);
      }}
      data-testid="divider"
    />
  );
}

/** What is selected, the surface, the stage and the checks, one at a time. */
function Panels({ loop, look, height }: { loop: Loop; look: string; height: number }) {
  const tab = useEditor((s) => s.tab);
  return (
    <section
      id="panel"
      tabIndex={-1}
      aria-label="Panel"
      className={`panels ${look}`}
      style={{ "--panel": `${height}px` } as React.CSSProperties}
    >
      <Tabs.Root
        value={tab}
        onValueChange={(d) => showTab(d.value as Tab)}
        display="flex"
        flexDirection="column"
        flex="1"
        minH="0"
        variant="plain"
        lazyMount
        unmountOnExit
      >
        <Tabs.List gap="5" px="4" pt="2" justifyContent="flex-end" aria-label="Panels">
          {TABS.map(([key, label]) => (
            <Tabs.Trigger key={key} value={key} className="tab" px="0" h="7" minW="6">
              {label}
            </Tabs.Trigger>
          ))}
        </Tabs.List>
        {TABS.map(([key, label]) => (
          <Tabs.Content
            key={key}
            value={key}
            flex="1"
            minH="0"
            overflowY="auto"
            px="4"
            pb="3"
            pt="1"
            data-testid={`panel-${key}`}
          >
            <h2 className="unseen">{label}</h2>
            {key === "bead" && (
              <OrUnrolled loop={loop}>
                <BeadControls loop={loop} />
              </OrUnrolled>
            )}
            {key === "surface" && (
              <OrUnrolled loop={loop}>
                <SurfacePanel loop={loop} />
              </OrUnrolled>
            )}
            {key === "stage" && (
              <OrUnrolled loop={loop}>
                <StagePanel loop={loop} />
              </OrUnrolled>
            )}
            {key === "front" && (
              <OrUnrolled loop={loop}>
                <FrontPanel loop={loop} />
              </OrUnrolled>
            )}
            {key === "signals" && (
              <OrUnrolled loop={loop}>
                <SignalsPanel />
              </OrUnrolled>
            )}
            {key === "checks" && <ChecksPanel loop={loop} />}
          </Tabs.Content>
        ))}
      </Tabs.Root>
    </section>
  );
}

/** The neutral side: ring and stage, transport, phases, and the stage in a few words. */
function Left({ loop }: { loop: Loop }) {
  const box = useRef<HTMLDivElement>(null);
  const [size, setSize] = useState({ w: 536, h: 750 });
  const { wide, stacked, trying } = useRoom();
  useEffect(() => {
    const watch = new ResizeObserver(([e]) => setSize({ w: e.contentRect.width, h: e.contentRect.height }));
    watch.observe(box.current!);
    return () => watch.disconnect();
  }, []);
  const high = stacked ? 520 : size.h;
  const diameter = Math.max(200, Math.min(size.w - 8, high - 196));
  return (
    <section
      ref={box}
      aria-label="Stage and playback"
      className={wide ? "studio-left studio-whole" : "studio-left"}
    >
      <Box position="relative">
        <Box visibility={trying ? "hidden" : undefined}>
          <Ring diameter={diameter}>{(inner) => <Stage loop={loop} diameter={inner} />}</Ring>
        </Box>
        {trying && <Tried what={trying} side={diameter} />}
      </Box>
      <Transport />
      <Box mt="2">
        <Phases loop={loop} size={Math.min(52, (size.w - 90) / 8)} />
      </Box>
      <StageWords />
    </section>
  );
}

function StageWords() {
  const { shape, backdrop, exposure, bloom } = useEditor((s) => s.document.stage);
  const told = (x: unknown) => (typeof x === "number" ? x : "moving");
  const light = `exposure ${Number(exposure) > 0 ? "+" : ""}${told(exposure)} · bloom ${told(bloom.strength)}`;
  return (
    <Flex direction="column" gap="1.5" mt="auto" mb="2" align="center">
      <MomentsRow />
      <Flex gap="1.5" wrap="wrap" justify="center">
        <button type="button" className="stage-word" onClick={() => showTab("stage")} title={light}>
          {shape} · {backdrop.kind} · {light}
        </button>
        <CompareRow />
        <WholeWindow />
      </Flex>
    </Flex>
  );
}

function WholeWindow() {
  const wide = useRoom((s) => s.wide);
  return (
    <button type="button" className="stage-word" aria-pressed={wide} title="F" onClick={toggleWide}>
      {wide ? "sheet and panels again" : "whole window"}
    </button>
  );
}
