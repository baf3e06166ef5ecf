import { useEffect } from "react";
import { clipBead, clipStrand, paste, readClip } from "../document/clip";
import { edit, select, useEditor } from "../document/editor";
import { dialogOpen } from "../focus";

/** Copy, cut aside and paste of beads and strands as text, so that it works between effects and windows. */
export function useClipboard() {
  useEffect(() => {
    const copy = (e: ClipboardEvent) => {
      const { selected, document: d } = useEditor.getState();
      if (busy(e) || !selected) return;
      // On a strand's name its whole strand is meant; else the bead.
      const name = (window.document.activeElement as HTMLElement | null)?.dataset.strand;
      const clip = name ? clipStrand(d, name) : clipBead(d, selected.strand, selected.bead);
      if (!clip) return;
      e.preventDefault();
      e.clipboardData?.setData("text/plain", JSON.stringify(clip));
    };
    const put = (e: ClipboardEvent) => {
      if (busy(e)) return;
      const clip = readClip(e.clipboardData?.getData("text/plain") ?? "");
      if (!clip) return;
      e.preventDefault();
      const { selected, document: d } = useEditor.getState();
      const row = d.strands.findIndex((s) => s.id === selected?.strand);
      const column = d.strands[row]?.beads.findIndex((b) => b.id === selected?.bead) ?? -1;
      // A bead goes behind the selected one, its strands above it; a strand goes below.
      const at = {
        strand: row < 0 ? null : d.strands[row].id,
        row: row < 0 ? d.strands.length : clip.bead ? row : row + 1,
        column: column + 1,
      };
      let made: ReturnType<typeof paste> = null;
      edit((x) => {
        made = paste(x, clip, at);
      });
      const { strand, bead } = made ?? { strand: "", bead: null };
      if (bead) select({ strand, bead });
    };
    window.addEventListener("copy", copy);
    window.addEventListener("paste", put);
    return () => {
      window.removeEventListener("copy", copy);
      window.removeEventListener("paste", put);
    };
  }, []);
}

/** Text is being typed or marked, or a dialog is open: the clipboard is not ours. */
function busy(e: ClipboardEvent): boolean {
  const target = e.target as HTMLElement;
  const typing = target.matches?.("input, textarea, select");
  const marked = e.type === "copy" && String(window.getSelection() ?? "") !== "";
  return typing || marked || dialogOpen();
}
