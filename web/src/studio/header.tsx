import { Button, IconButton, Input, Popover, Portal } from "@chakra-ui/react";
import { History, Keyboard, Redo2, Undo2 } from "lucide-react";
import { useState } from "react";
import { useStore } from "zustand";
import { asked } from "../api/catalogue";
import { answered, client } from "../api/client";
import { NumberControl } from "../bead/number";
import { useFindings } from "../checks/looking";
import { edit, redo, showTab, undo, useEditor } from "../document/editor";
import { fieldsAt, within } from "../document/tree";
import { FieldRow, NumberAt } from "../field";
import { Box, Flex, Text } from "../plain";
import { go } from "../route";
import { TopBar } from "../top-bar";
import { ConflictDialog } from "./conflict";

type Props = { onBake: () => void; onKeys: () => void; onHistory: () => void };

export function Header({ onBake, onKeys, onHistory }: Props) {
  const past = useStore(useEditor.temporal, (s) => s.pastStates.length);
  const future = useStore(useEditor.temporal, (s) => s.futureStates.length);
  const wrong = useEditor((s) => s.problems.length) + useFindings().length;
  const checked = useEditor((s) => s.program !== null);
  return (
    <TopBar>
      <Button size="sm" variant="plain" px="0" color="mist" onClick={() => go("/")}>
        Shelf
      </Button>
      <EffectName />
      <TurnButton />
      <Box flex="1" />
      <SaveState />
      <Flex>
        <IconButton
          aria-label="Undo (Ctrl+Z)"
          title="Undo (Ctrl+Z)"
          size="sm"
          variant="ghost"
          color="fog"
          disabled={!past}
          onClick={undo}
        >
          <Undo2 size={17} />
        </IconButton>
        <IconButton
          aria-label="Redo (Ctrl+Shift+Z)"
          title="Redo (Ctrl+Shift+Z)"
          size="sm"
          variant="ghost"
          color="fog"
          disabled={!future}
          onClick={redo}
        >
          <Redo2 size={17} />
        </IconButton>
        <IconButton
          aria-label="History"
          title="History: every saved state"
          size="sm"
          variant="ghost"
          color="fog"
          onClick={onHistory}
        >
          <History size={17} />
        </IconButton>
        <IconButton
          aria-label="Keys (?)"
          title="Keys (?)"
          size="sm"
          variant="ghost"
          color="fog"
          onClick={onKeys}
        >
          <Keyboard size={17} />
        </IconButton>
      </Flex>
      <Button
        size="sm"
        variant="outline"
        rounded="full"
        borderColor={wrong ? "coral" : "line"}
        color={wrong ? "coral" : "fog"}
        onClick={() => showTab("checks")}
        data-testid="checks-button"
      >
        Checks {wrong || (checked ? "✓" : "…")}
      </Button>
      <Button size="sm" rounded="full" bg="glass" color="ink" onClick={onBake} data-testid="bake-button">
        Hand over
      </Button>
    </TopBar>
  );
}

function EffectName() {
  const name = useEditor((s) => s.document.name);
  const [text, setText] = useState<string | null>(null);
  const done = () => {
    const next = text?.trim();
    setText(null);
    if (next && next !== name)
      edit((d) => {
        d.name = next.slice(0, 120);
      });
  };
  return (
    <Input
      aria-label="Effect name"
      title="Rename the effect"
      value={text ?? name ?? ""}
      onFocus={(e) => {
        setText(name);
        e.target.select();
      }}
      onChange={(e) => setText(e.target.value)}
      onBlur={done}
      onKeyDown={(e) => {
        if (e.key === "Enter") e.currentTarget.blur();
        if (e.key === "Escape") setText(name);
      }}
      size="sm"
      fontWeight="600"
      fontSize="14px"
      variant="flushed"
      borderColor="transparent"
      _hover={{ borderColor: "line" }}
      w={`${Math.min(28, Math.max(6, (text ?? name ?? "").length + 1))}ch`}
    />
  );
}

function TurnButton() {
  const turn = useEditor((s) => s.document.turn);
  const frames = useEditor((s) => s.program?.frames ?? "…");
  if (!turn) return null;
  return (
    <Popover.Root positioning={{ placement: "bottom-start" }}>
      <Popover.Trigger asChild>
        <Button size="sm" variant="plain" px="0" color="mist" fontWeight="400" data-testid="turn">
          turn {turn.seconds} s · {turn.fps} fps · {frames} frames
          {turn.plays === "once" && " · once"}
        </Button>
      </Popover.Trigger>
      <Portal>
        <Popover.Positioner>
          <Popover.Content bg="raised" color="fog" w="20rem">
            <Popover.Body>
              <Flex align="center" gap="3" mb="2">
                <Text w="4rem">seconds</Text>
                <NumberAt place="turn/seconds" label="turn seconds" />
              </Flex>
              <Flex align="center" gap="3">
                <Text w="4rem">fps</Text>
                <NumberAt place="turn/fps" label="frames a second" />
              </Flex>
              <TurnFields />
            </Popover.Body>
          </Popover.Content>
        </Popover.Positioner>
      </Portal>
    </Popover.Root>
  );
}

/** Makes the turn as long as the busiest motion needs to move so many pixels a frame. */
function Retime() {
  const [pixels, setPixels] = useState(() => asked("pixels").default as number);
  const [wrong, setWrong] = useState("");
  const go = async () => {
    const { document } = useEditor.getState();
    const body = { document: document as unknown as Record<string, unknown>, pixels };
    try {
      const { seconds } = await answered(client.POST("/api/retime", { body }));
      setWrong("");
      edit((d) => {
        d.turn.seconds = Number(seconds.toPrecision(3));
      });
    } catch (e) {
      setWrong(e instanceof Error ? e.message : String(e));
    }
  };
  return (
    <>
      <Flex gap="2" mt="2" align="center" wrap="wrap">
        <Button size="2xs" variant="outline" borderColor="line" color="fog" onClick={() => void go()}>
          the busiest moves
        </Button>
        <NumberControl
          narrow
          label="Pixels a frame"
          value={pixels}
          soft={asked("pixels").soft}
          hard={asked("pixels").hard}
          onChange={setPixels}
        />
        <Text color="mist">{asked("pixels").unit}</Text>
      </Flex>
      {wrong && (
        <Text color="coral" role="alert">
          {wrong}
        </Text>
      )}
    </>
  );
}

/** Whether it loops, and how it is made quicker or slower as a whole: motions keep their cycles. */
function TurnFields() {
  const plays = fieldsAt("turn").filter((f) => f.kind === "choice");
  const frames = useEditor((s) => s.program?.frames);
  const longer = (by: number) => () =>
    edit((d) => {
      d.turn.seconds = within("turn/seconds", d.turn.seconds * by);
    });
  return (
    <>
      {plays.map((f) => (
        <FieldRow key={f.name} place="turn" field={f} source={() => null} />
      ))}
      <Flex gap="2" mt="2">
        <Button size="2xs" variant="outline" borderColor="line" color="fog" onClick={longer(0.5)}>
          twice as quick
        </Button>
        <Button size="2xs" variant="outline" borderColor="line" color="fog" onClick={longer(2)}>
          half as quick
        </Button>
      </Flex>
      <Retime />
      <Text color="mist" fontSize="11.5px" mt="2">
        {frames} frames. Other seconds make all of it slower or quicker, and a bake longer or shorter; other
        frames a second leave the time as it is and make it finer or coarser.
      </Text>
    </>
  );
}

function SaveState() {
  const saving = useEditor((s) => s.saving);
  const [deciding, setDeciding] = useState(false);
  if (saving.state === "stale")
    return (
      <Flex align="center" gap="2" color="coral" role="alert" data-testid="save-state">
        <Text>saved elsewhere meanwhile</Text>
        <Button size="xs" variant="outline" color="coral" onClick={() => setDeciding(true)}>
          see what differs
        </Button>
        <ConflictDialog open={deciding} onClose={() => setDeciding(false)} />
      </Flex>
    );
  const words = { saved: "saved", unsaved: "unsaved", saving: "saving …", failed: "" }[saving.state];
  return (
    <Text color={saving.state === "failed" ? "coral" : "mist"} role="status" data-testid="save-state">
      {saving.state === "failed" ? `not saved: ${saving.words}` : words}
    </Text>
  );
}
