import { useEffect, useRef } from "react";
import { CELL, type Source, small } from "./small";

type Props = {
  source: () => Source | null;
  place: string | null;
  size: number;
  frame?: number;
  pixels?: number;
};

/** A round live picture: one bead's result, or the whole effect where `place` is null. */
export function SmallPicture({ source, place, size, frame, pixels = CELL }: Props) {
  const canvas = useRef<HTMLCanvasElement>(null);
  useEffect(() => {
    if (!canvas.current) return;
    return small.add({ canvas: canvas.current, source, place, frame, drawn: "" });
  }, [source, place, frame]);
  return (
    <canvas
      ref={canvas}
      width={pixels}
      height={pixels}
      aria-hidden
      style={{ width: size, height: size, borderRadius: "50%", display: "block", background: "#060909" }}
    />
  );
}
