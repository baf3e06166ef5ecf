import { Box, Button, Flex, Text } from "@chakra-ui/react";
import { useState } from "react";
import { gravity } from "../api/catalogue";
import type { Finding, Problem } from "../api/client";
import { Mend } from "../bead/motion";
import { inPeoplesWords } from "../document/edit";
import { select, showTab, useEditor, useFindings } from "../document/editor";
import { focusBead, focusSoon } from "../focus";

/** Findings by how bad they are, the worst first, as the core has the order. */
function graver(findings: Finding[]): [string, Finding[]][] {
  return gravity()
    .map((bad): [string, Finding[]] => [bad, findings.filter((f) => f.bad === bad)])
    .filter(([, these]) => these.length > 0);
}

/** Faults and findings, each with where it is and what would mend it. */
export function ChecksPanel() {
  const problems = useEditor((s) => s.problems);
  const findings = useFindings();
  const places = [...problems, ...findings].map((f) => f.place);
  const names = useEditor((s) => places.map((p) => inPeoplesWords(s.document, p)).join("\n")).split("\n");
  const named = (place: string) => names[places.indexOf(place)];
  const causes = problems.filter((p) => !p.cause);
  const follow = problems.filter((p) => p.cause);
  if (!problems.length && !findings.length)
    return (
      <Box>
        <Text color="mist" data-testid="checks">
          Nothing found: the loop closes, patterns meet themselves, and every bead fits.
        </Text>
        <ShaderText />
      </Box>
    );
  return (
    <Flex direction="column" gap="3" data-testid="checks">
      {causes.map((p) => (
        <Fault key={p.place + p.words} problem={p} named={named} />
      ))}
      {follow.length > 0 && (
        <details>
          <summary>
            {follow.length === 1 ? "one more follows" : `${follow.length} more follow`} from{" "}
            {causes.length === 1 ? "it" : "these"}
          </summary>
          <Flex direction="column" gap="2" mt="2">
            {follow.map((p) => (
              <Fault key={p.place + p.words} problem={p} named={named} />
            ))}
          </Flex>
        </details>
      )}
      {graver(findings).map(([bad, these]) => (
        <Box key={bad} role="group" aria-label={bad}>
          <Text color="mist" mb="1">
            {bad}
          </Text>
          <Flex direction="column" gap="3">
            {these.map((f) => (
              <Box key={f.place + f.words} borderLeft="2px solid" borderColor="coral" pl="3">
                <Place name={`${f.kind}: ${named(f.place)}`} onClick={() => goTo(f.place)} />
                <Mend finding={f} />
                <Text color="mist" fontSize="12px">
                  {f.why}
                </Text>
              </Box>
            ))}
          </Flex>
        </Box>
      ))}
      <ShaderText />
    </Flex>
  );
}

/** The program that draws the effect, to be read. */
function ShaderText() {
  const text = useEditor((s) => s.program?.fragment);
  const [open, setOpen] = useState(false);
  return (
    <details onToggle={(e) => setOpen(e.currentTarget.open)}>
      <summary>shader text</summary>
      {open && (
        // biome-ignore lint/a11y/noNoninteractiveTabindex: what scrolls is scrolled by keys too
        <pre className="shader" tabIndex={0}>
          {text}
        </pre>
      )}
    </details>
  );
}

function Fault({ problem, named }: { problem: Problem; named: (place: string) => string }) {
  return (
    <Box borderLeft="2px solid" borderColor="coral" pl="3">
      <Place name={named(problem.place)} onClick={() => goTo(problem.place)} />
      <Mend finding={problem} />
    </Box>
  );
}

/** Shows the control of a place and goes to it. */
export function goTo(place: string) {
  const [root, strand, bead, param] = place.split("/");
  if (root === "strands" && bead) {
    select({ strand, bead });
    if (param) intoView(`[data-place="${CSS.escape(place)}"]`);
    else focusBead(strand, bead);
    return;
  }
  if (root === "strands") {
    focusSoon(`.strand-name[data-strand="${CSS.escape(strand)}"]`);
    return;
  }
  showTab(root === "surface" ? "surface" : "stage");
  intoView(`[data-place="${CSS.escape(place)}"], [data-entry="${CSS.escape(place)}"]`);
}

function intoView(selector: string, tries = 30) {
  const found = document.querySelector<HTMLElement>(selector);
  if (found) {
    found.scrollIntoView({ block: "center" });
    found.querySelector<HTMLElement>("input, select, textarea, button, [tabindex='0']")?.focus();
  } else if (tries > 0) window.setTimeout(() => intoView(selector, tries - 1), 30);
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
