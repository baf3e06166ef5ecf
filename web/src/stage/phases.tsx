import { SmallPicture } from "../painter/small-picture";
import { Flex, Text } from "../plain";
import { frameOf, toFrame, usePlayback } from "../playback/playback";
import type { Loop } from "./drawing";
import { useMoments } from "./moments";

const COUNT = 8;

/** The turn at a glance, or a stretch of it: eight of its frames, and single ones where it is looked at closely. */
export function Phases({ loop, size }: { loop: Loop; size: number }) {
  const turn = usePlayback((s) => s.turn);
  const { from, to } = useMoments();
  const now = usePlayback((s) => frameOf(s.phase, s.turn));
  const whole = to - from >= 1;
  const [first, last] = whole
    ? [0, turn.steps]
    : [Math.round(from * turn.steps), Math.round(to * turn.steps)];
  // Of a whole turn that loops the last picture would be the first again.
  const parts = whole && turn.looping ? COUNT : COUNT - 1;
  const each = Math.max(1, (last - first) / parts);
  const frames = Array.from({ length: COUNT }, (_, i) =>
    Math.min(turn.frames - 1, Math.round(first + i * each)),
  );
  const here = frames.findLastIndex((f) => f <= now);
  const words = (frame: number) => {
    if (whole && frame === 0) return turn.looping ? "join" : "start";
    if (whole && !turn.looping && frame === turn.frames - 1) return "end";
    return whole ? (frame / turn.steps).toFixed(2) : `f ${frame}`;
  };
  return (
    <Flex justify="center" gap="2" data-testid="phases">
      {frames.map((frame, i) => (
        <button
          key={i}
          type="button"
          className="phase"
          aria-label={`${words(frame)}, ${whole && frame === 0 ? "phase 0" : `frame ${frame} of the turn`}`}
          aria-pressed={i === here}
          onClick={() => toFrame(frame)}
        >
          <SmallPicture source={loop.source} place={null} frame={frame} size={size} />
          <Text fontFamily="mono" fontSize="11px" color="#a9a9a9" textAlign="center" mt="0.5">
            {words(frame)}
          </Text>
        </button>
      ))}
    </Flex>
  );
}
