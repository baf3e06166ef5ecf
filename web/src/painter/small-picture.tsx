import { useEffect, useRef } from "react";
import { pixelsOf, type Source, small } from "./small";

type Props = {
  source: () => Source | null;
  place: string | null;
  size: number;
  frame?: number;
  /** As a bake has it, corners and all. */
  square?: boolean;
};

/** A live picture, round unless it shows what a bake has: one bead, or the whole effect where `place` is null. */
export function SmallPicture({ source, place, size, frame, square }: Props) {
  const canvas = useRef<HTMLCanvasElement>(null);
  useEffect(() => {
    if (!canvas.current) return;
    return small.add({ canvas: canvas.current, source, place, frame, size });
  }, [source, place, frame, size]);
  return (
    <canvas
      // What another place showed is not what this one does.
      key={place}
      ref={canvas}
      width={pixelsOf(size)}
      height={pixelsOf(size)}
      aria-hidden
      className="small"
      data-waiting="true"
      style={{
        width: size,
        height: size,
        borderRadius: square ? 4 : "50%",
        display: "block",
        background: "#060909",
      }}
    />
  );
}
