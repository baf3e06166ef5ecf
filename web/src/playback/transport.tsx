import { IconButton, Input } from "@chakra-ui/react";
import { ChevronLeft, ChevronRight, Pause, Play } from "lucide-react";
import { useState } from "react";
import { Box, Flex, Text } from "../plain";
import { frameOf, SPEEDS, setSpeed, step, toFrame, toggle, usePlayback } from "./playback";

const speedName = (s: number) => (s === 1 ? "full speed" : `1/${1 / s} speed`);

/** Frame number, steps, play, and slow playback. */
export function Transport() {
  const frames = usePlayback((s) => s.turn.frames);
  const playing = usePlayback((s) => s.playing);
  const speed = usePlayback((s) => s.speed);
  const frame = usePlayback((s) => frameOf(s.phase, s.turn));
  return (
    <Flex align="center" justify="center" gap="2" color="#d0d0d0" data-testid="transport">
      <FrameNumber frame={frame} frames={frames} />
      <IconButton
        aria-label="A frame back (,)"
        title="A frame back (,)"
        size="sm"
        variant="ghost"
        color="inherit"
        onClick={() => step(-1)}
      >
        <ChevronLeft size={18} />
      </IconButton>
      <IconButton
        aria-label={playing ? "Pause (space)" : "Play (space)"}
        title={playing ? "Pause (space)" : "Play (space)"}
        size="md"
        rounded="full"
        bg={playing ? "transparent" : "glass"}
        color={playing ? "glass" : "ink"}
        border="2px solid"
        borderColor="glass"
        onClick={toggle}
        data-testid="play"
      >
        {playing ? <Pause size={18} /> : <Play size={18} />}
      </IconButton>
      <IconButton
        aria-label="A frame on (.)"
        title="A frame on (.)"
        size="sm"
        variant="ghost"
        color="inherit"
        onClick={() => step(1)}
      >
        <ChevronRight size={18} />
      </IconButton>
      <Box as="label" display="flex" alignItems="center" gap="2" minW="32">
        <select
          aria-label="Playback speed"
          className="plain-select"
          value={speed}
          onChange={(e) => setSpeed(Number(e.target.value))}
        >
          {SPEEDS.map((s) => (
            <option key={s} value={s}>
              {speedName(s)}
            </option>
          ))}
        </select>
      </Box>
    </Flex>
  );
}

function FrameNumber({ frame, frames }: { frame: number; frames: number }) {
  const [text, setText] = useState<string | null>(null);
  const take = () => {
    const n = Number(text);
    if (text !== null && Number.isFinite(n)) toFrame(n);
    setText(null);
  };
  return (
    <Flex align="center" gap="2" minW="32" justify="flex-end">
      <Text color="#b4b4b4" fontSize="12px">
        frame
      </Text>
      <Input
        aria-label="Frame"
        value={text ?? String(frame)}
        onFocus={(e) => e.target.select()}
        onChange={(e) => setText(e.target.value)}
        onBlur={take}
        onKeyDown={(e) => e.key === "Enter" && e.currentTarget.blur()}
        w="11"
        h="7"
        px="1"
        textAlign="right"
        fontFamily="mono"
        variant="flushed"
        borderColor="#6b6b6b"
      />
      <Text fontFamily="mono" color="#b4b4b4" fontSize="12px">
        /{frames}
      </Text>
    </Flex>
  );
}
