import { Button, Dialog, Portal } from "@chakra-ui/react";
import type { ReactNode } from "react";
import { useEscapeAtOnce } from "./focus";

type Props = {
  open: boolean;
  title: string;
  testId: string;
  size?: "md" | "lg" | "xl";
  children: ReactNode;
  onClose: () => void;
};

/**
 * What lies over the page comes and goes at once. The page does not scroll as a whole, so nothing has to be kept from
 * it: a variable of the page that says so would have every element styled anew, twice for each dialog.
 */
export const OVER = { motionPreset: "none", preventScroll: false } as const;
export const Veil = () => <Dialog.Backdrop bg="#04080899" animation="none" />;

/** A dialog over the page: its title, a way to close it, and what scrolls inside; made only while it is open. */
export function Framed({ open, title, testId, size = "lg", children, onClose }: Props) {
  useEscapeAtOnce(open, onClose);
  return (
    <Dialog.Root
      open={open}
      onOpenChange={(d) => !d.open && onClose()}
      size={size}
      scrollBehavior="inside"
      {...OVER}
    >
      <Portal>
        <Veil />
        <Dialog.Positioner>
          <Dialog.Content bg="raised" color="fog" data-testid={testId}>
            <Dialog.Header pb="2">
              <Dialog.Title fontSize="15px">{title}</Dialog.Title>
            </Dialog.Header>
            <Dialog.Body pb="5">{open && children}</Dialog.Body>
            <Dialog.CloseTrigger asChild>
              <Button
                position="absolute"
                top="3"
                right="3"
                size="xs"
                variant="ghost"
                color="mist"
                aria-label="Close"
              >
                close
              </Button>
            </Dialog.CloseTrigger>
          </Dialog.Content>
        </Dialog.Positioner>
      </Portal>
    </Dialog.Root>
  );
}
