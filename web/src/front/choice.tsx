import { Button, Input } from "@chakra-ui/react";
import { useState } from "react";
import { kindOf } from "../api/catalogue";
import type { Effect } from "../api/client";
import { NumberControl } from "../bead/number";
import { inPeoplesWords } from "../document/edit";
import { edit, useEditor } from "../document/editor";
import { beadAt, isFeed, isLevered, isMotion, paramAt, putAt, valueAt } from "../document/place";
import { Box, Flex, Text } from "../plain";
import { publish } from "./levered";

type Lever = Effect["levers"][number];
type Given = Lever["options"][number]["puts"][number];

/** Has a choice go a way: what that sets is put where it says. */
export function chooseOption(d: Effect, id: string, index: number) {
  const lever = d.levers.find((x) => x.id === id);
  if (!lever?.options[index]) return;
  lever.chosen = index;
  for (const { place, value } of lever.options[index].puts) putAt(d, place, value);
}

/** What stands at a place as plain data; nothing where it moves or comes from elsewhere. */
function standsAt(d: Effect, place: string): Given["value"] | undefined {
  const bead = beadAt(d, place);
  const setting = kindOf(bead?.kind ?? "")?.settings.find((s) => s.name === place.split("/")[3]);
  const value = setting
    ? (bead!.settings[setting.name] ?? setting.default)
    : (valueAt(d, place) ?? paramAt(d, place)?.default);
  const moved = isMotion(value) || isLevered(value) || isFeed(value);
  return value === undefined || moved ? undefined : (JSON.parse(JSON.stringify(value)) as Given["value"]);
}

/** The ways of a choice; those that set a picture show it. */
export function ChoiceControl({ lever }: { lever: Lever }) {
  const assets = useEditor((s) => s.document.assets);
  const pictureOf = (index: number) =>
    assets.find((a) =>
      lever.options[index].puts.some((p) => p.place.endsWith("/picture") && p.value === a.id),
    );
  const go = (index: number) => edit((d) => chooseOption(d, lever.id, index));
  if (lever.options.length && lever.options.every((_, i) => pictureOf(i)))
    return (
      <Flex flex="1" gap="2" wrap="wrap" role="radiogroup" aria-label={lever.name}>
        {lever.options.map((o, i) => (
          <button
            key={o.name}
            type="button"
            role="radio"
            aria-checked={i === lever.chosen}
            className="picture"
            title={o.name}
            onClick={() => go(i)}
          >
            <img src={`/api/assets/${pictureOf(i)!.hash}/small.png`} alt="" />
            <span className="picture-name">{o.name}</span>
          </button>
        ))}
      </Flex>
    );
  return (
    <Box flex="1">
      <select
        className="plain-select wide"
        aria-label={lever.name}
        value={lever.chosen}
        onChange={(e) => go(Number(e.target.value))}
      >
        {lever.options.map((o, i) => (
          <option key={o.name} value={i}>
            {o.name}
          </option>
        ))}
      </select>
    </Box>
  );
}

/** A place as three numbers; its beacon is dragged on the stage, too. */
export function PlaceControl({ lever }: { lever: Lever }) {
  const { soft, hard, axes } = paramAt(useEditor.getState().document, `levers/${lever.id}/position`)!;
  const here = Array.isArray(lever.position) ? (lever.position as number[]) : lever.rest_position;
  return (
    <Flex flex="1" gap="3">
      {axes.map((axis, i) => (
        <Flex key={axis} align="center" gap="1">
          <Text color="mist">{axis}</Text>
          <NumberControl
            narrow
            label={`${lever.name} ${axis}`}
            value={here[i]}
            soft={soft}
            hard={hard}
            onChange={(x) =>
              edit((d) => {
                const own = d.levers.find((l) => l.id === lever.id)!;
                own.position = here.map((o, k) => (k === i ? x : o));
              })
            }
          />
        </Flex>
      ))}
    </Flex>
  );
}

/** The ways of a choice one by one: what each sets, and keeping for it what stands now. */
export function Ways({ lever }: { lever: Lever }) {
  const change = (index: number, to: Partial<Lever["options"][number]>) =>
    edit((d) => {
      const own = d.levers.find((x) => x.id === lever.id)?.options[index];
      if (own) Object.assign(own, to);
    });
  const remove = (index: number) =>
    edit((d) => {
      const own = d.levers.find((x) => x.id === lever.id)!;
      own.options.splice(index, 1);
      for (const field of ["chosen", "rest_chosen"] as const)
        own[field] = Math.max(0, Math.min(own[field] - (own[field] > index ? 1 : 0), own.options.length - 1));
    });
  const keep = (index: number) =>
    edit((d) => {
      const own = d.levers.find((x) => x.id === lever.id)!;
      for (const put of own.options[index].puts) {
        const now = standsAt(d, put.place);
        if (now !== undefined) put.value = now;
      }
      own.chosen = index;
    });
  const add = () =>
    edit((d) => {
      const own = d.levers.find((x) => x.id === lever.id)!;
      const from = own.options[own.chosen] ?? { puts: [] };
      own.options.push({
        name: `way ${own.options.length + 1}`,
        puts: JSON.parse(JSON.stringify(from.puts)),
      });
    });
  const places = lever.options[0]?.puts.map((p) => p.place) ?? [];
  const effect = useEditor.getState().document;
  return (
    <Box data-testid="ways">
      {lever.options.map((o, i) => (
        <Flex key={`${i} ${o.name}`} align="center" gap="2" minH="8">
          <Input
            size="xs"
            w="10rem"
            borderColor="line"
            aria-label={`Name of way ${i + 1} of ${lever.name}`}
            defaultValue={o.name}
            onBlur={(e) => e.target.value.trim() && change(i, { name: e.target.value.trim().slice(0, 120) })}
            onKeyDown={(e) => e.key === "Enter" && e.currentTarget.blur()}
          />
          <Button size="2xs" variant="outline" onClick={() => keep(i)}>
            keep for it what stands now
          </Button>
          <Button
            size="2xs"
            variant="ghost"
            color="mist"
            disabled={lever.options.length < 2}
            aria-label={`Take ${o.name} away`}
            onClick={() => remove(i)}
          >
            take away
          </Button>
        </Flex>
      ))}
      <Button size="2xs" variant="outline" onClick={add}>
        one way more
      </Button>
      <Text color="mist" mt="1">
        each sets {places.map((p) => inPeoplesWords(effect, p)).join(", ") || "nothing yet"}
      </Text>
    </Box>
  );
}

const NEW = "a choice of its own";

/** Publishes a setting: as a choice of its own, or with one that is there. */
export function PublishSetting({ place, label }: { place: string; label: string }) {
  const choices = useEditor((s) =>
    s.document.levers
      .filter((x) => x.kind === "choice")
      .map((x) => `${x.id}\n${x.name}`)
      .join("\t"),
  );
  const taken = useEditor((s) =>
    s.document.levers.some((x) => x.options.some((o) => o.puts.some((p) => p.place === place))),
  );
  const [wrong, setWrong] = useState("");
  const known = choices ? choices.split("\t").map((text) => text.split("\n")) : [];
  const go = (name: string) => {
    const lever = known.find(([, n]) => n === name)?.[0] ?? null;
    publish(place, lever).then(
      () => setWrong(""),
      (e: Error) => setWrong(e.message),
    );
  };
  if (taken)
    return (
      <Text color="glass" fontSize="11.5px">
        on the front
      </Text>
    );
  return (
    <>
      <select
        className="plain-select small publish"
        aria-label={`Publish ${label}`}
        value=""
        onChange={(e) => e.target.value && go(e.target.value)}
      >
        <option value="">publish …</option>
        {[NEW, ...known.map(([, name]) => name)].map((name) => (
          <option key={name}>{name}</option>
        ))}
      </select>
      {wrong && (
        <Text color="coral" role="alert">
          {wrong}
        </Text>
      )}
    </>
  );
}
