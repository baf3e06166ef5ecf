import { Button } from "@chakra-ui/react";
import { useEffect, useRef, useState } from "react";
import { readyStages, setBy, tries, unseen } from "../api/catalogue";
import { answered, client, type Effect, type Schema } from "../api/client";
import { derived, edit, useEditor } from "../document/editor";
import { drawableOf } from "../document/measuring";
import { structure } from "../document/tree";
import { wake } from "../painter/frames";
import { Feeder } from "../painter/numbers";
import { painter } from "../painter/painter";
import type { Source } from "../painter/small";
import { SmallPicture } from "../painter/small-picture";
import { Flex, Grid, Text } from "../plain";
import { frameOf, usePlayback } from "../playback/playback";
import { type Trying, tryOn, useRoom } from "../studio/room";

type Condition = Schema["Condition"];

/** An effect as it is looked at under a condition. */
function under(effect: Effect, { stage, shape, turned, camera, instead }: Condition): Effect {
  const ready = readyStages().find((r) => r.name === stage);
  const seen = effect.stage.camera;
  const moved = { ...seen, yaw: seen.yaw + turned, ...(instead[effect.stage.shape] ?? camera) };
  const on = shape as Effect["stage"]["shape"] | null;
  return {
    ...effect,
    stage: { ...effect.stage, ...(ready && setBy(ready)), ...(on && { shape: on }), camera: moved },
  };
}

/** The effect where effects tend to fail, or on every shape, in the stage's place. */
export function Tried({ what, side }: { what: Trying; side: number }) {
  // The mesh that was brought in is one more shape.
  const mesh = useEditor((s) => s.document.stage.mesh?.name);
  const own = { name: mesh ?? "", shape: "mesh", stage: null, turned: 0, camera: {}, instead: {} };
  const all: Condition[] = what === "shapes" && mesh ? [...tries()[what], own] : tries()[what];
  const columns = Math.ceil(Math.sqrt(all.length));
  const rows = Math.ceil(all.length / columns);
  const each = Math.floor((side - 44) / Math.max(columns, rows)) - 30;
  return (
    <Flex direction="column" align="center" justify="center" gap="2" position="absolute" inset="0">
      <Grid templateColumns={`repeat(${columns}, auto)`} gap={columns > 2 ? "1" : "3"} data-testid={what}>
        {all.map((c) => (
          <Small key={c.name} condition={c} size={each} />
        ))}
      </Grid>
      <Button size="xs" variant="outline" onClick={() => tryOn(null)} autoFocus>
        back to the stage
      </Button>
    </Flex>
  );
}

/** Opens the check in bad conditions, or on many shapes, and closes it. */
export function TryIt() {
  const trying = useRoom((s) => s.trying);
  const button = (what: Trying, words: string) => (
    <Button
      size="xs"
      variant="outline"
      aria-pressed={trying === what}
      onClick={() => tryOn(trying === what ? null : what)}
    >
      {words}
    </Button>
  );
  return (
    <Flex gap="2" mt="2" wrap="wrap">
      {button("conditions", "check in bad conditions")}
      {button("shapes", "try on many shapes")}
    </Flex>
  );
}

/** Programs for these are made one after another, so that the page stays at hand. */
let making: Promise<unknown> = Promise.resolve();

/** Puts the effect on a shape for good, and shows the stage again. */
function use({ shape }: Condition) {
  edit((d) => {
    d.stage.shape = shape as Effect["stage"]["shape"];
  });
  tryOn(null);
}

function Small({ condition, size }: { condition: Condition; size: number }) {
  // Numbers are read when they are drawn; only what is compiled anew asks for another program.
  const shape = useEditor((s) => structure(s.document));
  // What is found out from the shape is found out again with each other number; what is let go is drawn anew as it is.
  const measured = useRef(false);
  const [other, setOther] = useState<Effect | null>(null);
  useEffect(
    () =>
      useEditor.subscribe(({ document, held }, before) => {
        if (measured.current && !held && document !== before.document) setOther(document);
      }),
    [],
  );
  const held = useEditor((s) => s.held);
  const source = useRef<Source | null>(null);
  const [now] = useState(() => derived((d) => under(d, condition)));
  const [wrong, setWrong] = useState("");
  useEffect(() => {
    if (held) return;
    let gone = false;
    const draw = async () => {
      const effect = now();
      const body = { document: effect as unknown as Record<string, unknown> };
      const got = await answered(client.POST("/api/compile", { body }));
      if (!got.program) throw new Error(got.problems?.[0]?.words ?? "it has a fault");
      measured.current = got.program.uniforms.some((u) => u.measured);
      const before = source.current?.drawable;
      const drawable = await drawableOf(got.program, effect, before);
      if (gone) {
        if (drawable.key !== before?.key) painter().dispose(drawable);
        return;
      }
      if (before && before.key !== drawable.key) painter().dispose(before);
      source.current = { drawable, effect, feeder: new Feeder(), frame: 0 };
      wake();
      setWrong("");
    };
    const next = async () => {
      if (!gone) await draw().catch((e: Error) => setWrong(e.message));
    };
    const timer = window.setTimeout(() => {
      making = making.then(next);
    }, 250);
    return () => {
      gone = true;
      window.clearTimeout(timer);
    };
  }, [shape, other, held, now]);
  useEffect(
    () => () => {
      if (source.current) painter().dispose(source.current.drawable);
      source.current = null;
    },
    [],
  );
  const shown = useRef((): Source | null => {
    const s = source.current;
    if (!s) return null;
    const frame = frameOf(usePlayback.getState().phase, s.drawable.compiled);
    return { ...s, frame, effect: now() };
  });
  const here = useRef<HTMLDivElement>(null);
  const [dark, setDark] = useState(false);
  useEffect(() => {
    const look = () => {
      const canvas = here.current?.querySelector("canvas");
      if (canvas && !canvas.dataset.waiting) setDark(brightest(canvas) < unseen());
    };
    const looking = window.setInterval(look, 1500);
    return () => window.clearInterval(looking);
  }, []);
  return (
    <Flex ref={here} direction="column" align="center" gap="1">
      <SmallPicture source={shown.current} place={null} size={size} square />
      {condition.shape && !wrong ? (
        <button type="button" className="link" onClick={() => use(condition)} title="Put the effect on it">
          {condition.name}
        </button>
      ) : (
        <Text
          color={wrong || dark ? "coral" : "mist"}
          fontSize="11.5px"
          textAlign="center"
          maxW={`${size}px`}
        >
          {wrong || (dark ? `${condition.name}: nothing of it can be seen` : condition.name)}
        </Text>
      )}
    </Flex>
  );
}

/** How bright the brightest of a picture is, of what a screen shows at the most. */
function brightest(canvas: HTMLCanvasElement): number {
  const context = canvas.getContext("2d", { willReadFrequently: true })!;
  const { data } = context.getImageData(0, 0, canvas.width, canvas.height);
  let most = 0;
  for (let i = 0; i < data.length; i += 4) most = Math.max(most, data[i], data[i + 1], data[i + 2]);
  return most / 255;
}
