import { Tabs } from "@chakra-ui/react";
import { useState } from "react";
import { forms, receivers } from "../api/catalogue";
import { useEditor } from "../document/editor";
import { Framed } from "../framed";
import { Box, Flex, Text } from "../plain";
import type { Loop } from "../stage/drawing";
import { Becomes, Made } from "./made";
import { freshOf, type Options } from "./parts";
import { Pictures } from "./pictures";

/** What was chosen for an effect the last time. */
type Chosen = { receiver: string; form: string; options: Options };

const key = (id: string) => `whorl hand over ${id}`;

const begun = (): Chosen => ({
  receiver: "",
  form: forms()[0].key,
  options: { ...freshOf<Options>("BakeOptions"), videos: ["webm"] },
});

/** What is remembered, as far as it still means something. */
function remembered(id: string): Chosen {
  const fresh = begun();
  try {
    const kept = JSON.parse(localStorage.getItem(key(id)) ?? "null") as Chosen | null;
    if (!kept || !forms().some((f) => f.key === kept.form)) return fresh;
    const known = Object.entries(kept.options).filter(([name]) => name in fresh.options);
    return { ...kept, options: { ...fresh.options, ...Object.fromEntries(known) } };
  } catch {
    return fresh;
  }
}

/** Everything that an effect can be handed over as: who takes it, what they get, and what is lost on the way. */
export function BakeDialog({ open, loop, onClose }: { open: boolean; loop: Loop; onClose: () => void }) {
  return (
    <Framed open={open} title="Hand over" testId="bake-dialog" size="xl" onClose={onClose}>
      <Inside loop={loop} />
    </Framed>
  );
}

function Inside({ loop }: { loop: Loop }) {
  const id = useEditor((s) => s.id);
  const [chosen, setChosen] = useState(() => remembered(id));
  const put = (some: Partial<Chosen>) => {
    const next = { ...chosen, ...some };
    setChosen(next);
    localStorage.setItem(key(id), JSON.stringify(next));
  };
  const taker = receivers().find((r) => r.key === chosen.receiver);
  const first = forms().filter((f) => taker?.forms.includes(f.key));
  const ordered = taker
    ? [
        ...first.sort((a, b) => taker.forms.indexOf(a.key) - taker.forms.indexOf(b.key)),
        ...forms().filter((f) => !first.includes(f)),
      ]
    : forms();
  const take = (receiver: string) => {
    const found = receivers().find((r) => r.key === receiver);
    if (!found) return put({ receiver: "" });
    const sheet = found.bake.sheet
      ? { ...freshOf<object>("SheetOptions"), ...(found.bake.sheet as object) }
      : null;
    const options = { ...begun().options, ...(found.bake as Partial<Options>), sheet } as Options;
    put({ receiver, form: found.forms[0], options });
  };
  return (
    <Box>
      <Flex gap="2" wrap="wrap" align="center" mb="3" role="group" aria-label="Who takes it">
        <Text color="mist">for</Text>
        {receivers().map((r) => (
          <button
            key={r.key}
            type="button"
            className="taker"
            title={r.words}
            aria-pressed={r.key === chosen.receiver}
            onClick={() => take(r.key === chosen.receiver ? "" : r.key)}
          >
            {r.title}
          </button>
        ))}
        <Text color="mist">{taker ? `it ${taker.words}` : "anyone"}</Text>
      </Flex>
      <Tabs.Root
        value={chosen.form}
        onValueChange={(d) => put({ form: d.value })}
        orientation="vertical"
        variant="plain"
        className="handed"
      >
        <Tabs.List aria-label="What it is handed over as" className="forms">
          {ordered.map((f) => (
            <Tabs.Trigger
              key={f.key}
              value={f.key}
              className={!taker || taker.forms.includes(f.key) ? "form" : "form aside"}
              data-testid={`form-${f.key}`}
            >
              <b>{f.title}</b>
              <span className="form-words">{f.words}</span>
            </Tabs.Trigger>
          ))}
        </Tabs.List>
        {forms().map((f) => (
          <Tabs.Content key={f.key} value={f.key} flex="1" minW="0" p="0">
            {f.key !== chosen.form ? null : f.made ? (
              <Made form={f} />
            ) : (
              <Pictures
                loop={loop}
                options={chosen.options}
                change={(some) => put({ options: { ...chosen.options, ...some } })}
              />
            )}
            {f.key === chosen.form && (
              <Box mt="4" borderTop="1px solid" borderColor="line" pt="3">
                <Becomes form={f.key} />
              </Box>
            )}
          </Tabs.Content>
        ))}
      </Tabs.Root>
    </Box>
  );
}
