import { Button, Image } from "@chakra-ui/react";
import { type ReactNode, useEffect, useLayoutEffect, useRef } from "react";
import { SpotBox } from "../checks/evidence";
import { useLooking } from "../checks/looking";
import { summary } from "../document/edit";
import { edit, holdBriefly, togglePeek, useEditor } from "../document/editor";
import { beadAt, strandAt } from "../document/place";
import { channelOrField, within } from "../document/tree";
import { follow } from "../drag";
import { Notice } from "../notice";
import { stageView } from "../painter/camera";
import { wake } from "../painter/frames";
import { painter } from "../painter/painter";
import { FINEST } from "../painter/small";
import { Box, Text } from "../plain";
import { usePlayback } from "../playback/playback";
import { CompareWords, WipeLine } from "./compare";
import { type Loop, useDrawing } from "./drawing";
import { Handles } from "./handles";
import { PlaceHit } from "./hits";
import { Moments } from "./moments";

/** The round picture inside the ring. Dragging orbits; the wheel comes nearer. */
export function Stage({ loop, diameter }: { loop: Loop; diameter: number }) {
  const place = useRef<HTMLDivElement>(null);
  const across = useRef(diameter);
  const { scale, wrong, ready, lost, meanwhile } = useDrawing();
  const playing = usePlayback((s) => s.playing);
  const compiling = useEditor((s) => s.compiling);
  const faulty = useEditor((s) => s.program === null && s.problems.length > 0);

  useLayoutEffect(() => {
    across.current = diameter;
    wake();
  }, [diameter]);
  useEffect(() => {
    const canvas = painter().canvas;
    canvas.style.cssText = "width:100%;height:100%;display:block";
    canvas.setAttribute("role", "img");
    canvas.setAttribute("aria-label", "The effect on its stage");
    place.current!.append(canvas);
    const stop = loop.start(() => Math.round(across.current * Math.min(window.devicePixelRatio, FINEST)));
    return () => {
      stop();
      canvas.remove();
    };
  }, [loop]);

  return (
    <Box
      position="relative"
      w={`${diameter}px`}
      h={`${diameter}px`}
      rounded="full"
      overflow="hidden"
      bg="#1c1c1c"
      cursor="grab"
      tabIndex={0}
      role="application"
      aria-label="Stage. Drag to look from another side; arrow keys turn, with Shift they move it, plus and minus come nearer."
      onPointerDown={orbit}
      onKeyDown={turn}
      onWheel={(e) => nearer(Math.exp(e.deltaY * 0.001))}
      _active={{ cursor: "grabbing" }}
    >
      <div
        ref={place}
        style={{ width: "100%", height: "100%", opacity: ready ? undefined : 0 }}
        data-testid="stage"
      />
      {meanwhile && (
        <Image
          src={meanwhile}
          alt=""
          decoding="sync"
          position="absolute"
          inset="0"
          w="100%"
          h="100%"
          pointerEvents="none"
          data-testid="meanwhile"
        />
      )}
      {!ready && !wrong && !faulty && !meanwhile && (
        <Box position="absolute" inset="0">
          <Notice title={compiling ? "Making the picture …" : "Opening the stage …"} />
        </Box>
      )}
      {faulty && !ready && (
        <Box position="absolute" inset="0">
          <Notice title="Nothing to show yet">The sheet has faults; the checks say which, and where.</Notice>
        </Box>
      )}
      {wrong && (
        <Box position="absolute" inset="0">
          <Notice title="This browser cannot draw the stage">{wrong}. Whorl needs WebGL 2.</Notice>
        </Box>
      )}
      {lost && (
        <Box position="absolute" inset="0">
          <Notice title="The picture is away for a moment">
            The graphics driver took it; it is drawn again as soon as the driver gives it back.
          </Notice>
        </Box>
      )}
      {ready && !lost && scale < 1 && playing && (
        <Said>{Math.round(scale * 100)}% resolution while playing</Said>
      )}
      {!ready && meanwhile && <Said>Making the stage …</Said>}
      <Moments source={loop.source} diameter={diameter} />
      <Handles diameter={diameter} />
      <PlaceHit diameter={diameter} />
      <Spot />
      <WipeLine diameter={diameter} />
      <CompareWords />
      <PeekLabel />
    </Box>
  );
}

/** A few words at the foot of the picture. */
const Said = ({ children }: { children: ReactNode }) => (
  <Text
    position="absolute"
    bottom="5"
    w="100%"
    textAlign="center"
    fontSize="11px"
    color="#d6d6d6"
    textShadow="0 0 4px #000, 0 0 2px #000"
    pointerEvents="none"
  >
    {children}
  </Text>
);

/** Where in the picture the finding that is shown is seen. */
function Spot() {
  const spot = useLooking((s) => s.shown?.evidence?.spot);
  if (!spot) return null;
  return <SpotBox spot={spot} testId="spot" />;
}

/** Says plainly that a peek is shown, and what of. */
function PeekLabel() {
  const peek = useEditor((s) => s.peek);
  const what = useEditor((s) => {
    const bead = s.peek && beadAt(s.document, s.peek);
    return bead
      ? `${summary(s.document, bead)} of ${strandAt(s.document, s.peek!)?.name}`
      : channelOrField(s.peek ?? "")?.label;
  });
  if (!peek) return null;
  return (
    <Button
      position="absolute"
      top="9"
      left="50%"
      transform="translateX(-50%)"
      size="xs"
      rounded="full"
      bg="#101817e6"
      color="glass"
      border="1px solid"
      borderColor="glass"
      maxW="70%"
      onClick={() => togglePeek(peek)}
      onPointerDown={(e) => e.stopPropagation()}
      data-testid="peek-label"
    >
      <Text truncate>peek: {what}</Text>
      <Text color="mist">V returns</Text>
    </Button>
  );
}

function orbit(e: React.PointerEvent<HTMLElement>) {
  const wide = e.currentTarget.clientWidth;
  follow(e, (m) =>
    m.shiftKey
      ? aside(-m.movementX / wide, m.movementY / wide)
      : around(-m.movementX * 0.45, m.movementY * 0.45),
  );
}

function around(yaw: number, pitch: number) {
  edit((d) => {
    const c = d.stage.camera;
    c.yaw = Math.round((((c.yaw + yaw + 540) % 360) - 180) * 10) / 10;
    c.pitch = Math.round(within("stage/camera/pitch", c.pitch + pitch) * 10) / 10;
  });
}

/** Moves what is looked at across the picture, by parts of its width. */
function aside(across: number, up: number) {
  edit((d) => {
    const c = d.stage.camera;
    const wide = 2 * c.distance * Math.tan((c.view * Math.PI) / 360);
    const { camera_right: right, camera_up: above } = stageView({ camera: c, size: 1 }, 1, 1).camera;
    c.target = (["x", "y", "z"] as const).map((axis, i) => {
      const moved = c.target[i] + (right[axis] * across + above[axis] * up) * wide;
      return Math.round(within("stage/camera/target", moved) * 1000) / 1000;
    });
  });
}

function nearer(by: number) {
  holdBriefly();
  edit((d) => {
    d.stage.camera.distance =
      Math.round(within("stage/camera/distance", d.stage.camera.distance * by) * 1000) / 1000;
  });
}

function turn(e: React.KeyboardEvent) {
  const steps: Record<string, () => void> = e.shiftKey
    ? {
        ArrowLeft: () => aside(0.05, 0),
        ArrowRight: () => aside(-0.05, 0),
        ArrowUp: () => aside(0, -0.05),
        ArrowDown: () => aside(0, 0.05),
      }
    : {
        ArrowLeft: () => around(-5, 0),
        ArrowRight: () => around(5, 0),
        ArrowUp: () => around(0, 5),
        ArrowDown: () => around(0, -5),
        "+": () => nearer(0.94),
        "=": () => nearer(0.94),
        "-": () => nearer(1.06),
      };
  const act = steps[e.key];
  if (!act) return;
  e.preventDefault();
  e.stopPropagation();
  act();
}
