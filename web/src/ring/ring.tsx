import { Box } from "@chakra-ui/react";
import type { ReactNode } from "react";
import type { Finding } from "../api/client";
import { apply } from "../bead/motion";
import { edit, showTab, useEditor, useFindings } from "../document/editor";
import { isMotion, type Motion } from "../document/place";
import { scrub, usePlayback } from "../playback/playback";

const TAU = Math.PI * 2;

type Track = { place: string; label: string; motion: Motion; closed: boolean };

/** The motions of the selected strand, the selected bead's first. */
function useTracks(): Track[] {
  const selected = useEditor((s) => s.selected);
  const closed = useEditor((s) => s.program?.closed);
  const strand = useEditor((s) => s.document.strands.find((x) => x.id === s.selected?.strand));
  const tracks: Track[] = [];
  for (const bead of strand?.beads ?? []) {
    for (const [name, value] of Object.entries(bead.params)) {
      if (!isMotion(value)) continue;
      const place = `strands/${strand!.id}/${bead.id}/${name}`;
      const track = {
        place,
        label: `${bead.kind} ${name}`,
        motion: value,
        closed: closed?.[place]?.every(Boolean) ?? true,
      };
      if (bead.id === selected?.bead) tracks.unshift(track);
      else tracks.push(track);
    }
  }
  return tracks.slice(0, 4);
}

/**
 * The turn drawn as a circle round the stage. Twelve o'clock is the join; the hand is the phase;
 * each motion of the selected strand has a track of its own.
 */
export function Ring({ diameter, children }: { diameter: number; children: (inner: number) => ReactNode }) {
  const tracks = useTracks();
  const phase = usePlayback((s) => s.phase);
  const playing = usePlayback((s) => s.playing);
  const open = useFindings().filter((f) => f.kind === "open loop");
  const frames = useEditor((s) => s.program?.frames ?? 1);
  const half = diameter / 2;
  const outer = half - 16;
  const inner = outer - 44;
  const gap = Math.min(11, 30 / Math.max(1, tracks.length));
  const hand = point(half, outer - 4, phase);
  const heel = point(half, inner + 6, phase);

  const drag = (e: React.PointerEvent<SVGElement>) => {
    const svg = e.currentTarget.closest("svg")!;
    svg.setPointerCapture(e.pointerId);
    const at = (x: number, y: number) => {
      const box = svg.getBoundingClientRect();
      const angle = Math.atan2(x - box.left - box.width / 2, box.top + box.height / 2 - y);
      scrub(((angle + TAU) % TAU) / TAU);
    };
    at(e.clientX, e.clientY);
    const move = (m: PointerEvent) => at(m.clientX, m.clientY);
    svg.addEventListener("pointermove", move);
    const end = () => svg.removeEventListener("pointermove", move);
    svg.addEventListener("pointerup", end, { once: true });
    svg.addEventListener("pointercancel", end, { once: true });
  };

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
      >
        <title>The turn: twelve o'clock is the join of the loop</title>
        <circle
          cx={half}
          cy={half}
          r={(outer + inner) / 2}
          fill="none"
          stroke="transparent"
          strokeWidth={outer - inner}
          style={{ pointerEvents: "stroke", cursor: "pointer" }}
          onPointerDown={drag}
        />
        <path
          d={arc(half, outer, open.length ? 0.012 : 0, open.length ? 0.988 : 0.99999)}
          fill="none"
          stroke="#565656"
          strokeWidth="1.5"
        />
        {[0.25, 0.5, 0.75].map((p) => (
          <line key={p} {...tick(half, outer, outer + 7, p)} stroke="#6b6b6b" strokeWidth="1.5" />
        ))}
        {tracks.map((t, i) => (
          <TrackLine key={t.place} track={t} centre={half} radius={outer - 10 - i * gap} lead={i === 0} />
        ))}
        <Join half={half} y={half - outer} open={open.length > 0} />
        <line
          x1={heel.x}
          y1={heel.y}
          x2={hand.x}
          y2={hand.y}
          stroke="#e6ece9"
          strokeWidth="2"
          strokeLinecap="round"
        />
        <circle
          cx={hand.x}
          cy={hand.y}
          r="7"
          fill={playing ? "#6fd6ba" : "#e6ece9"}
          style={{ pointerEvents: "all", cursor: "grab" }}
          tabIndex={0}
          role="slider"
          aria-label="Phase of the turn"
          aria-valuemin={0}
          aria-valuemax={1}
          aria-valuenow={Math.round(phase * 1000) / 1000}
          onPointerDown={drag}
          onKeyDown={(e) => {
            const by = { ArrowRight: 1, ArrowUp: 1, ArrowLeft: -1, ArrowDown: -1 }[e.key];
            if (!by) return;
            e.preventDefault();
            e.stopPropagation();
            scrub((Math.floor(phase * frames + 1e-6) + by) / frames);
          }}
        />
      </svg>
    </Box>
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

function TrackLine({
  track,
  centre,
  radius,
  lead,
}: {
  track: Track;
  centre: number;
  radius: number;
  lead: boolean;
}) {
  const colour = track.closed ? "#6fd6ba" : "#ff8672";
  const stroke = {
    fill: "none",
    stroke: colour,
    strokeWidth: lead ? 2.5 : 1.75,
    opacity: lead ? 1 : 0.6,
    strokeLinecap: "round" as const,
  };
  const m = track.motion;
  return (
    <g data-testid="track" data-motion={m.motion} data-closed={track.closed}>
      <title>{`${track.label}: ${m.motion}${track.closed ? "" : ", open"}`}</title>
      {m.motion === "drift" &&
        dashes(m).map(([a, b]) => <path key={a} d={arc(centre, radius, a, b)} {...stroke} />)}
      {m.motion === "sway" && <path d={wave(centre, radius, m.cycles, m.start)} {...stroke} />}
      {m.motion === "keys" && (
        <>
          <path d={arc(centre, radius, 0, 0.99999)} {...stroke} strokeWidth={1} opacity={0.35} />
          {m.keys.map((k) => {
            const p = point(centre, radius, k.phase);
            return <circle key={k.phase} cx={p.x} cy={p.y} r={lead ? 4.5 : 3.5} fill={colour} />;
          })}
        </>
      )}
    </g>
  );
}

/** One dash for each cycle of a drift; the part of a cycle that is left shows at the join. */
function dashes(m: Extract<Motion, { motion: "drift" }>): [number, number][] {
  const cycles = [m.cycles].flat().map(Math.abs);
  const most = Math.min(48, Math.max(...cycles, 0));
  if (most < 1e-6) return [[0, 0.0005]];
  const length = 1 / most;
  const pad = Math.min(0.012, length * 0.22);
  const out: [number, number][] = [];
  for (let a = 0; a < 1 - 1e-6; a += length)
    out.push([a + pad / 2, Math.min(1, a + length) - (a + length > 1 + 1e-6 ? 0 : pad / 2)]);
  return out;
}

function wave(centre: number, radius: number, cycles: number, start: number): string {
  const steps = 220;
  const points = Array.from({ length: steps + 1 }, (_, i) => {
    const phase = i / steps;
    const p = point(centre, radius + 5 * Math.sin(TAU * (cycles * phase + start)), phase);
    return `${p.x.toFixed(2)} ${p.y.toFixed(2)}`;
  });
  return `M${points.join("L")}`;
}

function point(centre: number, radius: number, phase: number) {
  const angle = phase * TAU;
  return { x: centre + Math.sin(angle) * radius, y: centre - Math.cos(angle) * radius };
}

function tick(centre: number, from: number, to: number, phase: number) {
  const a = point(centre, from, phase);
  const b = point(centre, to, phase);
  return { x1: a.x, y1: a.y, x2: b.x, y2: b.y };
}

function arc(centre: number, radius: number, from: number, to: number): string {
  const a = point(centre, radius, from);
  const b = point(centre, radius, to);
  return `M${a.x} ${a.y}A${radius} ${radius} 0 ${to - from > 0.5 ? 1 : 0} 1 ${b.x} ${b.y}`;
}
