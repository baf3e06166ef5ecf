import type { Schema } from "../api/client";
import { Box, Text } from "../plain";

export type Change = Schema["Changed"];

/** Differences in words, one a line; those in `also` were changed on both sides. */
export function Changes({ changes, also }: { changes: Change[]; also?: Set<string> }) {
  if (changes.length === 0) return <Text color="mist">nothing</Text>;
  return (
    <Box as="ul" listStyleType="none" display="flex" flexDirection="column" gap="0.5">
      {changes.map((c) => (
        <Box as="li" key={`${c.kind} ${c.place}`} color={also?.has(c.place) ? "coral" : "fog"}>
          {said(c)}
        </Box>
      ))}
    </Box>
  );
}

/** A difference in one line. */
export function said(c: Change): string {
  if (c.kind === "changed") return `${c.words}: ${c.before} → ${c.after}`;
  return c.kind === "moved" ? c.words : `${c.words} ${c.kind}`;
}
