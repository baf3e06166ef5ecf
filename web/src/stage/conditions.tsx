import { Box, Button, Flex, Grid, Text } from "@chakra-ui/react";
import { useEffect, useRef, useState } from "react";
import { badConditions, readyStages, setBy } from "../api/catalogue";
import { answered, client, type Effect, type Schema } from "../api/client";
import { useEditor } from "../document/editor";
import { Feeder } from "../painter/numbers";
import { painter } from "../painter/painter";
import type { Source } from "../painter/small";
import { SmallPicture } from "../painter/small-picture";
import { frameOf, usePlayback } from "../playback/playback";

type Condition = Schema["BadCondition"];

/** An effect as it is looked at under a condition. */
function under(effect: Effect, { stage, turned, camera, instead }: Condition): Effect {
  const ready = readyStages().find((r) => r.name === stage);
  const seen = effect.stage.camera;
  const moved = { ...seen, yaw: seen.yaw + turned, ...(instead[effect.stage.shape] ?? camera) };
  return { ...effect, stage: { ...effect.stage, ...(ready && setBy(ready)), camera: moved } };
}

/** The effect in four small pictures at once, where effects tend to fail. */
export function BadConditions() {
  const [open, setOpen] = useState(false);
  return (
    <Box mt="2">
      <Button size="xs" variant="outline" aria-expanded={open} onClick={() => setOpen(!open)}>
        {open ? "close the check" : "check in bad conditions"}
      </Button>
      {open && (
        <Grid templateColumns="repeat(4, 1fr)" gap="2" mt="2" data-testid="conditions">
          {badConditions().map((c) => (
            <Small key={c.name} condition={c} />
          ))}
        </Grid>
      )}
    </Box>
  );
}

function Small({ condition }: { condition: Condition }) {
  const document = useEditor((s) => s.document);
  const held = useEditor((s) => s.held);
  const source = useRef<Source | null>(null);
  const [wrong, setWrong] = useState("");
  useEffect(() => {
    if (held) return;
    let gone = false;
    const effect = under(document, condition);
    const draw = async () => {
      const body = { document: effect as unknown as Record<string, unknown> };
      const got = await answered(client.POST("/api/compile", { body }));
      if (!got.program) throw new Error(got.problems?.[0]?.words ?? "it has a fault");
      const before = source.current?.drawable;
      const drawable = await painter().prepare(got.program, effect.stage, before);
      if (gone) {
        if (drawable.key !== before?.key) painter().dispose(drawable);
        return;
      }
      if (before && before.key !== drawable.key) painter().dispose(before);
      source.current = { drawable, effect, feeder: new Feeder(), frame: 0 };
      setWrong("");
    };
    const timer = window.setTimeout(() => draw().catch((e: Error) => setWrong(e.message)), 250);
    return () => {
      gone = true;
      window.clearTimeout(timer);
    };
  }, [document, held, condition]);
  useEffect(
    () => () => {
      if (source.current) painter().dispose(source.current.drawable);
      source.current = null;
    },
    [],
  );
  const now = useRef((): Source | null => {
    const s = source.current;
    return s && { ...s, frame: frameOf(usePlayback.getState().phase, s.drawable.compiled.frames) };
  });
  return (
    <Flex direction="column" align="center" gap="1">
      <SmallPicture source={now.current} place={null} size={118} pixels={160} square />
      <Text color={wrong ? "coral" : "mist"} fontSize="11.5px" textAlign="center">
        {wrong || condition.name}
      </Text>
    </Flex>
  );
}
