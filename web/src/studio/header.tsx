import { Box, Button, Flex, IconButton, Input, Popover, Portal, Text } from "@chakra-ui/react";
import { Keyboard, Redo2, Undo2 } from "lucide-react";
import { useState } from "react";
import { useStore } from "zustand";
import { edit, redo, showTab, undo, useEditor } from "../document/editor";
import { keepMine, takeTheirs } from "../document/saving";
import { NumberAt } from "../field";
import { go } from "../route";
import { TopBar } from "../top-bar";

export function Header({ onBake, onKeys }: { onBake: () => void; onKeys: () => void }) {
  const past = useStore(useEditor.temporal, (s) => s.pastStates.length);
  const future = useStore(useEditor.temporal, (s) => s.futureStates.length);
  const wrong = useEditor((s) => s.problems.length + (s.program?.findings.length ?? 0));
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
        Checks {wrong || "✓"}
      </Button>
      <Button size="sm" rounded="full" bg="glass" color="ink" onClick={onBake} data-testid="bake-button">
        Bake
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
  if (!turn) return null;
  const frames = Math.max(1, Math.round(turn.seconds * turn.fps));
  return (
    <Popover.Root positioning={{ placement: "bottom-start" }}>
      <Popover.Trigger asChild>
        <Button size="sm" variant="plain" px="0" color="mist" fontWeight="400" data-testid="turn">
          turn {turn.seconds} s · {turn.fps} fps · {frames} frames
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
            </Popover.Body>
          </Popover.Content>
        </Popover.Positioner>
      </Portal>
    </Popover.Root>
  );
}

function SaveState() {
  const saving = useEditor((s) => s.saving);
  if (saving.state === "stale")
    return (
      <Flex align="center" gap="2" color="coral" role="alert" data-testid="save-state">
        <Text>saved elsewhere meanwhile</Text>
        <Button size="xs" variant="outline" color="coral" onClick={() => keepMine(saving.head)}>
          keep mine
        </Button>
        <Button size="xs" variant="outline" color="coral" onClick={() => void takeTheirs()}>
          take theirs
        </Button>
      </Flex>
    );
  const words = { saved: "saved", unsaved: "unsaved", saving: "saving …", failed: "" }[saving.state];
  return (
    <Text color={saving.state === "failed" ? "coral" : "mist"} role="status" data-testid="save-state">
      {saving.state === "failed" ? `not saved: ${saving.words}` : words}
    </Text>
  );
}
