import { useEffect, useState } from "react";
import { Vector3 } from "three";
import { create } from "zustand";
import { answered, client, type Effect } from "../api/client";
import { edit, useEditor } from "../document/editor";
import { along } from "../drag";
import type { View } from "../painter/camera";
import { said } from "../sheet/splices";

type Path = Effect["stage"]["path"];

/** Whether a tube's path is being drawn on the picture, and what was wrong with the last line. */
export const useDrawn = create<{ drawing: boolean; wrong: string }>()(() => ({ drawing: false, wrong: "" }));

/** The path through a line on the picture; it is as far off as what the camera looks at. */
async function fit(line: Vector3[]) {
  const { stage } = useEditor.getState().document;
  const radius = stage.path.reduce((sum, p) => sum + p.radius, 0) / stage.path.length;
  try {
    const body = { line: line.map((p) => p.toArray()), radius };
    const made = await answered(client.POST("/api/path/drawn", { body }));
    edit((d) => {
      d.stage.path = made.path as Path;
      d.stage.path_closed = made.closed;
    });
    useDrawn.setState({ drawing: false, wrong: "" });
  } catch (e) {
    useDrawn.setState({ wrong: said(e) });
  }
}

/** Takes the next line that is drawn over the picture as the path; Escape takes nothing. */
export function DrawnLine({ view, diameter }: { view: View; diameter: number }) {
  const [line, setLine] = useState<[number, number][]>([]);
  const target = useEditor((s) => s.document.stage.camera.target) as [number, number, number];
  useEffect(() => {
    const stop = (e: KeyboardEvent) => e.key === "Escape" && useDrawn.setState({ drawing: false });
    window.addEventListener("keydown", stop);
    return () => window.removeEventListener("keydown", stop);
  }, []);
  const {
    camera_right: right,
    camera_up: up,
    camera_eye: eye,
    camera_pixel: pixel,
    camera_size,
  } = view.camera;
  const middle = new Vector3(...target);
  const unit = eye.distanceTo(middle) * pixel;
  const onStage = ([x, y]: [number, number]) =>
    middle
      .clone()
      .addScaledVector(right, (x - diameter / 2) * unit)
      .addScaledVector(up, (diameter / 2 - y) * unit)
      .divideScalar(camera_size);
  const begin = (e: React.PointerEvent<Element>) => {
    if (e.button !== 0) return;
    e.stopPropagation();
    const box = e.currentTarget.getBoundingClientRect();
    const all: [number, number][] = [];
    const take = (m: { clientX: number; clientY: number }) => {
      all.push([m.clientX - box.left, m.clientY - box.top]);
      setLine([...all]);
    };
    take(e);
    along(e, take, () => {
      setLine([]);
      if (all.length > 1) void fit(all.map(onStage));
    });
  };
  return (
    <g style={{ pointerEvents: "auto", cursor: "crosshair" }}>
      <rect width={diameter} height={diameter} fill="transparent" onPointerDown={begin} data-testid="drawn" />
      <polyline
        points={line.map((p) => p.join(",")).join(" ")}
        fill="none"
        stroke="#6fd6ba"
        strokeWidth="2.5"
        strokeLinejoin="round"
        pointerEvents="none"
      />
    </g>
  );
}
