import { Box, Flex, Text } from "@chakra-ui/react";
import { useQuery } from "@tanstack/react-query";
import { useCallback, useEffect, useRef, useState } from "react";
import { answered, client, Refused } from "../api/client";
import { BakeDialog } from "../bake/dialog";
import { BeadControls } from "../bead/controls";
import { ChecksPanel } from "../checks/panel";
import { startCompiling } from "../document/compiling";
import { open, showTab, type Tab, useEditor } from "../document/editor";
import { startSaving } from "../document/saving";
import { Notice } from "../notice";
import { Transport } from "../playback/transport";
import { Ring } from "../ring/ring";
import { go } from "../route";
import type { Place } from "../sheet/finder";
import { Sheet } from "../sheet/sheet";
import { CompareRow } from "../stage/compare";
import { Loop } from "../stage/drawing";
import { StagePanel } from "../stage/panel";
import { Phases } from "../stage/phases";
import { Stage } from "../stage/stage";
import { SurfacePanel } from "../surface/panel";
import { SurfaceStrip } from "../surface/strip";
import { useClipboard } from "./clipboard";
import { Header } from "./header";
import { KeysDialog } from "./keys";
import { useShortcuts } from "./shortcuts";

/** One effect: the stage in its ring at left, the sheet and what is selected at right. */
export function Studio({ id }: { id: string }) {
  const [opened, setOpened] = useState(false);
  const got = useQuery({
    queryKey: ["effect", id],
    gcTime: 0,
    staleTime: Number.POSITIVE_INFINITY,
    retry: false,
    queryFn: () => answered(client.GET("/api/effects/{id}", { params: { path: { id } } })),
  });
  useEffect(() => {
    if (!got.data) return;
    open(id, got.data.document, got.data.revision);
    setOpened(true);
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
  return opened ? <Open /> : <Notice title="Opening the effect …" />;
}

const TABS: [Tab, string][] = [
  ["bead", "Bead"],
  ["surface", "Surface"],
  ["stage", "Stage"],
  ["checks", "Checks"],
];

function Open() {
  const [loop] = useState(() => new Loop());
  const [baking, setBaking] = useState(false);
  const [keys, setKeys] = useState(false);
  const [finding, setFinding] = useState<Place | null>(null);
  const name = useEditor((s) => s.document.name);
  useEffect(startSaving, []);
  useEffect(startCompiling, []);
  useEffect(() => {
    document.title = `${name} · Whorl`;
  }, [name]);
  useClipboard();
  useShortcuts(
    setFinding,
    useCallback(() => setKeys(true), []),
  );
  const tab = useEditor((s) => s.tab);
  return (
    <Flex direction="column" h="100vh">
      <Header onBake={() => setBaking(true)} onKeys={() => setKeys(true)} />
      <Flex flex="1" minH="0">
        <Left loop={loop} />
        <Flex direction="column" flex="1" minW="0">
          <Sheet loop={loop} finding={finding} onFind={setFinding} />
          <SurfaceStrip loop={loop} />
          <Flex direction="column" h="clamp(230px, 33vh, 380px)" flexShrink={0}>
            <Flex gap="5" px="4" pt="2" role="tablist" justify="flex-end">
              {TABS.map(([key, label]) => (
                <button
                  key={key}
                  type="button"
                  role="tab"
                  className="tab"
                  aria-selected={tab === key}
                  onClick={() => showTab(key)}
                >
                  {label}
                </button>
              ))}
            </Flex>
            <Box
              flex="1"
              minH="0"
              overflowY="auto"
              px="4"
              pb="3"
              pt="1"
              role="tabpanel"
              data-testid={`panel-${tab}`}
            >
              {tab === "bead" && <BeadControls loop={loop} />}
              {tab === "surface" && <SurfacePanel loop={loop} />}
              {tab === "stage" && <StagePanel loop={loop} />}
              {tab === "checks" && <ChecksPanel />}
            </Box>
          </Flex>
        </Flex>
      </Flex>
      <BakeDialog open={baking} loop={loop} onClose={() => setBaking(false)} />
      <KeysDialog open={keys} onClose={() => setKeys(false)} />
    </Flex>
  );
}

/** The neutral side: ring and stage, transport, phases, and the stage in a few words. */
function Left({ loop }: { loop: Loop }) {
  const box = useRef<HTMLDivElement>(null);
  const [size, setSize] = useState({ w: 536, h: 750 });
  useEffect(() => {
    const watch = new ResizeObserver(([e]) => setSize({ w: e.contentRect.width, h: e.contentRect.height }));
    watch.observe(box.current!);
    return () => watch.disconnect();
  }, []);
  const diameter = Math.max(240, Math.min(size.w - 8, size.h - 196));
  return (
    <Flex
      ref={box}
      direction="column"
      align="center"
      w="42%"
      maxW="60vw"
      minW="420px"
      bg="surround"
      flexShrink={0}
      py="1"
      gap="1"
      overflow="hidden"
    >
      <Ring diameter={diameter}>{(inner) => <Stage loop={loop} diameter={inner} />}</Ring>
      <Transport />
      <Box mt="2">
        <Phases loop={loop} size={Math.min(52, (size.w - 90) / 8)} />
      </Box>
      <StageWords />
    </Flex>
  );
}

function StageWords() {
  const stage = useEditor((s) => s.document.stage);
  const words = [
    stage.shape,
    `${stage.backdrop.kind} backdrop`,
    `exposure ${stage.exposure > 0 ? "+" : ""}${stage.exposure}`,
    `bloom ${stage.bloom.strength}`,
  ];
  return (
    <Flex gap="2" mt="auto" mb="2" wrap="wrap" justify="center">
      {words.map((w) => (
        <button key={w} type="button" className="stage-word" onClick={() => showTab("stage")}>
          <Text>{w}</Text>
        </button>
      ))}
      <CompareRow />
    </Flex>
  );
}
