import { useEditor } from "../document/editor";
import { ofOneEffect } from "../one-effect";
import type { Source } from "../painter/small";
import { SmallPicture } from "../painter/small-picture";
import { Flex, Text } from "../plain";
import { frameOf, setStays, setStretch, usePlayback } from "../playback/playback";

type View = "now" | "ghosts" | "difference" | "ends";

/** Other moments beside or over the present one, and the stretch of the turn that the strip shows. */
export const useMoments = ofOneEffect<{ view: View; by: number; from: number; to: number }>(() => ({
  view: "now",
  by: 3,
  from: 0,
  to: 1,
}));

const VIEWS: Record<View, string> = {
  now: "as it is now",
  ghosts: "with ghosts",
  difference: "difference to before",
  ends: "start · now · end",
};

const WIDTHS = [1, 2, 3, 4, 6, 8, 12];
/** Of a turn; closer the strip shows single frames. */
const CLOSER = 2;

/** How moments are laid together, and which stretch of the turn is looked at. */
export function MomentsRow() {
  const { view, by, from, to } = useMoments();
  const stretch = usePlayback((s) => s.stretch);
  const looping = usePlayback((s) => s.turn.looping);
  const stays = usePlayback((s) => s.stays);
  const zoom = (times: number) => {
    const { phase, turn } = usePlayback.getState();
    const wide = Math.min(1, Math.max((to - from) * times, 8 / turn.steps));
    const start = Math.max(0, Math.min(1 - wide, phase - wide / 2));
    useMoments.setState({ from: start, to: start + wide });
    if (usePlayback.getState().stretch) setStretch([start, start + wide]);
  };
  return (
    <Flex gap="1.5" wrap="wrap" justify="center" align="center" data-testid="moments">
      <select
        className="plain-select small"
        aria-label="Moments laid together"
        value={view}
        onChange={(e) => useMoments.setState({ view: e.target.value as View })}
      >
        {Object.entries(VIEWS).map(([v, words]) => (
          <option key={v} value={v}>
            {words}
          </option>
        ))}
      </select>
      {view === "ghosts" && (
        <select
          className="plain-select small"
          aria-label="How many frames away the ghosts are"
          value={by}
          onChange={(e) => useMoments.setState({ by: Number(e.target.value) })}
        >
          {WIDTHS.map((w) => (
            <option key={w} value={w}>
              ±{w}
            </option>
          ))}
        </select>
      )}
      <button
        type="button"
        className="stage-word"
        onClick={() => zoom(1 / CLOSER)}
        title="A shorter stretch in the strip"
      >
        closer
      </button>
      <button
        type="button"
        className="stage-word"
        disabled={to - from >= 1}
        onClick={() => zoom(CLOSER)}
        title="A longer stretch in the strip"
      >
        wider
      </button>
      <button
        type="button"
        className="stage-word"
        aria-pressed={stretch !== null}
        title="Plays what the strip shows to and fro"
        onClick={() => setStretch(stretch ? null : [from, to])}
      >
        to and fro
      </button>
      {!looping && (
        <button
          type="button"
          className="stage-word"
          aria-pressed={stays}
          title="Stays at the end and does not begin again"
          onClick={() => setStays(!stays)}
        >
          stay at the end
        </button>
      )}
    </Flex>
  );
}

/** Other moments over the stage, or in its place. */
export function Moments({ source, diameter }: { source: () => Source | null; diameter: number }) {
  const { view, by } = useMoments();
  const turn = usePlayback((s) => s.turn);
  const frame = usePlayback((s) => (view === "now" ? 0 : frameOf(s.phase, s.turn)));
  const peek = useEditor((s) => s.peek);
  if (view === "now" || peek) return null;
  const round = (f: number) =>
    turn.looping ? (f + turn.frames) % turn.frames : Math.max(0, Math.min(turn.frames - 1, f));
  const shot = (f: number, size: number, style?: React.CSSProperties, key?: string) => (
    <div key={key ?? f} style={{ position: "absolute", inset: 0, pointerEvents: "none", ...style }}>
      <SmallPicture source={source} place={null} frame={round(f)} size={size} />
    </div>
  );
  if (view === "ghosts")
    return (
      <div data-testid="ghosts" style={{ position: "absolute", inset: 0, pointerEvents: "none" }}>
        {shot(frame - by, diameter, { opacity: 0.32, mixBlendMode: "lighten" }, "before")}
        {shot(frame + by, diameter, { opacity: 0.32, mixBlendMode: "lighten" }, "after")}
      </div>
    );
  if (view === "difference")
    return (
      <div
        data-testid="difference"
        style={{ position: "absolute", inset: 0, isolation: "isolate", filter: "brightness(4)" }}
      >
        {shot(frame, diameter, {}, "now")}
        {shot(frame - 1, diameter, { mixBlendMode: "difference" }, "before")}
      </div>
    );
  const each = Math.floor(diameter / 3) - 6;
  const ends = [
    ["start", 0],
    ["now", frame],
    ["end", turn.frames - 1],
  ] as const;
  return (
    <Flex
      data-testid="ends"
      position="absolute"
      inset="0"
      bg="surround"
      align="center"
      justify="space-between"
      pointerEvents="none"
    >
      {ends.map(([words, f]) => (
        <div key={words}>
          <SmallPicture source={source} place={null} frame={f} size={each} />
          <Text textAlign="center" fontSize="11.5px" color="#b9b9b9" mt="1">
            {words}
          </Text>
        </div>
      ))}
    </Flex>
  );
}
