import { Button, Input } from "@chakra-ui/react";
import { ChevronDown, ChevronUp, RotateCcw } from "lucide-react";
import { useMemo, useState } from "react";
import { fieldsOf, leverHolds, paramOf } from "../api/catalogue";
import type { Effect } from "../api/client";
import { LEVERED } from "../api/levers.gen";
import { ColourControl } from "../bead/colour-control";
import { NumberControl } from "../bead/number";
import { ParamRow } from "../bead/param";
import { goTo } from "../checks/panel";
import { drawableFor } from "../document/ahead";
import { inPeoplesWords } from "../document/edit";
import { derived, edit, showTab, useEditor } from "../document/editor";
import { isLevered, isMotion, paramOfLever, valueAt } from "../document/place";
import { references } from "../document/refer";
import { structure } from "../document/tree";
import { Feeder } from "../painter/numbers";
import type { Source } from "../painter/small";
import { SmallPicture } from "../painter/small-picture";
import { Pick } from "../pick";
import { Box, Flex, Text } from "../plain";
import { useSignals } from "../signals/live";
import type { Loop } from "../stage/drawing";
import { useRoom } from "../studio/room";
import { ChoiceControl, chooseOption, PlaceControl, Ways } from "./choice";
import { removeLever } from "./levered";
import { Variants } from "./variants";

type Lever = Effect["levers"][number];

/** What others may turn: levers in groups, and the ways in which they were found to stand well. */
export function FrontPanel({ loop }: { loop: Loop }) {
  const levers = useEditor((s) => s.document.levers);
  const trying = useRoom((s) => s.front);
  // Kept here, since a lever that goes to another group is drawn anew.
  const [opened, setOpened] = useState<string | null>(null);
  const shown = levers.filter((x) => !trying || !x.private);
  const groups = [...new Set(shown.map((x) => x.group))];
  return (
    <Box data-testid="front">
      <Flex align="center" gap="3" mb="2">
        <Text color="mist" flex="1">
          {levers.length
            ? "What whoever receives the effect may turn."
            : "No lever yet: choose “a new lever” where a number is set still or moving."}
        </Text>
        <Button
          size="xs"
          variant="outline"
          borderColor="line"
          aria-pressed={trying}
          onClick={() => useRoom.setState({ front: !trying })}
        >
          {trying ? "back to the work" : "try the front"}
        </Button>
      </Flex>
      {groups.map((group) => (
        <details key={group} className="front-group" open>
          <summary>{group || "levers"}</summary>
          {shown
            .filter((x) => x.group === group)
            .map((x) => (
              <LeverRow
                key={x.id}
                lever={x}
                loop={loop}
                trying={trying}
                open={opened === x.id}
                onOpen={() => setOpened(opened === x.id ? null : x.id)}
              />
            ))}
        </details>
      ))}
      {levers.length > 0 && <Variants loop={loop} />}
    </Box>
  );
}

const change = (id: string, to: Partial<Lever>) =>
  edit((d) => {
    const lever = d.levers.find((x) => x.id === id);
    if (lever) Object.assign(lever, to);
  });

/** The lever whose name is dragged. */
let dragged: string | null = null;

/** Puts a lever before another one, in the group of that. */
const before = (id: string, other: string) =>
  edit((d) => {
    const at = d.levers.findIndex((x) => x.id === id);
    if (at < 0 || id === other) return;
    const [own] = d.levers.splice(at, 1);
    const to = d.levers.findIndex((x) => x.id === other);
    own.group = d.levers[to].group;
    d.levers.splice(to, 0, own);
  });

type RowProps = { lever: Lever; loop: Loop; trying: boolean; open: boolean; onOpen: () => void };

function LeverRow({ lever, loop, trying, open, onOpen }: RowProps) {
  const over = useEditor((s) => s.document.levers.find((x) => x.id === lever.under));
  const problem = useEditor((s) => s.problems.find((p) => p.place.startsWith(`levers/${lever.id}`)));
  // What a switch governs is hidden while that is off.
  if (over && !over.on) return null;
  return (
    <Box
      py="1.5"
      pl={over ? "5" : "0"}
      data-testid={`lever-${lever.id}`}
      data-place={`levers/${lever.id}`}
      onDragOver={(e) => dragged && dragged !== lever.id && e.preventDefault()}
      onDrop={() => dragged && before(dragged, lever.id)}
    >
      <Flex align="center" gap="3" minH="9">
        <Text
          w="8rem"
          flexShrink={0}
          title={trying ? lever.note : "Drag it to put it elsewhere"}
          color={lever.private ? "mist" : "fog"}
          cursor={trying ? undefined : "grab"}
          draggable={!trying}
          onDragStart={() => {
            dragged = lever.id;
          }}
          onDragEnd={() => {
            dragged = null;
          }}
        >
          {lever.name}
          {lever.unit && (
            <Text as="span" color="mist" fontSize="11px" display="block" lineHeight="1">
              {lever.unit}
            </Text>
          )}
        </Text>
        {open && !trying && lever.kind === "number" ? (
          // As any number of the effect is: still or moving.
          <Box flex="1">
            <ParamRow place={`levers/${lever.id}/value`} source={() => null} feel={lever.feel} unnamed />
          </Box>
        ) : (
          <>
            <LeverControl lever={lever} />
            <Reset lever={lever} />
          </>
        )}
        {lever.kind === "number" && <Ends lever={lever} loop={loop} />}
        {!trying && (
          <Button
            size="2xs"
            variant="ghost"
            color="mist"
            aria-expanded={open}
            aria-label={`${lever.name}: ${open ? "less" : "more"}`}
            title="What it is and moves"
            onClick={onOpen}
          >
            {open ? "less" : "more"}
          </Button>
        )}
      </Flex>
      {lever.note && (
        <Text color="mist" fontSize="11.5px" mt="-1">
          {lever.note}
        </Text>
      )}
      {problem && <Text color="coral">{problem.words}</Text>}
      {open && !trying && <Details lever={lever} />}
    </Box>
  );
}

/** The control of a lever, as its receiver has it. */
export function LeverControl({ lever }: { lever: Lever }) {
  const has = useSignals((s) => s.levers[lever.id]);
  if (has !== undefined) return <Had lever={lever} value={has} />;
  return <OwnControl lever={lever} />;
}

/** Where a signal has a lever; set by hand it would be put elsewhere by the next message. */
function Had({ lever, value }: { lever: Lever; value: number | number[] }) {
  const words = Array.isArray(value)
    ? value.map((x) => x.toPrecision(2)).join(" ")
    : lever.kind === "switch"
      ? value
        ? "on"
        : "off"
      : value.toFixed(Math.max(0, 2 - Math.floor(Math.log10(Math.max(Math.abs(value), 1)))));
  const span = lever.most - lever.least;
  const part = Array.isArray(value) || !span ? 1 : (value - lever.least) / span;
  return (
    <Flex flex="1" align="center" gap="3" data-testid={`had-${lever.id}`}>
      {lever.kind === "number" && (
        <div className="had" aria-hidden>
          <div style={{ width: `${Math.max(0, Math.min(1, part)) * 100}%` }} />
        </div>
      )}
      <Text fontVariantNumeric="tabular-nums" minW="3.5rem">
        {words}
      </Text>
      <button type="button" className="link" onClick={() => showTab("signals")}>
        from a signal
      </button>
    </Flex>
  );
}

function OwnControl({ lever }: { lever: Lever }) {
  const set = (to: Partial<Lever>) => change(lever.id, to);
  if (lever.kind === "switch")
    return (
      <label className="check" style={{ flex: 1 }}>
        <input
          type="checkbox"
          aria-label={lever.name}
          checked={lever.on}
          onChange={(e) => set({ on: e.target.checked })}
        />{" "}
        {lever.on ? "on" : "off"}
      </label>
    );
  if (lever.kind === "choice") return <ChoiceControl lever={lever} />;
  if (lever.kind === "place") return <PlaceControl lever={lever} />;
  if (lever.kind === "colour")
    return (
      <ColourControl
        value={Array.isArray(lever.colour) ? (lever.colour as number[]) : lever.rest_colour}
        label={lever.name}
        onChange={(v) => set({ colour: v })}
      />
    );
  if (isMotion(lever.value))
    return (
      <Flex flex="1" align="center" gap="3">
        <Text color="glass">in motion: {lever.value.motion}</Text>
        <Button size="2xs" variant="outline" onClick={() => set({ value: lever.rest })}>
          hold it still
        </Button>
      </Flex>
    );
  const { soft, hard, whole } = paramOfLever(lever);
  return (
    <NumberControl
      label={lever.name}
      value={lever.value as number}
      soft={soft}
      hard={hard}
      whole={whole}
      feel={lever.feel}
      onChange={(v) => set({ value: v })}
    />
  );
}

function Reset({ lever }: { lever: Lever }) {
  const had = useSignals((s) => lever.id in s.levers);
  const [stands, rests] = leverHolds(lever.kind);
  const held = lever as unknown as Record<string, unknown>;
  const atRest = JSON.stringify(held[stands]) === JSON.stringify(held[rests]);
  return (
    <Button
      size="2xs"
      variant="ghost"
      color="mist"
      aria-label={`Reset ${lever.name}`}
      title="Back to where it rests"
      visibility={atRest || had ? "hidden" : "visible"}
      onClick={() =>
        lever.kind === "choice"
          ? edit((d) => chooseOption(d, lever.id, lever.rest_chosen))
          : change(lever.id, { [stands]: held[rests] })
      }
    >
      <RotateCcw size={13} />
    </Button>
  );
}

/** The effect with another document, drawn by its own program once that is there, until then by the one at hand. */
export function sourceOf(loop: Loop, make: (d: Effect) => Effect): () => Source | null {
  const effect = derived(make);
  const feeder = new Feeder();
  return () => {
    const now = loop.source();
    if (!now) return null;
    const other = effect();
    const shape = structure(other);
    const drawable = shape === structure(now.effect) ? now.drawable : (drawableFor(shape) ?? now.drawable);
    return { ...now, effect: other, feeder, drawable };
  };
}

const withLever = (d: Effect, id: string, to: Partial<Lever>): Effect => ({
  ...d,
  levers: d.levers.map((x) => (x.id === id ? { ...x, ...to } : x)),
});

/** The effect at the low end of a lever, as it is, and at the high end. */
function Ends({ lever, loop }: { lever: Lever; loop: Loop }) {
  const { id, least, most } = lever;
  const [low] = useState(() => sourceOf(loop, (d) => withLever(d, id, { value: endOf(d, id, "least") })));
  const [high] = useState(() => sourceOf(loop, (d) => withLever(d, id, { value: endOf(d, id, "most") })));
  return (
    <Flex gap="1" flexShrink={0}>
      {(
        [
          ["low", low, least],
          ["now", loop.source, null],
          ["high", high, most],
        ] as const
      ).map(([name, source, to]) => (
        <button
          key={name}
          type="button"
          className="phase"
          aria-label={to === null ? `${lever.name} as it is` : `${lever.name} to its ${name} end`}
          title={to === null ? "as it is" : `at ${to}`}
          disabled={to === null}
          onClick={() => to !== null && change(id, { value: to })}
        >
          <SmallPicture source={source} place={null} size={40} />
        </button>
      ))}
    </Flex>
  );
}

const endOf = (d: Effect, id: string, end: "least" | "most") => d.levers.find((x) => x.id === id)?.[end] ?? 0;

/** What a lever is called, where it stands in the front, its range, and all that it moves. */
function Details({ lever }: { lever: Lever }) {
  const index = useEditor((s) => s.document.levers.findIndex((x) => x.id === lever.id));
  const count = useEditor((s) => s.document.levers.length);
  const switches = useEditor((s) =>
    s.document.levers
      .filter((x) => x.kind === "switch" && x.id !== lever.id)
      .map((x) => `${x.id}\n${x.name}`)
      .join("\t"),
  );
  // What refers to it is gone through again only where the structure is another, and not while a lever is turned.
  const shape = useEditor((s) => structure(s.document));
  const moved = useMemo(() => {
    const d = useEditor.getState().document;
    return references(d)
      .filter((r) => r.kind === "lever" && r.id === lever.id && r.gone === "value")
      .map((r) => [r.place, inPeoplesWords(d, r.place)]);
  }, [shape, lever.id]);
  const set = (to: Partial<Lever>) => change(lever.id, to);
  const line = (name: "name" | "group" | "note" | "unit", words: string) => (
    <Flex align="center" gap="3" minH="8">
      <Text w="6rem" color="mist" flexShrink={0}>
        {words}
      </Text>
      <Input
        size="xs"
        borderColor="line"
        aria-label={`${words} of ${lever.name}`}
        defaultValue={lever[name]}
        onBlur={(e) => {
          const text = e.target.value.trim();
          if (name === "name" && !text) e.target.value = lever.name;
          else if (text !== lever[name]) set({ [name]: text });
        }}
        onKeyDown={(e) => e.key === "Enter" && e.currentTarget.blur()}
      />
    </Flex>
  );
  const number = (name: "least" | "most" | "floor" | "ceiling" | "rest", words: string) => (
    <Flex align="center" gap="1">
      <Text color="mist">{words}</Text>
      <NumberControl
        narrow
        label={`${words} of ${lever.name}`}
        value={lever[name]}
        soft={paramOf("Lever", name).soft}
        hard={paramOf("Lever", name).hard}
        onChange={(v) => set({ [name]: v })}
      />
    </Flex>
  );
  const shift = (by: number) =>
    edit((d) => {
      const [own] = d.levers.splice(index, 1);
      d.levers.splice(index + by, 0, own);
    });
  const feel = fieldsOf("Lever").find((f) => f.name === "feel")!;
  return (
    <Box pl="3" ml="1" mb="3" borderLeft="1px solid" borderColor="line">
      {line("name", "name")}
      {line("group", "group")}
      {line("note", "note")}
      {lever.kind === "number" && (
        <>
          {line("unit", "unit")}
          <Flex gap="4" wrap="wrap" minH="8" align="center">
            {number("least", "slider from")}
            {number("most", "to")}
            {number("floor", "accepts from")}
            {number("ceiling", "to at most")}
            {number("rest", "rests at")}
          </Flex>
          <Flex align="center" gap="3" minH="8">
            <Text w="6rem" color="mist" flexShrink={0}>
              {feel.label}
            </Text>
            <Pick
              label={`Where the slider of ${lever.name} is finer`}
              value={lever.feel}
              options={feel.options.map((o) => o.value)}
              onChange={(v) => set({ feel: v as Lever["feel"] })}
            />
            <label className="check">
              <input
                type="checkbox"
                checked={lever.whole}
                onChange={(e) => set({ whole: e.target.checked })}
              />{" "}
              whole steps
            </label>
            <label className="check">
              <input
                type="checkbox"
                checked={lever.round}
                onChange={(e) => set({ round: e.target.checked })}
              />{" "}
              its ends meet
            </label>
          </Flex>
        </>
      )}
      <Flex gap="4" wrap="wrap" align="center" minH="8">
        <label className="check">
          <input
            type="checkbox"
            checked={lever.private}
            onChange={(e) => set({ private: e.target.checked })}
          />{" "}
          private: left out of the front
        </label>
        {switches && (
          <label className="check">
            hidden with{" "}
            <select
              className="plain-select"
              value={lever.under ?? ""}
              onChange={(e) => set({ under: e.target.value || null })}
            >
              <option value="">nothing</option>
              {switches.split("\t").map((text) => {
                const [id, name] = text.split("\n");
                return (
                  <option key={id} value={id}>
                    {name}
                  </option>
                );
              })}
            </select>
          </label>
        )}
      </Flex>
      {lever.kind === "choice" && <Ways lever={lever} />}
      {lever.kind === "switch" && <Muted lever={lever} />}
      <Flex gap="3" wrap="wrap" align="center" minH="8" display={lever.kind === "choice" ? "none" : "flex"}>
        <Text color="mist">moves</Text>
        {!moved.length && <Text color="mist">nothing yet</Text>}
        {moved.map(([place, words]) => (
          <Flex key={place} align="center" gap="1">
            <Curve place={place} />
            <button type="button" className="link" onClick={() => goTo(place)}>
              {words}
            </button>
          </Flex>
        ))}
      </Flex>
      <Flex gap="2" align="center">
        <Button
          size="2xs"
          variant="outline"
          disabled={index === 0}
          onClick={() => shift(-1)}
          aria-label={`${lever.name} up`}
        >
          <ChevronUp size={13} />
        </Button>
        <Button
          size="2xs"
          variant="outline"
          disabled={index === count - 1}
          onClick={() => shift(1)}
          aria-label={`${lever.name} down`}
        >
          <ChevronDown size={13} />
        </Button>
        {lever.kind === "number" && (
          <Button
            size="2xs"
            variant="outline"
            disabled={isMotion(lever.value)}
            onClick={() => set({ rest: lever.value as number })}
          >
            let it rest here
          </Button>
        )}
        <Button size="2xs" variant="outline" color="coral" onClick={() => void removeLever(lever.id)}>
          take the lever away
        </Button>
      </Flex>
    </Box>
  );
}

const WIDE = 34;
const HIGH = 18;

/** How a number goes as its lever goes over its range. */
function Curve({ place }: { place: string }) {
  const value = useEditor((s) => valueAt(s.document, place));
  const lever = useEditor((s) => s.document.levers.find((x) => isLevered(value) && x.id === value.lever));
  if (!isLevered(value) || lever?.kind !== "number") return null;
  const [low, high] = [value.low, value.high].map((x) => [x ?? 0].flat()[0] as number);
  const made = LEVERED[value.ease];
  const [least, most] = [Math.min(low, high), Math.max(low, high)];
  const points = Array.from({ length: 17 }, (_, i) => {
    const y = made(i / 16, 0, 1, low, high, least, most);
    const part = most > least ? (y - least) / (most - least) : 0.5;
    return `${((i / 16) * WIDE).toFixed(1)},${(HIGH - 2 - part * (HIGH - 4)).toFixed(1)}`;
  });
  return (
    <svg width={WIDE} height={HIGH} className="trace" role="img" aria-label={`from ${low} to ${high}`}>
      <polyline points={points.join(" ")} />
    </svg>
  );
}

/** The strands that a switch mutes while it is off. */
function Muted({ lever }: { lever: Lever }) {
  const strands = useEditor((s) => s.document.strands);
  return (
    <Flex gap="3" wrap="wrap" align="center" minH="8">
      <Text color="mist">while off, mutes</Text>
      {strands.map((s) => (
        <label key={s.id} className="check">
          <input
            type="checkbox"
            checked={s.sounds_with === lever.id}
            onChange={(e) =>
              edit((d) => {
                const strand = d.strands.find((x) => x.id === s.id)!;
                strand.sounds_with = e.target.checked ? lever.id : null;
              })
            }
          />{" "}
          {s.name}
        </label>
      ))}
    </Flex>
  );
}
