import { useMemo } from "react";
import type { Track } from "../document/moving";
import { along } from "../drag";
import { usePlayback } from "../playback/playback";
import { type Drawn, Grips } from "./grips";
import {
  act,
  addHere,
  copyMotion,
  lead,
  pasteMotion,
  type Scale,
  scaleOf,
  unroll,
  useHand,
  useRows,
} from "./hand";
import { arc, dashes, point, polar, wound } from "./round";

type Props = {
  track: Track;
  centre: number;
  /** The middle of its band, and how wide that is. */
  radius: number;
  band: number;
  leads: boolean;
};

/** A curve wound round the stage, with what of it can be taken by the hand where it is worked on. */
export function TrackLine({ track, centre, radius, band, leads }: Props) {
  const rows = useRows(track);
  const steps = usePlayback((s) => s.turn.steps);
  const pull = useHand((s) => (s.pull?.place === track.place ? s.pull : null));
  const own = useMemo(() => scaleOf(rows, track), [rows, track]);
  // While it is pulled the scale stays, or the curve would run from the hand.
  const scale = pull?.scale ?? own;
  const swing = band * 0.78;
  const off = useMemo(
    () => rows.map((r) => swing * part(r[track.axis], scale)),
    [rows, scale, swing, track.axis],
  );
  const looping = usePlayback((s) => s.turn.looping);
  const line = useMemo(
    // What comes round meets where it began.
    () => wound(centre, radius, looping && track.closed ? [...off, ...off.slice(0, 1)] : off, steps),
    [centre, radius, off, steps, looping, track.closed],
  );
  const colour = track.closed ? "#6fd6ba" : "#ff8672";
  const stroke = {
    fill: "none",
    stroke: leads ? colour : track.closed ? "#9db3ae" : colour,
    strokeWidth: leads ? 2.5 : 1.5,
    opacity: leads ? 1 : 0.75,
    strokeLinecap: "round" as const,
    strokeLinejoin: "round" as const,
  };
  // A round's end lies on its dashes, which show no value.
  const rounds = track.rounds !== null;
  const drawn: Drawn = {
    to: (phase, value) => point(centre, radius + (rounds ? 0 : swing * part(value, scale)), phase),
    from: (svg) => (x, y) => {
      const at = polar(svg, x, y);
      const up = (at.radius - radius) / swing + 0.5;
      return { phase: at.phase, value: rounds ? 0 : scale.low + up * (scale.high - scale.low) };
    },
    middle: centre,
  };
  const press = (e: React.PointerEvent<SVGElement>) => {
    e.stopPropagation();
    if (e.shiftKey) sweep(e, track);
    else if (!leads) lead(track.place);
    else {
      const { phase } = polar(e.currentTarget.closest("svg")!, e.clientX, e.clientY);
      void act(track, { kind: "add", phase, snap: !e.altKey });
    }
  };
  return (
    <g data-testid="track" data-place={track.place} data-closed={track.closed}>
      <path d={arc(centre, radius, 0, 0.99999)} {...stroke} strokeWidth={1} opacity={leads ? 0.28 : 0.14} />
      {track.rounds !== null ? (
        dashes(track.rounds).map(([a, b]) => <path key={a} d={arc(centre, radius, a, b)} {...stroke} />)
      ) : (
        <path d={line} {...stroke} />
      )}
      <path
        d={rounds ? arc(centre, radius, 0, 0.99999) : line}
        fill="none"
        stroke="transparent"
        strokeWidth={Math.max(10, leads ? 14 : 10)}
        className="track-hit"
        role="button"
        tabIndex={0}
        aria-pressed={leads}
        aria-label={`${track.words}: ${track.short}${track.closed ? "" : ", open"}`}
        data-testid="track-line"
        onPointerDown={press}
        onDoubleClick={() => unroll(true)}
        onKeyDown={(e) => trackKeys(e, track)}
      >
        <title>{`${track.words}: ${track.short}${track.closed ? "" : ", open"}`}</title>
      </path>
      {leads && <Grips track={track} scale={scale} drawn={drawn} />}
    </g>
  );
}

/** With Shift, an arc along the curve: the points within it are chosen. */
function sweep(e: React.PointerEvent<SVGElement>, track: Track) {
  const svg = e.currentTarget.closest("svg")!;
  const from = polar(svg, e.clientX, e.clientY).phase;
  lead(track.place);
  along(e, (m) => {
    const to = polar(svg, m.clientX, m.clientY).phase;
    // The shorter way round.
    const way = to - from - Math.round(to - from);
    const inside = (p: number) => {
      const off = p - from - Math.round(p - from - way / 2);
      return way > 0 ? off >= 0 && off <= way : off <= 0 && off >= way;
    };
    useHand.setState({ chosen: track.grips.filter((g) => !g.of && inside(g.phase)).map((g) => g.name) });
  });
}

/** Where a value lies between the least and the greatest, from −½ to ½. */
const part = (x: number, { low, high }: Scale) => (x - low) / (high - low) - 0.5;

export function trackKeys(e: React.KeyboardEvent, track: Track) {
  const command = e.ctrlKey || e.metaKey;
  if (command && e.key.toLowerCase() === "c") copyMotion(track);
  else if (command && e.key.toLowerCase() === "v") void pasteMotion(track);
  else if (command) return;
  else if (e.key === "Enter" || e.key === " ") lead(track.place);
  else if (e.key === "+") addHere(track);
  else if (e.key === "u" || e.key === "U") unroll(true);
  else return;
  e.preventDefault();
  e.stopPropagation();
}
