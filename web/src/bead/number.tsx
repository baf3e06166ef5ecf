import { Input } from "@chakra-ui/react";
import { useRef, useState } from "react";
import { round } from "../document/edit";
import { hold, letGo } from "../document/editor";
import { Box, Flex, Text } from "../plain";
import { reckoned } from "./arithmetic";

type Props = {
  value: number;
  label: string;
  soft: number[];
  hard: number[];
  whole?: boolean;
  quiet?: boolean;
  /** No slider: only the number, which can be dragged sideways and typed. */
  narrow?: boolean;
  /** Where the slider is finer. */
  feel?: string;
  onChange: (value: number) => void;
};

/** A part of the slider's length as a part of its range, and back: finer near one end. */
const FEELS: Record<string, [(p: number) => number, (p: number) => number]> = {
  "fine at the low end": [(p) => p ** 3, (p) => Math.cbrt(p)],
  "fine at the high end": [(p) => 1 - (1 - p) ** 3, (p) => 1 - Math.cbrt(1 - p)],
};
const EVEN: (typeof FEELS)[string] = [(p) => p, (p) => p];

const clamp = (x: number, [low, high]: number[]) => Math.min(high, Math.max(low, x));

/**
 * One number: dragged along its slider's soft range, or typed up to its hard limits. Nothing is
 * sent while it is held. Shift drags finely; arrow keys step, Home and End go to the slider's ends.
 */
export function NumberControl({ value, label, soft, hard, whole, quiet, narrow, feel, onChange }: Props) {
  const [text, setText] = useState<string | null>(null);
  /** What was typed and is no number. */
  const [wrong, setWrong] = useState("");
  const span = soft[1] - soft[0];
  const [toRange, toLength] = FEELS[feel ?? ""] ?? EVEN;
  const part = toLength(clamp((value - soft[0]) / span, [0, 1]));
  const put = (x: number) => {
    const held = clamp(x, hard);
    onChange(whole ? Math.round(held) : Number(held.toPrecision(6)));
  };
  const step = (e: React.KeyboardEvent) => {
    const by = { ArrowRight: 1, ArrowUp: 1, ArrowLeft: -1, ArrowDown: -1, PageUp: 10, PageDown: -10 }[e.key];
    const end = { Home: soft[0], End: soft[1] }[e.key];
    if (!by && end === undefined) return;
    e.preventDefault();
    e.stopPropagation();
    setText(null);
    if (!by) return put(end!);
    const length = clamp(part + Math.sign(by) * 0.01, [0, 1]);
    // As far as the slider goes for a hundredth of its length there.
    const near = feel ? Math.abs(toRange(length) - toRange(part)) : 0.01;
    put(value + by * (whole ? 1 : span * Math.max(near, 1e-4) * (e.shiftKey ? 0.1 : 1)));
  };
  const typed = () => {
    if (text === null) return;
    const x = reckoned(text);
    if (x === null && text.trim() !== "") {
      setWrong(text);
      return;
    }
    if (x !== null) put(x);
    setText(null);
  };
  return (
    <Flex align="center" gap="3" flex={narrow ? "none" : "1"} minW="0">
      {!narrow && (
        <Slider
          part={part}
          value={value}
          label={label}
          soft={soft}
          quiet={quiet}
          onStep={step}
          onPart={(p, fine, start) =>
            put(
              fine
                ? start + (toRange(p) - (start - soft[0]) / span) * span * 0.1
                : soft[0] + toRange(p) * span,
            )
          }
        />
      )}
      <Input
        aria-label={label}
        value={text ?? round(value)}
        onFocus={(e) => e.target.select()}
        aria-invalid={wrong !== ""}
        onChange={(e) => {
          setText(e.target.value);
          setWrong("");
        }}
        onBlur={typed}
        onKeyDown={(e) => {
          if (e.key === "Enter") typed();
          else if (e.key === "Escape") {
            setText(null);
            setWrong("");
          } else if (e.key === "ArrowUp" || e.key === "ArrowDown" || e.key.startsWith("Page")) step(e);
        }}
        onPointerDown={(e) => narrow && dragSideways(e, value, span, put)}
        w={narrow ? "14" : "16"}
        h="7"
        px="1"
        textAlign="right"
        fontFamily="mono"
        fontSize="12.5px"
        variant="flushed"
        borderColor={narrow ? "line" : "transparent"}
        _hover={{ borderColor: "mist" }}
        color={quiet ? "mist" : "fog"}
        cursor={narrow ? "ew-resize" : "text"}
      />
      {wrong && (
        <Text color="coral" fontSize="11.5px" role="alert" flexShrink={0}>
          '{wrong.slice(0, 16)}' is no number
        </Text>
      )}
    </Flex>
  );
}

type SliderProps = {
  part: number;
  value: number;
  label: string;
  soft: number[];
  quiet?: boolean;
  onStep: (e: React.KeyboardEvent) => void;
  onPart: (part: number, fine: boolean, start: number) => void;
};

function Slider({ part, value, label, soft, quiet, onStep, onPart }: SliderProps) {
  const track = useRef<HTMLDivElement>(null);
  const down = (e: React.PointerEvent) => {
    if (e.button !== 0) return;
    const line = track.current!;
    line.setPointerCapture(e.pointerId);
    line.focus();
    hold();
    const start = value;
    const at = (x: number, fine: boolean) => {
      const box = line.getBoundingClientRect();
      onPart(clamp((x - box.left) / box.width, [0, 1]), fine, start);
    };
    at(e.clientX, e.shiftKey);
    const move = (m: PointerEvent) => at(m.clientX, m.shiftKey);
    const end = () => {
      line.removeEventListener("pointermove", move);
      letGo();
    };
    line.addEventListener("pointermove", move);
    line.addEventListener("pointerup", end, { once: true });
    line.addEventListener("pointercancel", end, { once: true });
  };
  return (
    <Box
      ref={track}
      flex="1"
      minW="16"
      h="6"
      position="relative"
      cursor="ew-resize"
      role="slider"
      tabIndex={0}
      aria-label={`${label} slider`}
      aria-valuenow={value}
      aria-valuetext={round(value)}
      aria-valuemin={soft[0]}
      aria-valuemax={soft[1]}
      onPointerDown={down}
      onKeyDown={onStep}
      touchAction="none"
    >
      <Box position="absolute" top="10px" h="4px" w="100%" rounded="full" bg="#263837" />
      <Box
        position="absolute"
        top="10px"
        h="4px"
        w={`${part * 100}%`}
        rounded="full"
        bg={quiet ? "#47605b" : "glass"}
      />
      <Box
        position="absolute"
        top="4px"
        left={`calc(${part * 100}% - 8px)`}
        boxSize="16px"
        rounded="full"
        bg="#ccd6d3"
        boxShadow="0 0 0 3px #0d1618"
      />
    </Box>
  );
}

/** A narrow number is dragged sideways; a press without a drag goes on to typing. */
function dragSideways(
  e: React.PointerEvent<HTMLInputElement>,
  value: number,
  span: number,
  put: (x: number) => void,
) {
  if (e.button !== 0 || document.activeElement === e.currentTarget) return;
  const input = e.currentTarget;
  const from = e.clientX;
  let moved = false;
  const move = (m: PointerEvent) => {
    if (!moved && Math.abs(m.clientX - from) < 4) return;
    if (!moved) {
      moved = true;
      input.setPointerCapture(m.pointerId);
      hold();
    }
    input.blur();
    put(value + ((m.clientX - from) / 160) * span * (m.shiftKey ? 0.1 : 1));
  };
  const end = () => {
    window.removeEventListener("pointermove", move);
    if (moved) letGo();
  };
  window.addEventListener("pointermove", move);
  window.addEventListener("pointerup", end, { once: true });
}
