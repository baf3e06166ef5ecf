import { fieldsOf, paramOf } from "../api/catalogue";
import { answered, client, type Effect, type ParamInfo, type Value } from "../api/client";
import { NumberControl } from "../bead/number";
import { edit, sent, showTab, useEditor } from "../document/editor";
import { type Levered, numbersOf, putAt } from "../document/place";
import { Pick } from "../pick";
import { Box, Flex, Text } from "../plain";

/** How a choice names the lever that is to move a number; without one it is a new one. */
export const LEVER = "lever:";

/** Has a lever move the number at a place; without one, a new lever takes its name, unit and range. */
export async function publish(place: string, lever: string | null) {
  const made = await answered(
    client.POST("/api/levers/publish", { body: { document: sent(), place, lever } }),
  );
  edit((d) => {
    const own = made.lever as Effect["levers"][number] | null;
    const at = d.levers.findIndex((x) => x.id === own?.id);
    if (own && at >= 0) d.levers[at] = own;
    else if (own) d.levers.push(own);
    if (made.value) putAt(d, place, made.value);
  });
}

/** What a number that a lever moves is as things stand. */
export async function present(lever: string, place: string): Promise<unknown> {
  const { changes } = await answered(
    client.POST("/api/levers/without", { body: { document: sent(), lever } }),
  );
  return changes.find((c) => c.place === place)?.value;
}

/** Takes a lever away; what it moves stays where it is. */
export async function removeLever(id: string) {
  const { changes } = await answered(
    client.POST("/api/levers/without", { body: { document: sent(), lever: id } }),
  );
  edit((d) => {
    for (const c of changes) putAt(d, c.place, c.value ?? null);
    d.levers = d.levers.filter((x) => x.id !== id);
    for (const other of d.levers) if (other.under === id) other.under = null;
    d.ties = d.ties.filter((t) => t.lever !== id);
    for (const v of d.variants) v.holds = v.holds.filter((h) => h.lever !== id);
  });
}

/** The levers that may move a number, and a new one. */
export function LeverOptions({ colour, place }: { colour: boolean | "alone"; place: boolean }) {
  const fitting = useEditor((s) =>
    s.document.levers
      .filter((x) =>
        colour
          ? (colour === "alone" ? ["colour"] : ["switch", "choice", "colour"]).includes(x.kind)
          : ["switch", "choice", "number", ...(place ? ["place"] : [])].includes(x.kind),
      )
      .map((x) => `${x.id}\n${x.name}`)
      .join("\t"),
  );
  return (
    <optgroup label="moved by">
      {fitting.split("\t").map((text) => {
        const [id, name] = text.split("\n");
        return (
          id && (
            <option key={id} value={LEVER + id}>
              {name}
            </option>
          )
        );
      })}
      <option value={LEVER}>a new lever</option>
    </optgroup>
  );
}

/** Which lever moves a number, and from where to where. */
export function LeveredControl({ value, param, place }: { value: Levered; param: ParamInfo; place: string }) {
  const lever = useEditor((s) => s.document.levers.find((x) => x.id === value.lever));
  const ease = fieldsOf("Levered").find((f) => f.name === "ease")!;
  if (!lever) return <Text color="coral">its lever is gone</Text>;
  const rounds = paramOf("Drift", "cycles");
  const still = Array.isArray(param.default) ? (param.default as number[]).map(() => 0) : 0;
  const own = value.rate ? { ...param, default: still, soft: rounds.soft, hard: rounds.hard } : param;
  const end = (name: "low" | "high" | "base", words: string) => {
    const of = name === "base" ? param : own;
    const now = numbersOf((value[name] ?? undefined) as Value | undefined, of);
    return (
      <Flex align="center" gap="2">
        <Text color="mist" fontSize="11.5px">
          {words}
        </Text>
        {now.map((x, i) => (
          <NumberControl
            key={param.axes[i] ?? "x"}
            narrow
            label={`${param.label}${now.length > 1 ? ` ${param.axes[i]}` : ""} ${words} of ${lever.name}`}
            value={x}
            soft={of.soft}
            hard={of.hard}
            onChange={(to) =>
              edit((d) =>
                putAt(d, `${place}/${name}`, now.length > 1 ? now.map((o, k) => (k === i ? to : o)) : to),
              )
            }
          />
        ))}
      </Flex>
    );
  };
  return (
    <Box>
      <Flex align="center" gap="2" wrap="wrap">
        <button type="button" className="link" onClick={() => showTab("front")} title="To the front">
          {lever.name}
        </button>
        {lever.kind !== "colour" && lever.kind !== "place" && (
          <>
            {end("low", lever.kind === "switch" ? "off" : "low")}
            {end("high", lever.kind === "switch" ? "on" : "high")}
          </>
        )}
        {value.rate && (
          <Text color="mist" fontSize="11.5px">
            rounds a turn
          </Text>
        )}
        {value.rate && end("base", "from")}
        {lever.kind === "number" && (
          <Pick
            label={`How ${param.label} goes with ${lever.name}`}
            value={value.ease}
            options={ease.options.map((o) => o.value)}
            onChange={(v) => edit((d) => putAt(d, place, { ...value, ease: v }))}
          />
        )}
      </Flex>
    </Box>
  );
}
