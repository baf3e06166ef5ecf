import { Button, Input } from "@chakra-ui/react";
import { produce } from "immer";
import { useMemo, useState } from "react";
import { gravity } from "../api/catalogue";
import type { Effect, Finding, Problem } from "../api/client";
import { apply, Mend } from "../bead/motion";
import { inPeoplesWords } from "../document/edit";
import { edit, select, sent, showTab, useEditor } from "../document/editor";
import { focusBead, focusSoon } from "../focus";
import { Box, Flex, Text } from "../plain";
import { fromDocument, LoopPicture } from "../shelf/loop-picture";
import type { Loop } from "../stage/drawing";
import { hold } from "../stage/placed";
import { CostView } from "./cost";
import { EvidenceView } from "./evidence";
import { lookByItself, lookNow, useAll, useLooking } from "./looking";

type Change = Finding["mends"][number];

/** Findings by how bad they are, the worst first, as the core has the order. */
function graver(findings: Finding[]): [string, Finding[]][] {
  return gravity()
    .map((bad): [string, Finding[]] => [bad, findings.filter((f) => f.bad === bad)])
    .filter(([, these]) => these.length > 0);
}

/** Faults and findings, each with where it is and what would mend it. */
export function ChecksPanel({ loop }: { loop: Loop }) {
  const problems = useEditor((s) => s.problems);
  const all = useAll();
  const findings = all.filter((f) => !f.aside);
  const asides = all.filter((f) => f.aside);
  const places = [...problems, ...all].map((f) => f.place);
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
        <Looked />
        <Asides findings={asides} named={named} />
        <Below />
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
              <One key={f.kind + f.place + f.when + f.words} finding={f} name={named(f.place)} loop={loop} />
            ))}
          </Flex>
        </Box>
      ))}
      <Looked />
      <Asides findings={asides} named={named} />
      <Below />
    </Flex>
  );
}

/** Whether all has been looked at. */
function Looked() {
  const { looking, of, byItself } = useLooking();
  const here = useEditor((s) => s.document);
  return (
    <Flex direction="column" gap="1" align="start" fontSize="12px">
      <Text color="mist" role="status" data-testid="looked" data-done={!looking && of === here}>
        {looking
          ? "The pictures are being looked at, behind everything else …"
          : of === here
            ? "Every frame, each variant and both ends of each lever were looked at."
            : byItself
              ? "The pictures are looked at once the sheet is still."
              : "The pictures have not been looked at."}
      </Text>
      <Flex gap="3" align="center">
        <label className="check">
          <input type="checkbox" checked={byItself} onChange={(e) => lookByItself(e.target.checked)} /> look
          by itself
        </label>
        {!byItself && !looking && of !== here && (
          <button type="button" className="link" onClick={lookNow}>
            look now
          </button>
        )}
      </Flex>
    </Flex>
  );
}

/** One finding: where, what, why, its evidence, and what would mend it. */
function One({ finding, name, loop }: { finding: Finding; name: string; loop: Loop }) {
  const [tried, setTried] = useState<Change | null>(null);
  const [asking, setAsking] = useState(false);
  const { kind, words, why, when, mends, place } = finding;
  return (
    <Box borderLeft="2px solid" borderColor="coral" pl="3" data-finding={kind} data-when={when}>
      <Place name={`${kind}: ${name}`} onClick={() => goTo(place)} />
      {when && (
        <Text color="mist" fontSize="12px">
          {when}
        </Text>
      )}
      <Mend finding={{ words, mends }} />
      <Text color="mist" fontSize="12px">
        {why}
      </Text>
      {finding.evidence && <EvidenceView finding={finding} loop={loop} />}
      <Flex gap="3" wrap="wrap">
        {mends.map((m) => (
          <button
            key={m.words}
            type="button"
            className="link"
            aria-pressed={tried === m}
            onClick={() => setTried(tried === m ? null : m)}
          >
            try: {m.words}
          </button>
        ))}
        <button type="button" className="link" aria-expanded={asking} onClick={() => setAsking(!asking)}>
          set aside …
        </button>
      </Flex>
      {tried && <Tried mend={tried} onDone={() => setTried(null)} />}
      {asking && <Reason finding={finding} name={name} onDone={() => setAsking(false)} />}
    </Box>
  );
}

const SIDE = 150;

/** Before and after, side by side; what is tried is a copy until it is taken. */
function Tried({ mend, onDone }: { mend: Change; onDone: () => void }) {
  const [before] = useState(() => useEditor.getState().document);
  const after = useMemo(() => produce(before, (d) => apply(d, mend)), [before, mend]);
  const one = (words: string, d: Effect, n: number) => (
    <figure className="pictured">
      <LoopPicture name={["tried", d, n]} load={fromDocument(d)} seconds={d.turn.seconds} size={SIDE} />
      <Text as="figcaption" color="mist" fontSize="11.5px">
        {words}
      </Text>
    </figure>
  );
  const take = () => {
    edit((d) => apply(d, mend));
    onDone();
    focusSoon("[data-testid=checks]");
  };
  return (
    <Flex gap="4" mt="2" align="center" wrap="wrap" data-testid="tried">
      {one("as it is", before, 0)}
      {one(mend.words, after, 1)}
      <Button size="sm" bg="glass" color="ink" rounded="full" onClick={take}>
        take it
      </Button>
      <Button size="sm" variant="outline" borderColor="line" rounded="full" onClick={onDone}>
        leave it
      </Button>
    </Flex>
  );
}

/** Why a finding is set aside; it is kept in the document, and told again when it goes further. */
function Reason({ finding, name, onDone }: { finding: Finding; name: string; onDone: () => void }) {
  const [reason, setReason] = useState("");
  const { kind, place, measure } = finding;
  const keep = () => {
    edit((d) => {
      // A draft that was kept before there were any has none.
      const others = (d.aside ?? []).filter((a) => a.kind !== kind || a.place !== place);
      d.aside = [...others, { kind, place, reason: reason.trim(), measure }];
    });
    onDone();
    focusSoon("[data-testid=checks]");
  };
  return (
    <Flex gap="2" mt="2" align="center">
      <Input
        autoFocus
        size="xs"
        borderColor="line"
        maxLength={500}
        placeholder="why it may stay"
        aria-label={`Why ${kind} of ${name} is set aside`}
        value={reason}
        onChange={(e) => setReason(e.target.value)}
        onKeyDown={(e) => {
          if (e.key === "Enter" && reason.trim()) keep();
          else if (e.key === "Escape") onDone();
        }}
      />
      <Button size="xs" variant="outline" borderColor="line" disabled={!reason.trim()} onClick={keep}>
        set it aside
      </Button>
    </Flex>
  );
}

/** What was set aside, and why. */
function Asides({ findings, named }: { findings: Finding[]; named: (place: string) => string }) {
  if (!findings.length) return null;
  return (
    <details>
      <summary>{findings.length} set aside</summary>
      <Flex direction="column" gap="2" mt="2">
        {findings.map((f) => (
          <Box key={f.kind + f.place + f.words} borderLeft="2px solid" borderColor="line" pl="3">
            <Place name={`${f.kind}: ${named(f.place)}`} onClick={() => goTo(f.place)} />
            <Text>{f.words}</Text>
            <Flex gap="3">
              <Text color="mist">{f.aside}</Text>
              <button
                type="button"
                className="link"
                aria-label={`take it up again: ${f.kind} of ${named(f.place)}`}
                onClick={() =>
                  edit((d) => {
                    d.aside = d.aside.filter((a) => a.kind !== f.kind || a.place !== f.place);
                  })
                }
              >
                take it up again
              </button>
            </Flex>
          </Box>
        ))}
      </Flex>
    </details>
  );
}

/** What it costs, the report, and the program's text. */
function Below() {
  return (
    <Flex direction="column" gap="2" mt="3">
      <CostView />
      <Report />
      <ShaderText />
    </Flex>
  );
}

/** All that was found as text, what flashes first. */
function Report() {
  const [busy, setBusy] = useState(false);
  const [wrong, setWrong] = useState("");
  const save = async () => {
    setBusy(true);
    setWrong("");
    try {
      const answer = await fetch("/api/checks/report.md", {
        method: "POST",
        headers: { "Content-Type": "application/json" },
        body: JSON.stringify({ document: sent() }),
      });
      if (!answer.ok) throw new Error(((await answer.json()) as { words: string }).words);
      const link = document.createElement("a");
      link.href = URL.createObjectURL(await answer.blob());
      link.download = `${useEditor.getState().document.name} checks.md`;
      link.click();
      URL.revokeObjectURL(link.href);
    } catch (e) {
      setWrong(e instanceof Error ? e.message : String(e));
    } finally {
      setBusy(false);
    }
  };
  return (
    <Flex gap="3" align="center">
      <Button size="xs" variant="outline" borderColor="line" loading={busy} onClick={() => void save()}>
        save a report
      </Button>
      <Text color="mist" fontSize="12px">
        what flashes by WCAG 2.3.1, and all that was found
      </Text>
      {wrong && <Text color="coral">{wrong}</Text>}
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
  // Of many things one shows its numbers.
  hold(place.split("/").slice(0, -1).join("/"));
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
