import type { ReactNode } from "react";
import type { Finding } from "../api/client";
import { apply } from "../bead/motion";
import { useFindings, useLooking } from "../checks/looking";
import { edit, showTab } from "../document/editor";
import type { Track } from "../document/moving";
import { along } from "../drag";
import { Box, Flex } from "../plain";
import { frameOf, scrub, toFrame, usePlayback } from "../playback/playback";
import { HitTicks } from "../stage/hits";
import { lead, unroll, useLead, useMost, useTracks } from "./hand";
import { arc, point, polar, tick } from "./round";
import { TrackLine } from "./track";

/** Room for the curve that is worked on, and for all others of a strand together. */
const LEAD = 26;
const OTHER = 13;
const OTHERS = 46;

/**
 * The turn drawn as a circle round the stage. Twelve o'clock is the join, or the gap between the end of a
 * turn that plays once and its start; the hand is the phase; each motion of what is selected is a curve
 * wound round, outwards being more.
 */
export function Ring({ diameter, children }: { diameter: number; children: (inner: number) => ReactNode }) {
  const tracks = useTracks();
  const first = useLead(tracks);
  const others = tracks.filter((t) => t !== first);
  const open = useFindings().filter((f) => f.kind === "open loop");
  const looping = usePlayback((s) => s.turn.looping);
  const half = diameter / 2;
  const outer = half - 16;
  // The picture keeps its size whatever is selected: there is room for the strand that moves most.
  const room = Math.min(OTHERS, OTHER * Math.max(0, useMost() - 1));
  const each = Math.min(OTHER, room / Math.max(1, others.length));
  const inner = outer - LEAD - room - 18;
  const middle = outer - 9 - LEAD / 2;
  const gap = open.length ? 0.012 : looping ? 0 : 0.02;

  return (
    <Box position="relative" w={`${diameter}px`} h={`${diameter}px`} flexShrink={0}>
      <Box position="absolute" top={`${half - inner}px`} left={`${half - inner}px`}>
        {children(inner * 2)}
      </Box>
      {open.length > 0 && <CloseTheLoop findings={open} />}
      <svg
        width={diameter}
        height={diameter}
        style={{ position: "absolute", inset: 0, pointerEvents: "none" }}
        data-testid="ring"
        data-open={open.length}
        data-plays={looping ? "looping" : "once"}
      >
        <title>
          {looping
            ? "The turn: twelve o'clock is the join of the loop"
            : "The turn, from its start to its end"}
        </title>
        <circle
          cx={half}
          cy={half}
          r={(outer + inner) / 2}
          fill="none"
          stroke="transparent"
          strokeWidth={outer - inner}
          style={{ pointerEvents: "stroke", cursor: "pointer", touchAction: "none" }}
          onPointerDown={scrubbing}
        />
        <path
          d={arc(half, outer, gap, (gap ? 1 : 0.99999) - gap)}
          fill="none"
          stroke="#565656"
          strokeWidth="1.5"
        />
        {[0.25, 0.5, 0.75].map((p) => (
          <line key={p} {...tick(half, outer, outer + 7, p)} stroke="#6b6b6b" strokeWidth="1.5" />
        ))}
        {others.map((t, i) => (
          <TrackLine
            key={t.place}
            track={t}
            centre={half}
            radius={middle - LEAD / 2 - each * (i + 0.5)}
            band={each}
            leads={false}
          />
        ))}
        {looping ? (
          <Join half={half} y={half - outer} open={open.length > 0} />
        ) : (
          <Ends half={half} radius={outer} />
        )}
        <Hand half={half} outer={outer} inner={inner} />
        <HitTicks half={half} radius={outer} />
        <Passage half={half} radius={outer} />
        {first && (
          <TrackLine key={first.place} track={first} centre={half} radius={middle} band={LEAD} leads />
        )}
      </svg>
      {first && <Worked track={first} tracks={tracks} />}
    </Box>
  );
}

/** Takes the hand of the ring to the pointer, for as long as it is held. */
function scrubbing(e: React.PointerEvent<SVGElement>) {
  const svg = e.currentTarget.closest("svg")!;
  scrub(polar(svg, e.clientX, e.clientY).phase);
  along(e, (m) => {
    const { turn, phase: was } = usePlayback.getState();
    const { phase } = polar(svg, m.clientX, m.clientY);
    // A turn that plays once has two ends at twelve o'clock: it stays at the one it is nearer to.
    scrub(!turn.looping && Math.abs(phase - was) > 0.7 ? Math.round(was) : phase);
  });
}

/** The hand: it alone is drawn anew with every frame. */
function Hand({ half, outer, inner }: { half: number; outer: number; inner: number }) {
  const phase = usePlayback((s) => s.phase);
  const playing = usePlayback((s) => s.playing);
  const turn = usePlayback((s) => s.turn);
  const hand = point(half, outer + 1, phase);
  const heel = point(half, inner + 3, phase);
  const frame = frameOf(phase, turn);
  return (
    <>
      <line
        x1={heel.x}
        y1={heel.y}
        x2={hand.x}
        y2={hand.y}
        stroke="#e6ece9"
        strokeWidth="1.5"
        strokeLinecap="round"
      />
      <circle
        cx={hand.x}
        cy={hand.y}
        r="7"
        fill={playing ? "#6fd6ba" : "#e6ece9"}
        style={{ pointerEvents: "all", cursor: "grab", touchAction: "none" }}
        tabIndex={0}
        role="slider"
        aria-label="Phase of the turn"
        aria-valuemin={0}
        aria-valuemax={1}
        aria-valuenow={Math.round(phase * 1000) / 1000}
        aria-valuetext={`frame ${frame} of ${turn.frames}`}
        onPointerDown={scrubbing}
        onKeyDown={(e) => {
          const by = { ArrowRight: 1, ArrowUp: 1, ArrowLeft: -1, ArrowDown: -1 }[e.key];
          const to = by ? frame + by : { Home: 0, End: turn.frames - 1 }[e.key];
          if (to === undefined) return;
          e.preventDefault();
          e.stopPropagation();
          toFrame(to);
        }}
      />
    </>
  );
}

/** When in the turn the finding that is shown is seen. */
function Passage({ half, radius }: { half: number; radius: number }) {
  const shown = useLooking((s) => s.shown?.evidence);
  const steps = usePlayback((s) => s.turn.steps);
  if (!shown || shown.phase === null || shown.phase === undefined) return null;
  const [from, to] = shown.passage ?? [shown.phase - 0.4 / steps, shown.phase + 0.4 / steps];
  return (
    <path
      d={arc(half, radius + 5, from, Math.min(to, from + 0.999))}
      fill="none"
      stroke="#ff8672"
      strokeWidth="4"
      strokeLinecap="round"
      data-testid="passage"
    />
  );
}

/** The curve that is worked on by its name; from here it is unrolled, or another taken. */
function Worked({ track, tracks }: { track: Track; tracks: Track[] }) {
  const at = tracks.indexOf(track);
  return (
    <Flex className="worked" data-testid="worked">
      {tracks.length > 1 ? (
        <button
          type="button"
          title={`Take the next curve:\n${tracks.map((t) => t.words).join("\n")}`}
          onClick={() => lead(tracks[(at + 1) % tracks.length].place)}
        >
          {at + 1}/{tracks.length} {track.words}
        </button>
      ) : (
        <span>{track.words}</span>
      )}
      <button type="button" onClick={() => unroll(true)} data-testid="unroll">
        unroll
      </button>
    </Flex>
  );
}

/** At the open join: what keeps it open, and one press that closes it. */
function CloseTheLoop({ findings }: { findings: Finding[] }) {
  const mendable = findings.filter((f) => f.mends.length > 0);
  const words = findings.map((f) => f.words).join("; ");
  if (!mendable.length)
    return (
      <button type="button" className="join" title={words} onClick={() => showTab("checks")}>
        the loop is open
      </button>
    );
  const mend = () =>
    edit((d) => {
      for (const f of mendable) apply(d, f.mends[0]);
    });
  return (
    <button type="button" className="join" title={words} onClick={mend} data-testid="join-mend">
      close the loop
    </button>
  );
}

/** The join: a closed ring, or two ends that do not meet. */
function Join({ half, y, open }: { half: number; y: number; open: boolean }) {
  return open ? (
    <g stroke="#ff8672" strokeWidth="2" fill="none" strokeLinecap="round">
      <path d={`M${half - 9} ${y - 5} A7 7 0 0 0 ${half - 9} ${y + 5}`} />
      <path d={`M${half + 9} ${y - 5} A7 7 0 0 1 ${half + 9} ${y + 5}`} />
    </g>
  ) : (
    <circle cx={half} cy={y} r="5" fill="#2b2b2b" stroke="#6fd6ba" strokeWidth="2" />
  );
}

/** Where a turn that plays once ends, and where it starts. */
function Ends({ half, radius }: { half: number; radius: number }) {
  return (
    <g stroke="#6fd6ba" strokeWidth="2" strokeLinecap="round">
      <line {...tick(half, radius - 5, radius + 5, 0.02)} />
      <line {...tick(half, radius - 5, radius + 5, 0.98)} stroke="#9db3ae" />
    </g>
  );
}
