import type { Track } from "../document/moving";
import { inTurn, usePlayback } from "../playback/playback";
import { gripKeys, isShown, type Scale, says, shown, takeHold, useHand } from "./hand";

/** Where a phase and a value lie in a drawing, and which lie under the pointer. */
export type Drawn = {
  to: (phase: number, value: number) => { x: number; y: number };
  from: (svg: Element) => (x: number, y: number) => { phase: number; value: number };
  /** Right of this what is told stands to the left, so that it is not cut off. */
  middle: number;
};

type Props = {
  track: Track;
  scale: Scale;
  drawn: Drawn;
  /** Added to the name of each, where a curve is drawn twice. */
  where?: string;
};

/** What of a curve can be taken by the hand: keys, their handles, ends of rounds and rises. */
export function Grips({ track, scale, drawn, where = "" }: Props) {
  const pull = useHand((s) => s.pull);
  const chosen = useHand((s) => (s.lead === track.place || s.lead === null ? s.chosen : NONE));
  const turn = usePlayback((s) => s.turn);
  const grips = shown(track, pull).filter((g) => isShown(g, chosen));
  return (
    <>
      {grips.map((g) => {
        const key = g.of && grips.find((k) => k.name === g.of);
        if (!key) return null;
        const [a, b] = [drawn.to(key.phase, key.value), drawn.to(g.phase, g.value)];
        return <line key={g.name} x1={a.x} y1={a.y} x2={b.x} y2={b.y} stroke="#e6ece9" />;
      })}
      {grips.map((g) => {
        const { x, y } = drawn.to(g.phase, g.value);
        const left = x > drawn.middle;
        return (
          <g key={g.name}>
            {pull?.from.some((f) => f.name === g.name) && (
              <text x={x + (left ? -12 : 12)} y={y - 8} textAnchor={left ? "end" : "start"} className="says">
                {says(g)}
              </text>
            )}
            <circle
              cx={x}
              cy={y}
              r={g.of ? 4.5 : 6}
              className="grip"
              fill={chosen.includes(g.name) ? "#6fd6ba" : "#0d1618"}
              stroke={g.of ? "#e6ece9" : "#6fd6ba"}
              strokeWidth={g.of ? 1.25 : 2}
              role="slider"
              tabIndex={0}
              aria-label={`${track.words}, ${g.words}${where}`}
              aria-valuemin={0}
              aria-valuemax={1}
              aria-valuenow={Number(inTurn(g.phase, turn).toFixed(4))}
              aria-valuetext={`phase ${g.phase.toFixed(3)}, value ${Number(g.value.toPrecision(4))}`}
              data-testid={where ? undefined : `grip-${g.name.replace(" ", "-")}`}
              onPointerDown={(e) => takeHold(e, track, g, scale, drawn.from(e.currentTarget.closest("svg")!))}
              onKeyDown={(e) => gripKeys(e, track, g, scale)}
            >
              <title>{`${g.words}: ${says(g)}`}</title>
            </circle>
          </g>
        );
      })}
    </>
  );
}

const NONE: string[] = [];
