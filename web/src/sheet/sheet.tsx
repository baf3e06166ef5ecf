import { Box, Button, Flex } from "@chakra-ui/react";
import { Plus } from "lucide-react";
import { useCallback, useState } from "react";
import type { Bead } from "../api/client";
import { addBead, addStrand } from "../document/edit";
import { edit, select, useEditor } from "../document/editor";
import { Notice } from "../notice";
import type { Loop } from "../stage/drawing";
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
  const choose = (bead: Omit<Bead, "id">) => {
    if (!finding) return;
    let id = "";
    edit((d) => {
      id = addBead(d, finding.strand, finding.at, bead);
    });
    select({ strand: finding.strand, bead: id });
    onFind(null);
  };
  const newStrand = () => {
    let id = "";
    edit((d) => {
      id = addStrand(d, `Strand ${d.strands.length + 1}`);
    });
    onFind({ strand: id, at: 0 });
  };
  return (
    <Box flex="1" overflowY="auto" minH="0" py="1" data-testid="sheet" aria-label="Sheet" role="region">
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
