import { Button } from "@chakra-ui/react";
import { Plus } from "lucide-react";
import { Fragment, useCallback, useState } from "react";
import type { Bead, Effect } from "../api/client";
import { addBeads } from "../document/edit";
import { edit, select, useEditor } from "../document/editor";
import { focusBead } from "../focus";
import { Notice } from "../notice";
import { Box, Flex, Text } from "../plain";
import type { Loop } from "../stage/drawing";
import { useRoom } from "../studio/room";
import { BeadMenu } from "./bead-menu";
import { Finder, type Place } from "./finder";
import { MapsDialog } from "./maps";
import { enter, SplicedHead } from "./spliced";
import { openSplices, SpliceDialogs } from "./splices";
import { StrandRow } from "./strand-row";

/** Has a strand stand behind the last of a splice, as one of it. */
function join(d: Effect, id: string, group: string) {
  const at = d.strands.findIndex((s) => s.id === id);
  const [own] = d.strands.splice(at, 1);
  own.of = group;
  const last = d.strands.reduce((n, s, i) => (s.of === group ? i : n), d.strands.length - 1);
  d.strands.splice(last + 1, 0, own);
}

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
  const [maps, setMaps] = useState(false);
  const splices = useEditor((s) => s.document.splices);
  const entered = useRoom((s) => splices.find((x) => x.id === s.entered)?.id ?? null);
  const add = useCallback((strand: string, at: number) => onFind({ strand, at }), [onFind]);
  const choose = (beads: Omit<Bead, "id">[]) => {
    if (!finding) return;
    let made = { strand: "", bead: "" };
    edit((d) => {
      made = addBeads(d, finding, beads);
      // A new strand of what is shown alone belongs to it.
      if (finding.strand === null && entered) join(d, made.strand, entered);
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
        <>
          <Notice title="An empty sheet" action="Add the first strand" onAction={newStrand}>
            A strand is a chain of beads. Start with coordinates, lay a pattern on them, shape it into a mask,
            and send it to the surface.
          </Notice>
          <Flex justify="center" gap="4">
            <button type="button" className="link" onClick={openSplices}>
              or put in a splice
            </button>
            <button type="button" className="link" onClick={() => setMaps(true)}>
              or a set of maps
            </button>
          </Flex>
        </>
      )}
      {entered && (
        <Flex px="4" py="1" gap="3" align="center" bg="raised" data-testid="entered">
          <Text flex="1">{splices.find((x) => x.id === entered)?.name}, shown alone</Text>
          <Button size="2xs" variant="outline" borderColor="line" onClick={() => enter(null)}>
            back to the whole sheet
          </Button>
        </Flex>
      )}
      {strands.map((s, i) => {
        if (entered && s.of !== entered) return null;
        const group = s.of ? splices.find((x) => x.id === s.of) : undefined;
        const first = group && strands.findIndex((x) => x.of === group.id) === i;
        return (
          <Fragment key={s.id}>
            {first && <SplicedHead spliced={group} loop={loop} />}
            {!(group?.folded && !entered) && (
              <Box className={group ? "spliced-row" : undefined}>
                <Row index={i} count={strands.length} loop={loop} onAdd={add} />
              </Box>
            )}
          </Fragment>
        );
      })}
      <SpliceDialogs loop={loop} />
      {(strands.length > 0 || entered) && (
        <Flex px="4" py="2" gap="2">
          <AddButton what="strand" onClick={newStrand} />
          {!entered && <AddButton what="splice" onClick={openSplices} />}
          {!entered && <AddButton what="maps" onClick={() => setMaps(true)} />}
        </Flex>
      )}
      <MapsDialog open={maps} onClose={() => setMaps(false)} />
      <BeadMenu onFind={onFind} />
      <Finder place={finding} source={loop.source} onClose={() => onFind(null)} onChoose={choose} />
    </Box>
  );
}

function AddButton({ what, onClick }: { what: string; onClick: () => void }) {
  return (
    <Button
      size="xs"
      variant="outline"
      rounded="full"
      borderColor="line"
      color="fog"
      onClick={onClick}
      data-testid={`add-${what}`}
    >
      <Plus size={14} /> {what}
    </Button>
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
