import { Dialog, Portal, Table } from "@chakra-ui/react";

export const KEYS: [string, string][] = [
  ["Space", "play or pause"],
  [", and .", "a frame back, a frame on"],
  ["Arrow keys", "from bead to bead in the sheet"],
  ["V", "peek at the selected bead, and back"],
  ["K", "keep this look; then blink between it and the present one"],
  ["M", "mute the selected bead, and back"],
  ["N", "add a bead behind the selected one"],
  ["Shift + N", "add a strand"],
  ["Alt + arrows", "move the selected bead or strand"],
  ["Ctrl + D", "duplicate the selected bead"],
  ["Ctrl + C, Ctrl + V", "copy and paste a bead, or a strand by its name"],
  ["Delete", "remove the selected bead"],
  ["Ctrl + Z, Ctrl + Shift + Z", "undo, redo"],
  ["1 2 3 4", "bead, surface, stage, checks"],
  ["?", "these keys"],
];

export function KeysDialog({ open, onClose }: { open: boolean; onClose: () => void }) {
  return (
    <Dialog.Root open={open} onOpenChange={(d) => !d.open && onClose()} size="md" motionPreset="none">
      <Portal>
        <Dialog.Backdrop bg="#04080899" />
        <Dialog.Positioner>
          <Dialog.Content bg="raised" color="fog" data-testid="keys">
            <Dialog.Header>
              <Dialog.Title fontSize="15px">Keys</Dialog.Title>
            </Dialog.Header>
            <Dialog.Body pb="6">
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
            </Dialog.Body>
          </Dialog.Content>
        </Dialog.Positioner>
      </Portal>
    </Dialog.Root>
  );
}
