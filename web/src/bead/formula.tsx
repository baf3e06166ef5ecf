import type { Problem, Schema } from "../api/client";
import { edit, holdBriefly, useEditor } from "../document/editor";
import { beadAt } from "../document/place";
import { Box, Flex, Text } from "../plain";
import { Mend } from "./motion";

type Props = { place: string; setting: Schema["SettingInfo"]; text: string };

/** An expression as it is typed; what is wrong with it stands under it, and until then the last good one is drawn. */
export function Formula({ place, setting, text }: Props) {
  const at = `${place}/${setting.name}`;
  const problem = useEditor((s) => s.problems.find((p) => p.place === at));
  const lines = text.split("\n").length;
  return (
    <Box mb="2" data-place={at}>
      <textarea
        className="formula"
        aria-label={setting.label}
        aria-describedby={problem && "formula-problem"}
        aria-invalid={problem !== undefined}
        title={setting.words}
        spellCheck={false}
        autoCapitalize="off"
        autoComplete="off"
        rows={Math.min(Math.max(lines, 2), 10)}
        value={text}
        data-testid="formula"
        onChange={(e) => {
          const typed = e.target.value;
          holdBriefly();
          edit((d) => {
            beadAt(d, place)!.settings[setting.name] = typed;
          });
        }}
      />
      {problem && (
        <Box id="formula-problem" data-testid="formula-problem">
          <Spot text={text} problem={problem} />
          <Mend finding={problem} />
        </Box>
      )}
      <details className="formula-words">
        <summary>what a formula may use</summary>
        <Text color="mist" my="1">
          x is what comes in; a, b, c and d are strands or numbers, k, l, m and n numbers of its own.
          Arithmetic, ** for powers, % for what is left; comparisons, “this if x &gt; 0 else that”; .x .y .z
          or .r .g .b; names for parts, a line each, as in h = x * 2.
        </Text>
        <Box as="dl" className="offers">
          {setting.offers.map((o) => (
            <Flex key={o.name} gap="3" align="baseline">
              <dt>
                {o.name}({o.takes})
              </dt>
              <dd>{o.words}</dd>
            </Flex>
          ))}
        </Box>
      </details>
    </Box>
  );
}

/** The line in which something is wrong, with what it is marked. */
function Spot({ text, problem }: { text: string; problem: Problem }) {
  if (!problem.spot) return null;
  const { start, end } = problem.spot;
  const begins = text.lastIndexOf("\n", start - 1) + 1;
  const next = text.indexOf("\n", start);
  const ends = next < 0 ? text.length : next;
  if (begins === ends) return null;
  return (
    <pre className="spot">
      {text.slice(begins, start)}
      <mark>{text.slice(start, Math.min(end, ends)) || " "}</mark>
      {text.slice(Math.min(end, ends), ends)}
    </pre>
  );
}
