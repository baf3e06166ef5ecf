import { Button } from "@chakra-ui/react";
import { get, set as idbSet } from "idb-keyval";
import { answered, type Compiled, client, type Effect } from "../api/client";
import { useEditor } from "../document/editor";
import { follow } from "../drag";
import { ofOneEffect } from "../one-effect";
import { Box, Flex } from "../plain";

/** A state of the effect, to be seen beside the present one. */
export type Look = { effect: Effect; program: Compiled; name: string };
/** A look as it is kept: it is compiled when it is looked at. */
type Kept = { name: string; effect: Effect };
type Compare = { looks: Kept[]; kept: Look | null; mode: "wipe" | "blink"; at: number; shown: boolean };

/** How many looks of an effect are kept; the oldest makes room. */
const MOST = 4;

export const useCompare = ofOneEffect<Compare>(() => ({
  looks: [],
  kept: null,
  mode: "wipe",
  at: 0.5,
  shown: false,
}));
const set = useCompare.setState;
const key = (id: string) => `looks ${id}`;

/** Keeps looks of an effect in this browser, and brings back those that were kept before. */
export async function bringLooks(id: string) {
  set({ looks: [], kept: null, shown: false });
  const looks = await get<Kept[]>(key(id)).catch(() => undefined);
  if (useEditor.getState().id === id) set({ looks: looks ?? [] });
}

function remember(looks: Kept[]) {
  set({ looks });
  idbSet(key(useEditor.getState().id), looks).catch(() => undefined);
}

export function keepLook() {
  const { document: effect, program } = useEditor.getState();
  if (!program) return;
  const { looks } = useCompare.getState();
  const used = new Set(looks.map((l) => l.name));
  const name = [1, 2, 3, 4, 5].map((n) => `look ${n}`).find((n) => !used.has(n))!;
  remember([...looks, { name, effect }].slice(-MOST));
  set({ kept: { effect, program, name }, shown: false });
}

/** A state of the effect, such as one of its history, as the kept look. */
export async function showLook(effect: Effect, name: string, mode: "wipe" | "blink") {
  const body = { document: effect as unknown as Record<string, unknown> };
  const { program, problems } = await answered(client.POST("/api/compile", { body }));
  if (!program) throw new Error(problems?.[0]?.words ?? "it has a fault");
  set({ kept: { effect, program, name }, mode, shown: mode === "blink" });
}

/** Shows the kept look in place of the present one, or the present one again. */
export function blink() {
  if (useCompare.getState().kept) set((s) => ({ mode: "blink", shown: s.mode !== "blink" || !s.shown }));
  else keepLook();
}

/** Keeps looks, then wipes or blinks between one of them and the present one. */
export function CompareRow() {
  const { looks, kept, mode, shown } = useCompare();
  const gone = (name: string) => {
    remember(looks.filter((l) => l.name !== name));
    if (kept?.name === name) set({ kept: null });
  };
  return (
    <Flex gap="1.5" align="center" wrap="wrap" justify="center">
      <button
        type="button"
        className="stage-word"
        title="Keeps how it looks now, to compare with (K)"
        onClick={keepLook}
      >
        keep this look
      </button>
      {looks.map((l) => (
        <button
          key={l.name}
          type="button"
          className="stage-word"
          aria-pressed={kept?.name === l.name}
          title="Compare with it"
          onClick={() =>
            kept?.name === l.name ? set({ kept: null }) : void showLook(l.effect, l.name, mode)
          }
        >
          {l.name}
        </button>
      ))}
      {kept && (
        <Flex gap="1.5" align="center" data-testid="compare">
          <Button
            size="2xs"
            variant={mode === "wipe" ? "solid" : "outline"}
            aria-pressed={mode === "wipe"}
            onClick={() => set({ mode: "wipe" })}
          >
            wipe
          </Button>
          <Button
            size="2xs"
            variant={mode === "blink" && shown ? "solid" : "outline"}
            aria-pressed={mode === "blink" && shown}
            title="K"
            onClick={blink}
          >
            blink
          </Button>
          <Button size="2xs" variant="ghost" color="mist" onClick={() => gone(kept.name)}>
            let it go
          </Button>
        </Flex>
      )}
    </Flex>
  );
}

/** What is compared, over the picture: which side is which, or which of the two is shown. */
export function CompareWords() {
  const { kept, mode, at, shown } = useCompare();
  if (!kept) return null;
  return (
    <Box position="absolute" top="6" left="0" right="0" pointerEvents="none" aria-live="polite">
      {mode === "wipe" ? (
        <>
          {at > 0.12 && (
            <span className="compare-word" style={{ right: `calc(${(1 - at) * 100}% + 8px)` }}>
              {kept.name}
            </span>
          )}
          {at < 0.88 && (
            <span className="compare-word" style={{ left: `calc(${at * 100}% + 8px)` }}>
              now
            </span>
          )}
        </>
      ) : (
        <span className="compare-word" style={{ left: "50%", transform: "translateX(-50%)" }}>
          {shown ? kept.name : "now"}
        </span>
      )}
    </Box>
  );
}

/** The line between the kept look, at left, and the present one. */
export function WipeLine({ diameter }: { diameter: number }) {
  const { kept, mode, at } = useCompare();
  if (!kept || mode !== "wipe") return null;
  const to = (x: number) => set({ at: Math.max(0, Math.min(1, x)) });
  return (
    <svg
      width={diameter}
      height={diameter}
      role="group"
      aria-label="Comparison"
      style={{ position: "absolute", inset: 0, pointerEvents: "none", touchAction: "none" }}
    >
      <line x1={at * diameter} x2={at * diameter} y1="0" y2={diameter} stroke="#dfe8e4" strokeWidth="1" />
      <circle
        cx={at * diameter}
        cy={diameter * 0.86}
        r="9"
        fill="#101817"
        stroke="#6fd6ba"
        strokeWidth="2"
        role="slider"
        tabIndex={0}
        className="lamp"
        aria-label="The kept look is left of this line"
        aria-valuenow={Math.round(at * 100)}
        aria-valuetext={`${Math.round(at * 100)} % of the picture`}
        style={{ pointerEvents: "auto", cursor: "ew-resize" }}
        onPointerDown={(e) => {
          e.stopPropagation();
          const box = e.currentTarget.ownerSVGElement!.getBoundingClientRect();
          follow(e, (m) => to((m.clientX - box.left) / box.width));
        }}
        onKeyDown={(e) => {
          const by = { ArrowLeft: -0.05, ArrowRight: 0.05 }[e.key];
          const end = by ? at + by : { Home: 0, End: 1 }[e.key];
          if (end === undefined) return;
          e.preventDefault();
          e.stopPropagation();
          to(end);
        }}
        data-testid="wipe"
      />
    </svg>
  );
}
