import { useState } from "react";
import type { Finding } from "../api/client";
import { SmallPicture } from "../painter/small-picture";
import { Box, Flex, Text } from "../plain";
import { usePlayback } from "../playback/playback";
import type { Loop } from "../stage/drawing";
import { show, useLooking } from "./looking";

type Evidence = NonNullable<Finding["evidence"]>;

/** A box over a picture: left, top, right and bottom of it, 0..1. */
export function SpotBox({ spot, testId }: { spot: number[]; testId?: string }) {
  const [left, top, right, bottom] = spot.map((x) => x * 100);
  return (
    <Box
      position="absolute"
      pointerEvents="none"
      left={`${left}%`}
      top={`${top}%`}
      w={`${right - left}%`}
      h={`${bottom - top}%`}
      border="1.5px solid"
      borderColor="coral"
      rounded="sm"
      data-testid={testId}
    />
  );
}

const SIZE = 84;

/** What shows a finding: the picture at its worst moment with the spot marked, and a curve. */
export function EvidenceView({ finding, loop }: { finding: Finding; loop: Loop }) {
  const evidence = finding.evidence as Evidence;
  const turn = usePlayback((s) => s.turn);
  const shown = useLooking((s) => s.shown === finding);
  const [source] = useState(() => loop.source);
  const { phase, spot, curve, curve_words: words } = evidence;
  const frame = phase === null || phase === undefined ? undefined : Math.round(phase * turn.steps);
  return (
    <Flex gap="3" my="2" align="center" wrap="wrap">
      {frame !== undefined && !finding.when && (
        <button
          type="button"
          className="evidence"
          aria-pressed={shown}
          aria-label={`${shown ? "No longer show" : "Show"} on the stage: ${finding.kind}, frame ${frame}`}
          title="Show it on the stage and on the ring"
          onClick={() => show(shown ? null : finding)}
        >
          <Box position="relative" w={`${SIZE}px`} h={`${SIZE}px`}>
            <SmallPicture source={source} place={null} frame={frame} size={SIZE} square />
            {spot && <SpotBox spot={spot} />}
          </Box>
          <Text color="mist" fontSize="11.5px">
            frame {frame}
          </Text>
        </button>
      )}
      {(curve ?? []).length > 1 && (
        <figure className="pictured">
          <Curve values={curve!} words={words ?? ""} />
          <Text as="figcaption" color="mist" fontSize="11.5px">
            {words}
          </Text>
        </figure>
      )}
    </Flex>
  );
}

const WIDE = 180;
const HIGH = 64;

function Curve({ values, words }: { values: number[]; words: string }) {
  const low = Math.min(0, ...values);
  const high = Math.max(1, ...values);
  const points = values.map((v, i) => {
    const x = (i / (values.length - 1)) * WIDE;
    const y = HIGH - 2 - ((v - low) / (high - low)) * (HIGH - 4);
    return `${x.toFixed(1)} ${y.toFixed(1)}`;
  });
  return (
    <svg width={WIDE} height={HIGH} role="img" aria-label={words} className="evidence-curve">
      <title>{words}</title>
      <path d={`M${points.join("L")}`} fill="none" stroke="#6fd6ba" strokeWidth="1.5" />
    </svg>
  );
}
