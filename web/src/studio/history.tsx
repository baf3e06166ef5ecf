import { Button } from "@chakra-ui/react";
import { useQuery } from "@tanstack/react-query";
import { useEffect, useRef, useState } from "react";
import { answered, client, type Schema } from "../api/client";
import { edit, useEditor } from "../document/editor";
import { Framed } from "../framed";
import { Box, Flex, Text } from "../plain";
import { showLook } from "../stage/compare";
import { Changes } from "./changes";

type Revision = Schema["Revision"];

/** Every saved state: when, how it looked, what changed; to be looked at, compared with, and gone back to. */
export function HistoryDialog({ open, onClose }: { open: boolean; onClose: () => void }) {
  return (
    <Framed open={open} title="History" testId="history" onClose={onClose}>
      <Inside onClose={onClose} />
    </Framed>
  );
}

function Inside({ onClose }: { onClose: () => void }) {
  const id = useEditor((s) => s.id);
  const head = useEditor((s) => s.revision);
  const got = useQuery({
    queryKey: ["revisions", id, head],
    queryFn: () => answered(client.GET("/api/effects/{id}/revisions", { params: { path: { id } } })),
  });
  if (got.error)
    return (
      <Text color="coral" role="alert">
        {got.error.message}
      </Text>
    );
  if (!got.data) return <Text color="mist">Looking …</Text>;
  return (
    <Box as="ol" listStyleType="none">
      {got.data.map((r) => (
        <Row key={r.number} id={id} revision={r} now={r.number === head} onClose={onClose} />
      ))}
    </Box>
  );
}

type Props = { id: string; revision: Revision; now: boolean; onClose: () => void };

function Row({ id, revision, now, onClose }: Props) {
  const { number } = revision;
  const [near, setNear] = useState(false);
  const [said, setSaid] = useState("");
  const row = useRef<HTMLLIElement>(null);
  useEffect(() => {
    // A long history is looked at as far as it is scrolled to.
    const watch = new IntersectionObserver(([e]) => e.isIntersecting && setNear(true));
    watch.observe(row.current!);
    return () => watch.disconnect();
  }, []);
  const changed = useQuery({
    queryKey: ["changes", id, number],
    enabled: near && number > 1,
    staleTime: Number.POSITIVE_INFINITY,
    queryFn: () =>
      answered(
        client.GET("/api/effects/{id}/changes", {
          params: { path: { id }, query: { before: number - 1, after: number } },
        }),
      ),
  });
  const kept = () =>
    answered(client.GET("/api/effects/{id}/revisions/{number}", { params: { path: { id, number } } }));
  const attempt = (what: () => Promise<void>) => async () => {
    try {
      await what();
      onClose();
    } catch (e) {
      setSaid(e instanceof Error ? e.message : String(e));
    }
  };
  const show = (mode: "blink" | "wipe") =>
    attempt(async () => showLook((await kept()).document, `revision ${number}`, mode));
  const back = attempt(async () => {
    const { document } = await kept();
    edit((d) => {
      Object.assign(d, document);
    });
  });
  const when = new Date(revision.saved);
  return (
    <li ref={row} className="revision" data-testid={`revision-${number}`}>
      <Box w="72px" h="72px" flexShrink={0} bg="surround" rounded="md" overflow="hidden">
        {near && (
          <img
            width={72}
            height={72}
            alt=""
            loading="lazy"
            src={`/api/effects/${encodeURIComponent(id)}/frame.png?size=72&phase=0.25&revision=${number}`}
          />
        )}
      </Box>
      <Box flex="1" minW="0">
        <Text fontWeight="600">
          {when.toLocaleString(undefined, { dateStyle: "medium", timeStyle: "medium" })}
          {now && " · as it is saved now"}
        </Text>
        {number === 1 && <Text color="mist">where it began</Text>}
        {changed.data && <Changes changes={changed.data.slice(0, 6)} />}
        {changed.data && changed.data.length > 6 && (
          <Text color="mist">and {changed.data.length - 6} more</Text>
        )}
        {(said || changed.error) && (
          <Text color="coral" role="alert">
            {said || changed.error?.message}
          </Text>
        )}
      </Box>
      {!now && (
        <Flex direction="column" gap="1" flexShrink={0}>
          <Button size="xs" variant="outline" onClick={show("blink")}>
            look
          </Button>
          <Button size="xs" variant="outline" onClick={show("wipe")}>
            compare
          </Button>
          <Button size="xs" variant="outline" onClick={back}>
            go back to it
          </Button>
        </Flex>
      )}
    </li>
  );
}
