import { Button, Flex } from "@chakra-ui/react";
import { create } from "zustand";
import type { Compiled, Effect } from "../api/client";
import { useEditor } from "../document/editor";
import { follow } from "../drag";

/** A state of the effect, to be seen beside the present one. */
export type Look = { effect: Effect; program: Compiled };
type Compare = { kept: Look | null; mode: "wipe" | "blink"; at: number; shown: boolean };

export const useCompare = create<Compare>()(() => ({ kept: null, mode: "wipe", at: 0.5, shown: false }));
const set = useCompare.setState;

export function keepLook() {
  const { document: effect, program } = useEditor.getState();
  if (program) set({ kept: { effect, program }, shown: false });
}

/** Shows the kept look in place of the present one, or the present one again. */
export function blink() {
  if (useCompare.getState().kept) set((s) => ({ mode: "blink", shown: s.mode !== "blink" || !s.shown }));
  else keepLook();
}

/** Keeps a look, then wipes or blinks between it and the present one. */
export function CompareRow() {
  const { kept, mode, shown } = useCompare();
  if (!kept)
    return (
      <button
        type="button"
        className="stage-word"
        title="Keeps how it looks now, to compare with (K)"
        onClick={keepLook}
      >
        keep this look
      </button>
    );
  return (
    <Flex gap="1.5" align="center" data-testid="compare">
      <Button
        size="2xs"
        variant="outline"
        aria-pressed={mode === "wipe"}
        onClick={() => set({ mode: "wipe" })}
      >
        wipe
      </Button>
      <Button size="2xs" variant="outline" aria-pressed={mode === "blink" && shown} title="K" onClick={blink}>
        {mode === "blink" && shown ? "kept look" : "blink"}
      </Button>
      <Button size="2xs" variant="ghost" color="mist" onClick={() => set({ kept: null })}>
        let it go
      </Button>
    </Flex>
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
        style={{ pointerEvents: "auto", cursor: "ew-resize" }}
        onPointerDown={(e) => {
          e.stopPropagation();
          const box = e.currentTarget.ownerSVGElement!.getBoundingClientRect();
          follow(e, (m) => to((m.clientX - box.left) / box.width));
        }}
        onKeyDown={(e) => {
          const by = { ArrowLeft: -0.05, ArrowRight: 0.05 }[e.key];
          if (!by) return;
          e.preventDefault();
          e.stopPropagation();
          to(at + by);
        }}
        data-testid="wipe"
      />
    </svg>
  );
}
