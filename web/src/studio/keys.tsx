import { Table } from "@chakra-ui/react";
import { useState } from "react";
import { Framed } from "../framed";
import { lettersOn, turnLetters } from "./shortcuts";

export const KEYS: [string, string][] = [
  ["Space, P", "play or pause; Space where no control has the focus"],
  [", and .", "a frame back, a frame on"],
  ["Arrow keys", "from bead to bead in the sheet"],
  ["V", "peek at the selected bead, and back"],
  ["K", "keep this look; then blink between it and the present one"],
  ["F", "the stage in the whole window, and back"],
  ["M", "mute the selected bead, and back"],
  ["N", "add a bead behind the selected one"],
  ["Shift + N", "add a strand"],
  ["Alt + arrows", "move the selected bead or strand"],
  ["Ctrl + D", "duplicate the selected bead"],
  ["Ctrl + C, Ctrl + V", "copy and paste a bead, or a strand by its name"],
  ["Delete", "remove the selected bead"],
  ["Ctrl + Z, Ctrl + Shift + Z", "undo, redo"],
  ["1 2 3 4 5 6", "into bead, surface, stage, checks, front, signals"],
  ["F1", "what the selected bead does"],
  ["Menu key, right button", "all that can be done with a bead"],
  ["?", "these keys"],
];

export function KeysDialog({ open, onClose }: { open: boolean; onClose: () => void }) {
  const [letters, setLetters] = useState(lettersOn);
  return (
    <Framed open={open} title="Keys" testId="keys" size="md" onClose={onClose}>
      <label className="check">
        <input
          type="checkbox"
          checked={letters}
          onChange={(e) => {
            turnLetters(e.target.checked);
            setLetters(e.target.checked);
          }}
        />{" "}
        keys of a single letter or sign act
      </label>
      <Table.Root size="sm" variant="line">
        <Table.Body>
          {KEYS.map(([key, what]) => (
            <Table.Row key={key} bg="transparent">
              <Table.Cell fontFamily="mono" color="glass" whiteSpace="nowrap" borderColor="line">
                {key}
              </Table.Cell>
              <Table.Cell borderColor="line">{what}</Table.Cell>
            </Table.Row>
          ))}
        </Table.Body>
      </Table.Root>
    </Framed>
  );
}
