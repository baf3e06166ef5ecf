import { useMemo } from "react";
import type { Effect } from "../api/client";
import { useEditor } from "../document/editor";
import { stageView, travelled, type View } from "../painter/camera";
import { Feeder } from "../painter/numbers";
import { frameOf, usePlayback } from "../playback/playback";

const feeder = new Feeder();

/** The stage as it is seen at a frame: its camera is where that has gone to. */
function at(document: Effect, program: ReturnType<typeof useEditor.getState>["program"], frame: number) {
  const { stage } = document;
  return program ? { ...stage, ...travelled(document, program, feeder.at(document, program, frame)) } : stage;
}

/** The stage as it is seen now. */
export function stageNow(): Effect["stage"] {
  const { document, program } = useEditor.getState();
  const { phase, turn } = usePlayback.getState();
  return at(document, program, frameOf(phase, turn));
}

/** How the stage is seen now, for what is drawn over its picture. */
export function useView(diameter: number): View {
  const document = useEditor((s) => s.document);
  const program = useEditor((s) => s.program);
  const goes = program?.uniforms.some((u) => u.rows && u.place.startsWith("stage/travel/")) ?? false;
  const frame = usePlayback((s) => (goes ? frameOf(s.phase, s.turn) : 0));
  return useMemo(
    () => stageView(at(document, program, frame), diameter, diameter),
    [document, program, frame, diameter],
  );
}
