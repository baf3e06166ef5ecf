import { useEffect, useState } from "react";
import { answered, client, type Schema } from "../api/client";
import { useEditor } from "../document/editor";
import type { Track } from "../document/moving";
import { Text } from "../plain";

/** How fast it goes, in plain figures: a second, and on the picture as it is seen. */
export function Speed({ track }: { track: Track }) {
  const document = useEditor((s) => s.document);
  const held = useEditor((s) => s.held);
  const [speed, setSpeed] = useState<Schema["Speed"] | null>(null);
  useEffect(() => {
    if (held) return;
    let gone = false;
    const ask = async () => {
      const body = { document: document as unknown as Record<string, unknown>, place: track.place };
      try {
        const got = await answered(client.POST("/api/speed", { body }));
        if (!gone) setSpeed(got);
      } catch {
        // A document with a fault has no speed to tell of; the fault is told where it is.
        if (!gone) setSpeed(null);
      }
    };
    const timer = window.setTimeout(ask, 300);
    return () => {
      gone = true;
      window.clearTimeout(timer);
    };
  }, [document, held, track.place]);
  return (
    <Text color={speed?.quick ? "coral" : "mist"} fontSize="11.5px" minH="4" data-testid="speed">
      {speed?.words ?? " "}
    </Text>
  );
}
