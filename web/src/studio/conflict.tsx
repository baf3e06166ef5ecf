import { Button } from "@chakra-ui/react";
import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { answered, client, type Effect } from "../api/client";
import { useEditor } from "../document/editor";
import { keepBoth, keepMine, takeTheirs } from "../document/saving";
import { Framed } from "../framed";
import { Box, Flex, Grid, Text } from "../plain";
import { Changes } from "./changes";

const plain = (d: Effect) => d as unknown as Record<string, unknown>;

/** Somebody saved in between: what each side changed, and what becomes of it. */
export function ConflictDialog({ open, onClose }: { open: boolean; onClose: () => void }) {
  return (
    <Framed open={open} title="Saved elsewhere meanwhile" testId="conflict" onClose={onClose}>
      <Inside onClose={onClose} />
    </Framed>
  );
}

function Inside({ onClose }: { onClose: () => void }) {
  const [said, setSaid] = useState("");
  const { id, revision } = useEditor.getState();
  const mine = useEditor((s) => s.document);
  const got = useQuery({
    queryKey: ["conflict", id, revision, mine],
    gcTime: 0,
    queryFn: async () => {
      const path = { id };
      const [base, theirs] = await Promise.all([
        answered(
          client.GET("/api/effects/{id}/revisions/{number}", { params: { path: { id, number: revision } } }),
        ),
        answered(client.GET("/api/effects/{id}", { params: { path } })),
      ]);
      const differ = (after: Effect) =>
        answered(
          client.POST("/api/changes", { body: { before: plain(base.document), after: plain(after) } }),
        );
      const [ours, others] = await Promise.all([differ(mine), differ(theirs.document)]);
      return { ours, others };
    },
  });
  const both = new Set(
    got.data?.ours.filter((c) => got.data.others.some((o) => o.place === c.place)).map((c) => c.place),
  );
  const decide = (what: () => Promise<unknown>) => async () => {
    try {
      await what();
      onClose();
    } catch (e) {
      setSaid(e instanceof Error ? e.message : String(e));
    }
  };
  return (
    <Box>
      {got.isPending && <Text color="mist">Looking at what differs …</Text>}
      {got.error && (
        <Text color="coral" role="alert">
          {got.error.message}
        </Text>
      )}
      {got.data && (
        <Grid templateColumns="1fr 1fr" gap="5" maxH="46vh" overflowY="auto">
          <Box data-testid="changed-mine">
            <Text color="mist" mb="1">
              changed here
            </Text>
            <Changes changes={got.data.ours} also={both} />
          </Box>
          <Box data-testid="changed-theirs">
            <Text color="mist" mb="1">
              changed elsewhere
            </Text>
            <Changes changes={got.data.others} also={both} />
          </Box>
        </Grid>
      )}
      {both.size > 0 && (
        <Text color="mist" mt="3">
          What is in coral was changed on both sides.
        </Text>
      )}
      {said && (
        <Text color="coral" role="alert" mt="2">
          {said}
        </Text>
      )}
      <Flex gap="3" mt="5" wrap="wrap" align="center">
        <Button size="sm" rounded="full" bg="glass" color="ink" onClick={decide(keepBoth)}>
          Keep both
        </Button>
        <Button size="sm" rounded="full" variant="outline" onClick={decide(keepMine)}>
          Keep mine
        </Button>
        <Button size="sm" rounded="full" variant="outline" onClick={decide(takeTheirs)}>
          Take theirs
        </Button>
        <Text color="mist" flex="1" minW="14rem">
          Keeping both makes a copy of yours on the shelf. Undo brings the other back.
        </Text>
      </Flex>
    </Box>
  );
}
