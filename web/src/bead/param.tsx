import { IconButton } from "@chakra-ui/react";
import { RotateCcw } from "lucide-react";
import { useState } from "react";
import { kindOf, motions } from "../api/catalogue";
import type { Effect, ParamInfo, Value } from "../api/client";
import { useFindings } from "../checks/looking";
import { edit, useEditor } from "../document/editor";
import {
  beadAt,
  type Feed,
  isFeed,
  isLevered,
  isList,
  isMotion,
  type Motion,
  numbersOf,
  type Point,
  paramAt,
  putAt,
  type Stop,
  valueAt,
} from "../document/place";
import { LEVER, LeveredControl, LeverOptions, present, publish } from "../front/levered";
import type { Source } from "../painter/small";
import { SmallPicture } from "../painter/small-picture";
import { Box, Flex, Text } from "../plain";
import { ColourControl } from "./colour-control";
import { CurveControl } from "./curve";
import { begin, Mend, MotionControl } from "./motion";
import { NumberControl } from "./number";
import { StopsControl } from "./stops";

type Props = {
  place: string;
  source: () => Source | null;
  interpolation?: string;
  /** The row around it says what it is. */
  unnamed?: boolean;
  /** Where there is little room: a number without its slider. */
  narrow?: boolean;
  /** A colour alone, without its strength. */
  bare?: boolean;
  /** Where its slider is finer. */
  feel?: string;
};

/** One param: its number, and from the same place reset, motion and a strand to feed it. */
export function ParamRow({ place, source, interpolation, unnamed, narrow, bare, feel }: Props) {
  const value = useEditor((s) => valueAt(s.document, place));
  const bead = useEditor((s) => beadAt(s.document, place));
  const findings = useFindings().filter((f) => f.place === place);
  const problem = useEditor((s) =>
    s.problems.find((p) => p.place === place || p.place.startsWith(`${place}/`)),
  );
  const canTake = useEditor((s) => feedable(s.document, place).length > 0);
  const [wrong, setWrong] = useState("");
  const param = paramAt(useEditor.getState().document, place);
  if (!param) return null;
  const put = (v: Value | undefined) => edit((d) => putAt(d, place, v));
  const mode = modeOf(value);
  const canFeed = param.feed !== null;
  const canMove = param.moves;
  const owner = place.split("/").slice(0, 3).join("/");
  const atFirst =
    value === undefined ||
    (!place.startsWith("strands/") && JSON.stringify(value) === JSON.stringify(param.default));
  const failed = (e: Error) => setWrong(e.message);
  const become = (next: string, now: number[]) => {
    if (next === "still") put(now.length === 1 ? now[0] : now);
    else if (next === "strand") {
      const first = feedable(useEditor.getState().document, place)[0];
      if (first) put({ strand: first.strand, bead: null });
    } else begin(next, place, bead?.kind ?? null, now).then((m) => put(m as Value), failed);
  };
  const choose = (next: string) => {
    setWrong("");
    if (next.startsWith(LEVER)) publish(place, next.slice(LEVER.length) || null).catch(failed);
    // From where its lever has brought it.
    else if (isLevered(value))
      present(value.lever, place).then(
        (now) => become(next, isMotion(now) ? motionStart(now, param) : numbersOf(now as Value, param)),
        failed,
      );
    else become(next, isMotion(value) ? motionStart(value, param) : numbersOf(value, param));
  };
  if (param.type === "stops" || param.type === "curve")
    return (
      <Box py="1">
        {param.type === "stops" ? (
          <StopsControl
            stops={(isList(value) ? value : param.default) as Stop[]}
            interpolation={interpolation ?? "linear"}
            place={owner}
            param={param.name}
            bead={bead!}
            onChange={put}
          />
        ) : (
          <CurveControl
            points={(isList(value) ? value : param.default) as Point[]}
            place={owner}
            bead={bead!}
            onChange={put}
          />
        )}
        {problem && <Text color="coral">{problem.words}</Text>}
      </Box>
    );
  return (
    <Box py="1" data-testid={`param-${param.name}`} data-place={place}>
      <Flex
        align={isMotion(value) ? "flex-start" : "center"}
        gap="3"
        wrap={isMotion(value) ? "wrap" : "nowrap"}
      >
        <Text
          w="5.4rem"
          flexShrink={0}
          title={param.words}
          pt={isMotion(value) ? "1" : "0"}
          display={unnamed ? "none" : undefined}
        >
          {param.label}
          {param.unit && param.unit !== param.label && !isMotion(value) && (
            <Text as="span" color="mist" fontSize="11px" display="block" lineHeight="1">
              {param.unit}
            </Text>
          )}
        </Text>
        <Box
          flex={isMotion(value) ? "1 1 15rem" : "1"}
          minW={isLevered(value) ? "min-content" : narrow ? "14" : "0"}
        >
          {isMotion(value) ? (
            <MotionControl
              tight={unnamed}
              motion={value}
              param={param}
              place={place}
              onChange={(m) => put(m as Value)}
            />
          ) : isLevered(value) ? (
            <LeveredControl value={value} param={param} place={place} />
          ) : isFeed(value) || param.only_fed ? (
            <FeedControl
              feed={isFeed(value) ? value : null}
              empty={
                param.type === "direction"
                  ? "the bare surface"
                  : param.needed
                    ? "choose a strand above …"
                    : "nothing"
              }
              place={place}
              source={source}
              label={param.label}
              onChange={put}
            />
          ) : param.type === "colour" ? (
            <ColourControl
              bare={bare}
              narrow={narrow}
              value={numbersOf(value, param)}
              label={param.label}
              onChange={put}
            />
          ) : (
            <Numbers
              value={numbersOf(value, param)}
              param={param}
              quiet={atFirst}
              narrow={narrow}
              feel={feel}
              onChange={put}
            />
          )}
        </Box>
        {!param.only_fed && (canMove || canFeed) && (
          <select
            className="plain-select"
            // What it may be is long where levers have long names; the number comes first.
            style={{ minWidth: "4.6rem" }}
            aria-label={`${param.label}: still, moving or fed`}
            value={mode}
            onChange={(e) => choose(e.target.value)}
            data-testid={`mode-${param.name}`}
          >
            <option value="still">still</option>
            {canMove &&
              motions()
                .filter((m) => !m.several || param.axes.length > 1)
                .map((m) => (
                  <option key={m.kind} value={m.kind} title={m.words}>
                    {m.kind}
                  </option>
                ))}
            {canFeed && (
              <option value="strand" disabled={!canTake}>
                from a strand
              </option>
            )}
            {!place.startsWith("levers/") && (
              <LeverOptions colour={param.type === "colour"} place={place.startsWith("beacons/")} />
            )}
          </select>
        )}
        <IconButton
          aria-label={`Reset ${param.label}`}
          title="Back to the default"
          size="2xs"
          variant="ghost"
          color="mist"
          visibility={atFirst || param.needed ? "hidden" : "visible"}
          onClick={() => put(undefined)}
        >
          <RotateCcw size={13} />
        </IconButton>
      </Flex>
      {(problem || wrong) && <Text color="coral">{problem?.words ?? wrong}</Text>}
      {findings.map((f) => (
        <Mend key={f.words} finding={f} />
      ))}
    </Box>
  );
}

const modeOf = (value: Value | undefined) =>
  isMotion(value)
    ? value.motion
    : isFeed(value)
      ? "strand"
      : isLevered(value)
        ? LEVER + value.lever
        : "still";

/** Where a motion begins, for when it is stilled. */
function motionStart(m: Motion, param: ParamInfo): number[] {
  const rests = motions().find((k) => k.kind === m.motion)?.rests ?? "";
  const steps = rests.split("/");
  const stood = steps.reduce<unknown>((at, step) => (at as Record<string, unknown> | undefined)?.[step], m);
  const one = { ...param, type: "number" as const, axes: [] };
  const still = (x: unknown, i: number) =>
    isMotion(x) ? motionStart(x, { ...one, default: [param.default].flat()[i] as number })[0] : x;
  return numbersOf(
    (Array.isArray(stood) ? stood.map(still) : (stood ?? undefined)) as Value | undefined,
    param,
  );
}

function Numbers({
  value,
  param,
  quiet,
  narrow,
  feel,
  onChange,
}: {
  value: number[];
  param: ParamInfo;
  quiet: boolean;
  narrow?: boolean;
  feel?: string;
  onChange: (v: Value) => void;
}) {
  if (value.length === 1)
    return (
      <NumberControl
        label={param.label}
        value={value[0]}
        soft={param.soft}
        hard={param.hard}
        whole={param.whole}
        quiet={quiet}
        narrow={narrow}
        feel={feel}
        onChange={onChange}
      />
    );
  return (
    <Flex gap="4" wrap="wrap">
      {value.map((n, i) => (
        <Flex key={param.axes[i]} align="center" gap="1">
          <Text color="mist">{param.axes[i]}</Text>
          <NumberControl
            narrow
            label={`${param.label} ${param.axes[i]}`}
            value={n}
            soft={param.soft}
            hard={param.hard}
            onChange={(x) => onChange(value.map((old, k) => (k === i ? x : old)))}
          />
        </Flex>
      ))}
    </Flex>
  );
}

/** The strands above a place, which are those it may use. */
type Takable = { strand: string; name: string; beads: { id: string; kind: string }[] };

export function feedable(effect: Pick<Effect, "strands">, place: string): Takable[] {
  const [root, id] = place.split("/");
  const end = root === "strands" ? effect.strands.findIndex((s) => s.id === id) : effect.strands.length;
  return effect.strands
    .slice(0, end)
    .filter((s) => s.beads.length > 0)
    .map((s) => ({ strand: s.id, name: s.name, beads: s.beads.map((b) => ({ id: b.id, kind: b.kind })) }));
}

type FeedProps = {
  feed: Feed | null;
  /** What it says where there is none. */
  empty: string;
  place: string;
  label: string;
  source: () => Source | null;
  onChange: (v: Value) => void;
};

/** A strand, or any bead of it, with its live picture. */
function FeedControl({ feed, empty, place, label, source, onChange }: FeedProps) {
  const strands = useEditor((s) => s.document.strands);
  const above = feedable({ strands }, place);
  const strand = strands.find((s) => s.id === feed?.strand);
  const bead = feed?.bead ?? strand?.beads.at(-1)?.id;
  return (
    <Flex align="center" gap="3">
      {strand && bead && <SmallPicture source={source} place={`strands/${strand.id}/${bead}`} size={30} />}
      <StrandSelect
        label={`${label} from`}
        chosen={feed}
        strands={above}
        empty={feed ? undefined : empty}
        onChange={(f) => f && onChange(f)}
      />
    </Flex>
  );
}

type SelectProps = {
  label: string;
  chosen: Pick<Feed, "strand" | "bead"> | null;
  strands: Takable[];
  /** What no strand is called; without it, one is always chosen. */
  empty?: string;
  onChange: (to: { strand: string; bead: string | null } | null) => void;
};

/** A strand, or one bead of it. */
export function StrandSelect({ label, chosen, strands, empty, onChange }: SelectProps) {
  return (
    <select
      className="plain-select wide"
      aria-label={label}
      value={chosen ? `${chosen.strand}/${chosen.bead ?? ""}` : ""}
      onChange={(e) => {
        const [strand, bead] = e.target.value.split("/");
        onChange(strand ? { strand, bead: bead || null } : null);
      }}
    >
      {empty !== undefined && <option value="">{empty}</option>}
      {strands.map((s) => (
        <optgroup key={s.strand} label={s.name}>
          <option value={`${s.strand}/`}>{s.name}</option>
          {s.beads.slice(0, -1).map((b) => (
            <option key={b.id} value={`${s.strand}/${b.id}`}>
              {s.name} · {kindOf(b.kind)?.title ?? b.kind}
            </option>
          ))}
        </optgroup>
      ))}
    </select>
  );
}
