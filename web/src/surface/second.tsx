import { Button, Input } from "@chakra-ui/react";
import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { answered, client, type Effect, type Schema } from "../api/client";
import { feedable, StrandSelect } from "../bead/param";
import { edit, sent, useEditor } from "../document/editor";
import { fieldsAt, fresh } from "../document/tree";
import { fieldOf, useFields } from "../field";
import { focusSoon } from "../focus";
import { Framed } from "../framed";
import { Box, Flex, Grid, Text } from "../plain";
import { said, take } from "../sheet/splices";
import { Choice } from "../shelf/begin";
import { fromDocument, fromShelf, LoopPicture } from "../shelf/loop-picture";
import { lookedThrough } from "../shelf/shelf";
import type { Loop } from "../stage/drawing";
import { Channels, isOwn, Rows } from "./channels";

const PLACE = "surface/second";
const MASK = "Mask of the second surface";

type Second = NonNullable<Effect["surface"]["second"]>;
type Mask = { strand: string; bead: string | null };
type Item = Schema["ShelfEffect"];

/** A second surface as it begins: of the same matter as the first, with nothing on its channels. */
function begun({ surface }: Effect): Second {
  const first = surface as unknown as Record<string, unknown>;
  const alike = fieldsAt(PLACE).filter((f) => !f.part && f.name in first);
  const own = Object.fromEntries(alike.map((f) => [f.name, structuredClone(first[f.name])]));
  return { ...fresh<Second>(PLACE), ...own };
}

/** A second material on the same shape, mixed in by a mask, with the glow along its front. */
export function SecondSurface({ loop }: { loop: Loop }) {
  const strands = useEditor((s) => s.document.strands);
  const mask = useEditor((s) => s.document.surface.second) ?? null;
  const [taking, setTaking] = useState(false);
  const [wrong, setWrong] = useState("");
  const own = useFields(PLACE, isOwn);
  const exchange = async () => {
    try {
      take(await answered(client.POST("/api/second/exchange", { body: { document: sent() } })));
      setWrong("");
    } catch (e) {
      setWrong(said(e));
    }
  };
  return (
    <Box borderTop="1px solid" borderColor="line" pt="2" flex="1 1 100%" data-testid="second">
      <Flex align="center" gap="3" wrap="wrap" mb="2">
        <Text fontWeight="600">second surface</Text>
        <Text color="mist">where</Text>
        <StrandSelect
          label={MASK}
          chosen={mask}
          strands={feedable({ strands }, "surface")}
          empty="none"
          onChange={(to) =>
            edit((d) => {
              if (!to) d.surface.second = null;
              else
                d.surface.second = { ...(d.surface.second ?? begun(useEditor.getState().document)), ...to };
            })
          }
        />
        <Button size="xs" variant="outline" borderColor="line" onClick={() => setTaking(true)}>
          take an effect …
        </Button>
        {mask && (
          <Button
            size="xs"
            variant="outline"
            borderColor="line"
            title="The first becomes the second and the other way round; the mask stays"
            onClick={() => void exchange()}
          >
            exchange both
          </Button>
        )}
        {!mask && <Text color="mist">{fieldOf("surface", "second").words}</Text>}
        {wrong && (
          <Text color="coral" role="alert">
            {wrong}
          </Text>
        )}
      </Flex>
      {mask && (
        <Flex gap="6" align="flex-start" wrap="wrap">
          <Rows place={PLACE} fields={own} loop={loop} />
          <Box flex="1 1 22rem" minW="0">
            <Channels place={PLACE} loop={loop} />
          </Box>
        </Flex>
      )}
      <Taking open={taking} onClose={() => setTaking(false)} />
    </Box>
  );
}

/** Which effect of the shelf is taken, and where it is to show. */
function Taking({ open, onClose }: { open: boolean; onClose: () => void }) {
  const [chosen, setChosen] = useState<Item | null>(null);
  const close = () => {
    setChosen(null);
    onClose();
  };
  const title = chosen ? `Second surface: ${chosen.name}` : "An effect as the second surface";
  return (
    <Framed open={open} title={title} testId="take-effect" size="xl" onClose={close}>
      {chosen ? (
        <Where of={chosen} onBack={() => setChosen(null)} onDone={close} />
      ) : (
        <All onChoose={setChosen} />
      )}
    </Framed>
  );
}

function All({ onChoose }: { onChoose: (item: Item) => void }) {
  const [text, setText] = useState("");
  const shelf = useQuery({ queryKey: ["shelf"], queryFn: () => answered(client.GET("/api/effects")) });
  const readable = (shelf.data ?? []).filter((x) => !x.words);
  const found = lookedThrough(readable, { text, by: "newest" });
  return (
    <>
      <Flex align="center" gap="4" mb="4" wrap="wrap">
        <Text color="mist" flex="1">
          Its surface comes with all strands, levers, beacons and pictures that feed it; its stage stays
          behind.
        </Text>
        <Input
          size="sm"
          w="12rem"
          borderColor="line"
          placeholder="Find an effect"
          aria-label="Find an effect"
          value={text}
          onChange={(e) => setText(e.target.value)}
        />
      </Flex>
      {shelf.error && <Text color="coral">{shelf.error.message}</Text>}
      <Grid templateColumns="repeat(auto-fill, minmax(9rem, 1fr))" gap="4">
        {found.map((x) => (
          <Choice key={x.id} name={x.name} words="" onClick={() => onChoose(x)}>
            <LoopPicture name={[x.id, x.revision]} load={fromShelf(x.id)} seconds={x.seconds} size={104} />
          </Choice>
        ))}
      </Grid>
    </>
  );
}

function Where({ of, onBack, onDone }: { of: Item; onBack: () => void; onDone: () => void }) {
  const document = useEditor((s) => s.document);
  const [mask, setMask] = useState<Mask | null>(() => {
    const now = document.surface.second;
    return now ? { strand: now.strand, bead: now.bead ?? null } : null;
  });
  const [wrong, setWrong] = useState("");
  const asked = () =>
    answered(client.POST("/api/second/take", { body: { document: sent(), effect: of.id, ...mask } }));
  const here = useQuery({
    queryKey: ["take", of.id, mask],
    gcTime: 0,
    placeholderData: (last) => last,
    queryFn: async () => (await asked()).document as Effect,
  });
  const put = async () => {
    try {
      take((await asked()).document);
      onDone();
      focusSoon(`[aria-label="${MASK}"]`);
    } catch (e) {
      setWrong(said(e));
    }
  };
  return (
    <Flex gap="6" wrap="wrap">
      {here.data && (
        <figure className="pictured">
          <LoopPicture
            name={["take", of.id, mask]}
            load={fromDocument(here.data)}
            seconds={here.data.turn.seconds}
            size={240}
          />
          <Text as="figcaption" color="mist" fontSize="11.5px" textAlign="center">
            in this effect
          </Text>
        </figure>
      )}
      <Box flex="1" minW="18rem">
        <Flex align="center" gap="3" mb="2">
          <Text>it shows where</Text>
          <StrandSelect
            label={`Where ${of.name} shows`}
            chosen={mask}
            strands={feedable(document, "surface")}
            empty="a front passes, which comes along"
            onChange={(to) => setMask(to ? { strand: to.strand, bead: to.bead ?? null } : null)}
          />
        </Flex>
        <Text color="mist" mb="3">
          Where that strand is 0 the first surface is as it was, where it is 1 it is {of.name}.
          {document.surface.second && " What is the second surface now goes; its strands stay."}
        </Text>
        {(wrong || here.error) && (
          <Text color="coral" role="alert" mb="2">
            {wrong || here.error?.message}
          </Text>
        )}
        <Flex gap="3">
          <Button size="sm" bg="glass" color="ink" rounded="full" onClick={() => void put()}>
            take it
          </Button>
          <Button size="sm" variant="outline" borderColor="line" rounded="full" onClick={onBack}>
            another
          </Button>
        </Flex>
      </Box>
    </Flex>
  );
}
