import { Flex, Text } from "@chakra-ui/react";
import { useEditor } from "../document/editor";
import { SmallPicture } from "../painter/small-picture";
import { scrub } from "../playback/playback";
import type { Loop } from "./drawing";

const COUNT = 8;

/** The turn at a glance: eight phases, the last of which runs into the first. */
export function Phases({ loop, size }: { loop: Loop; size: number }) {
  const frames = useEditor((s) => s.program?.frames ?? 96);
  return (
    <Flex justify="center" gap="2" data-testid="phases">
      {Array.from({ length: COUNT }, (_, i) => {
        const frame = Math.round((i * frames) / COUNT) % frames;
        const phase = frame / frames;
        return (
          <button
            key={phase}
            type="button"
            className="phase"
            aria-label={`Go to phase ${phase.toFixed(2)}`}
            onClick={() => scrub(phase)}
          >
            <SmallPicture source={loop.source} place={null} frame={frame} size={size} pixels={80} />
            <Text fontFamily="mono" fontSize="11px" color="#a9a9a9" textAlign="center" mt="0.5">
              {i === 0 ? "0 = 1" : phase.toFixed(2)}
            </Text>
          </button>
        );
      })}
    </Flex>
  );
}
