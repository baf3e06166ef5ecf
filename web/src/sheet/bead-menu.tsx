import { Menu, Portal } from "@chakra-ui/react";
import { splitStrand } from "../document/edit";
import { edit, select, togglePeek, useEditor } from "../document/editor";
import { placeOf } from "../document/place";
import { focusBead } from "../focus";
import { ofOneEffect } from "../one-effect";
import { showHelp } from "../studio/help";
import { duplicate } from "../studio/shortcuts";
import type { Place } from "./finder";
import { muteSelected, removeSelected } from "./strand-row";

type At = { strand: string; bead: string; x: number; y: number };

/** The one menu of all beads: where it was asked for, by the right button or the menu key. */
const useMenu = ofOneEffect<{ at: At | null }>(() => ({ at: null }));

/** Opens it at a bead; by key, at the bead's own place. */
export function askForMenu(e: React.MouseEvent, strand: string, bead: string) {
  e.preventDefault();
  const box = e.currentTarget.getBoundingClientRect();
  const byKey = e.clientX === 0 && e.clientY === 0;
  const x = byKey ? box.x + box.width / 2 : e.clientX;
  const y = byKey ? box.y + box.height / 2 : e.clientY;
  select({ strand, bead });
  useMenu.setState({ at: { strand, bead, x, y } });
}

export function BeadMenu({ onFind }: { onFind: (place: Place) => void }) {
  const at = useMenu((s) => s.at);
  const beads = useEditor((s) => s.document.strands.find((x) => x.id === at?.strand)?.beads);
  const index = beads?.findIndex((b) => b.id === at?.bead) ?? -1;
  const bead = beads?.[index];
  const close = () => useMenu.setState({ at: null });
  const act: Record<string, () => void> = {
    peek: () => at && togglePeek(placeOf(at.strand, at.bead)),
    before: () => at && onFind({ strand: at.strand, at: index }),
    after: () => at && onFind({ strand: at.strand, at: index + 1 }),
    mute: muteSelected,
    duplicate,
    split: () => {
      if (!at) return;
      let next = "";
      edit((d) => {
        next = splitStrand(d, at.strand, at.bead);
      });
      select({ strand: next, bead: at.bead });
      focusBead(next, at.bead);
    },
    help: () => bead && showHelp(bead.kind),
    delete: removeSelected,
  };
  return (
    <Menu.Root
      open={at !== null && bead !== undefined}
      onOpenChange={(d) => !d.open && close()}
      positioning={{ getAnchorRect: () => (at ? { x: at.x, y: at.y, width: 1, height: 1 } : null) }}
      onSelect={(e) => {
        const what = act[e.value];
        close();
        // Once the menu has given the focus back.
        window.setTimeout(what, 60);
      }}
    >
      <Portal>
        <Menu.Positioner>
          <Menu.Content bg="raised" aria-label="Bead" data-testid="bead-menu">
            <Menu.Item value="peek">Peek at it</Menu.Item>
            <Menu.Item value="before">Insert before …</Menu.Item>
            <Menu.Item value="after">Insert after …</Menu.Item>
            <Menu.Item value="mute" disabled={index < 1}>
              {bead?.muted ? "Sound again" : "Mute"}
            </Menu.Item>
            <Menu.Item value="duplicate">Duplicate</Menu.Item>
            <Menu.Item value="split" disabled={index < 1}>
              Split the strand before it
            </Menu.Item>
            <Menu.Item value="help">What it does</Menu.Item>
            <Menu.Item value="delete">Delete</Menu.Item>
          </Menu.Content>
        </Menu.Positioner>
      </Portal>
    </Menu.Root>
  );
}
