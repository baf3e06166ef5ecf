import { Box, Button, Flex, Text } from "@chakra-ui/react";
import { Mend } from "../bead/motion";
import { select, showTab, useEditor, useFindings } from "../document/editor";
import { strandAt } from "../document/place";

/** Faults and findings, each with where it is and what would mend it. */
export function ChecksPanel() {
  const problems = useEditor((s) => s.problems);
  const findings = useFindings();
  const document = useEditor((s) => s.document);
  const named = (place: string) => {
    const parts = place.split("/");
    if (parts[0] === "strands")
      return [strandAt(document, place)?.name ?? parts[1], ...parts.slice(2)].join(" · ");
    return parts.join(" · ") || "the effect";
  };
  const show = (place: string) => {
    const [root, strand, bead] = place.split("/");
    if (root === "surface" || root === "stage") showTab(root);
    else if (root === "beacons") showTab("stage");
    else if (bead) select({ strand, bead });
  };
  if (!problems.length && !findings.length)
    return (
      <Text color="mist" data-testid="checks">
        Nothing found: the loop closes, patterns meet themselves, and every bead fits.
      </Text>
    );
  return (
    <Flex direction="column" gap="3" data-testid="checks">
      {problems.map((p) => (
        <Box key={p.place + p.words} borderLeft="2px solid" borderColor="coral" pl="3">
          <Place name={named(p.place)} onClick={() => show(p.place)} />
          <Text color="coral">{p.words}</Text>
        </Box>
      ))}
      {findings.map((f) => (
        <Box key={f.place + f.words} borderLeft="2px solid" borderColor="coral" pl="3">
          <Place name={`${f.kind}: ${named(f.place)}`} onClick={() => show(f.place)} />
          <Mend finding={f} />
        </Box>
      ))}
    </Flex>
  );
}

function Place({ name, onClick }: { name: string; onClick: () => void }) {
  return (
    <Button
      size="xs"
      variant="plain"
      px="0"
      color="fog"
      textDecoration="underline"
      textUnderlineOffset="3px"
      onClick={onClick}
    >
      {name}
    </Button>
  );
}
