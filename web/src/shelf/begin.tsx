import { useQuery } from "@tanstack/react-query";
import { Plus } from "lucide-react";
import { answered, client } from "../api/client";
import { Framed } from "../framed";
import { Flex, Grid, Text } from "../plain";
import { fromDocument, LoopPicture } from "./loop-picture";

type Props = { open: boolean; onClose: () => void; onChoose: (starter: string | null) => void };

/** What a new effect begins from: nothing, or a starter, each in its own small loop. */
export function Begin({ open, onClose, onChoose }: Props) {
  return (
    <Framed open={open} title="New effect" testId="begin" size="xl" onClose={onClose}>
      <Choices
        onChoose={(starter) => {
          onClose();
          onChoose(starter);
        }}
      />
    </Framed>
  );
}

const SIZE = 116;

function Choices({ onChoose }: { onChoose: Props["onChoose"] }) {
  const got = useQuery({
    queryKey: ["starters"],
    staleTime: Number.POSITIVE_INFINITY,
    queryFn: () => answered(client.GET("/api/starters")),
  });
  return (
    <Grid templateColumns="repeat(auto-fill, minmax(9.5rem, 1fr))" gap="5">
      <Choice name="Blank" words="an empty sheet" onClick={() => onChoose(null)}>
        <Flex
          w={`${SIZE}px`}
          h={`${SIZE}px`}
          rounded="full"
          border="1px dashed"
          borderColor="#3c5450"
          align="center"
          justify="center"
          color="mist"
        >
          <Plus size={26} />
        </Flex>
      </Choice>
      {got.data?.map(({ slug, document }) => (
        <Choice key={slug} name={document.name} words={document.notes} onClick={() => onChoose(slug)}>
          <LoopPicture
            name={["starter", slug]}
            load={fromDocument(document)}
            seconds={document.turn.seconds}
            size={SIZE}
          />
        </Choice>
      ))}
      {got.error && <Text color="coral">{got.error.message}</Text>}
    </Grid>
  );
}

type ChoiceProps = { name: string; words: string; onClick: () => void; children: React.ReactNode };

/** A thing to begin from or to put in: its loop, its name, and what it is for. */
export function Choice({ name, words, onClick, children }: ChoiceProps) {
  return (
    <button type="button" className="begin" onClick={onClick}>
      {children}
      <Text fontWeight="600" mt="2">
        {name}{" "}
      </Text>
      <Text color="mist" fontSize="11.5px" lineHeight="1.35">
        {words}
      </Text>
    </button>
  );
}
