import { Box, Button, Flex } from "@chakra-ui/react";
import { Plus } from "lucide-react";
import { useCallback, useState } from "react";
import type { Bead } from "../api/client";
import { addBeads } from "../document/edit";
import { edit, select, useEditor } from "../document/editor";
import { focusBead } from "../focus";
import { Notice } from "../notice";
import type { Loop } from "../stage/drawing";
import { BeadMenu } from "./bead-menu";
import { Finder, type Place } from "./finder";
import { StrandRow } from "./strand-row";

/** All strands, top to bottom: a strand uses only those above it. */
export function Sheet({
  loop,
  finding,
  onFind,
}: {
  loop: Loop;
  finding: Place | null;
  onFind: (place: Place | null) => void;
}) {
  const strands = useEditor((s) => s.document.strands);
  const add = useCallback((strand: string, at: number) => onFind({ strand, at }), [onFind]);
  const choose = (beads: Omit<Bead, "id">[]) => {
    if (!finding) return;
    let made = { strand: "", bead: "" };
    edit((d) => {
      made = addBeads(d, finding, beads);
    });
    select(made);
    onFind(null);
    focusBead(made.strand, made.bead);
  };
  const newStrand = () => onFind({ strand: null, at: 0 });
  return (
    <Box
      flex="1"
      overflowY="auto"
      minH="0"
      py="1"
      data-testid="sheet"
      id="sheet"
      tabIndex={-1}
      aria-label="Sheet"
      role="region"
    >
      <h2 className="unseen">Sheet</h2>
      {strands.length === 0 && (
        <Notice title="An empty sheet" action="Add the first strand" onAction={newStrand}>
          A strand is a chain of beads. Start with coordinates, lay a pattern on them, shape it into a mask,
          and send it to the surface.
        </Notice>
      )}
      {strands.map((s, i) => (
        <Row key={s.id} index={i} count={strands.length} loop={loop} onAdd={add} />
      ))}
      {strands.length > 0 && (
        <Flex px="4" py="2">
          <Button
            size="xs"
            variant="outline"
            rounded="full"
            borderColor="line"
            color="fog"
            onClick={newStrand}
            data-testid="add-strand"
          >
            <Plus size={14} /> strand
          </Button>
        </Flex>
      )}
      <BeadMenu onFind={onFind} />
      <Finder place={finding} source={loop.source} onClose={() => onFind(null)} onChoose={choose} />
    </Box>
  );
}

function Row({
  index,
  count,
  loop,
  onAdd,
}: {
  index: number;
  count: number;
  loop: Loop;
  onAdd: (strand: string, at: number) => void;
}) {
  const strand = useEditor((s) => s.document.strands[index]);
  const [id] = useState(strand.id);
  const add = useCallback((at: number) => onAdd(id, at), [onAdd, id]);
  return <StrandRow strand={strand} index={index} count={count} loop={loop} onAdd={add} />;
}
