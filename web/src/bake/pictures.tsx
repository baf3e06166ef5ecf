import { Button, Input } from "@chakra-ui/react";
import { keepPreviousData, useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { forms, stills as kindsOfStill, videos as kindsOfVideo, layers, shapes } from "../api/catalogue";
import { answered, client, type Schema } from "../api/client";
import { NumberControl } from "../bead/number";
import { useEditor } from "../document/editor";
import { SmallPicture } from "../painter/small-picture";
import { Pick } from "../pick";
import { Box, Flex, Text } from "../plain";
import type { Loop } from "../stage/drawing";
import { Job } from "./jobs";
import { Check, Count, freshOf, Kinds, type Options, Row, Way } from "./parts";

type SheetOptions = Schema["SheetOptions"];

/** Frames that are as wide as this for each pixel of height. */
const RATIOS: Record<string, number | null> = {
  free: null,
  square: 1,
  "16 : 9": 16 / 9,
  "9 : 16": 9 / 16,
  "2 : 1": 2,
};

type Props = { loop: Loop; options: Options; change: (some: Partial<Options>) => void };

/** Frames, videos and sheets of the turn: what to make, how far it is, and the files. */
export function Pictures({ loop, options, change }: Props) {
  const id = useEditor((s) => s.id);
  const saving = useEditor((s) => s.saving.state);
  // Not known before the effect is read: a turn of any length would have what is typed meanwhile cut to it.
  const frames = useEditor((s) => s.program?.frames);
  const fps = useEditor((s) => s.document.turn.fps);
  const faulty = useEditor((s) => s.problems.length > 0);
  const open = useEditor((s) => s.program?.findings.filter((f) => f.kind === "open loop").length ?? 0);
  const known = useEditor((s) => s.document.variants);
  // What a strand comes to at its end is a layer of its own, if that is wanted.
  const sheetOfStrands = useEditor((s) => s.document.strands);
  const strands = sheetOfStrands.map((s) => ({
    kind: s.id,
    title: s.name,
    words: "What this strand comes to",
  }));
  const [ratio, setRatio] = useState("free");
  const [refused, setRefused] = useState("");
  const queries = useQueryClient();
  const { width, height, first, stills, videos, sheet, variants, transparent } = options;
  const last = frames && Math.min(options.last ?? frames, frames);
  const jobs = useQuery({
    queryKey: ["bakes", id],
    queryFn: () => answered(client.GET("/api/bakes", { params: { query: { effect: id } } })),
  });
  const nothing = stills.length === 0 && videos.length === 0 && !sheet && options.forms.length === 0;
  const wanted = { ...options, last };
  const start = async () => {
    setRefused("");
    try {
      await answered(client.POST("/api/bakes", { body: { effect: id, options: wanted } }));
      await queries.invalidateQueries({ queryKey: ["bakes", id] });
    } catch (e) {
      setRefused(e instanceof Error ? e.message : String(e));
    }
  };
  const keep = RATIOS[ratio];
  const always = useEditor((s) => s.document.stage.dither);
  /** A side of an even number of pixels, as videos want it. */
  const even = (x: number) => Math.max(16, Math.round(x / 2) * 2);
  const wide = (w: number) => change(keep ? { width: w, height: even(w / keep) } : { width: w });
  const high = (h: number) => change(keep ? { height: h, width: even(h * keep) } : { height: h });
  const count = (name: "finer" | "exposures" | "every" | "loops", words: string) => (
    <Count
      part="BakeOptions"
      name={name}
      label={words}
      words={words}
      value={options[name]}
      onChange={(x) => change({ [name]: x })}
    />
  );
  return (
    <Flex gap="6" wrap="wrap">
      <Box flex="1" minW="18rem">
        <Row label="size">
          <Count part="BakeOptions" name="width" label="bake width" value={width} onChange={wide} />
          <Text color="mist">×</Text>
          <Count part="BakeOptions" name="height" label="bake height" value={height} onChange={high} />
          <Text color="mist">pixels</Text>
          <Pick
            label="proportions of a frame"
            value={ratio}
            options={Object.keys(RATIOS)}
            onChange={(v) => {
              setRatio(v);
              const by = RATIOS[v];
              if (by) change({ height: even(width / by) });
            }}
          />
        </Row>
        <Row label="frames">
          {frames && last ? (
            <Stretch frames={frames} first={first} last={last} fps={fps} change={change} />
          ) : (
            <Text color="mist">{faulty ? "not known before its faults are mended" : "getting ready …"}</Text>
          )}
        </Row>
        <Row label="backdrop">
          <Check checked={transparent} onChange={(on) => change({ transparent: on })}>
            transparent
          </Check>
        </Row>
        <Row label="stills">
          <Kinds kinds={kindsOfStill()} chosen={stills} onChange={(v) => change({ stills: v })} />
          {stills.includes("png") && (
            <>
              <Text color="mist">a PNG of</Text>
              <Way
                part="BakeOptions"
                name="depth"
                value={options.depth}
                onChange={(v) => change({ depth: v as Options["depth"] })}
              />
              {options.depth === "8 bits" && (
                <Check
                  checked={options.dither || always}
                  disabled={always}
                  title={always ? "The effect asks for it, on its stage" : undefined}
                  onChange={(on) => change({ dither: on })}
                >
                  dithered
                </Check>
              )}
            </>
          )}
        </Row>
        {stills.includes("exr") && (
          <Row label="an EXR of">
            <Way
              part="BakeOptions"
              name="floats"
              value={options.floats}
              onChange={(v) => change({ floats: v as Options["floats"] })}
            />
            <Text color="mist">its light</Text>
            <Way
              part="BakeOptions"
              name="light"
              value={options.light}
              onChange={(v) => change({ light: v as Options["light"] })}
            />
            <Text color="mist">tone mapping; alpha</Text>
            <Way
              part="BakeOptions"
              name="alpha"
              value={options.alpha}
              onChange={(v) => change({ alpha: v as Options["alpha"] })}
            />
          </Row>
        )}
        {stills.includes("exr") && (
          <Row label="with layers">
            <Kinds
              kinds={[...layers(), ...strands]}
              chosen={options.layers}
              onChange={(v) => change({ layers: v })}
            />
          </Row>
        )}
        <Row label="videos">
          <Kinds kinds={kindsOfVideo()} chosen={videos} onChange={(v) => change({ videos: v })} />
          {videos.length > 0 && (
            <Way
              part="BakeOptions"
              name="quality"
              value={options.quality}
              onChange={(v) => change({ quality: v as Options["quality"] })}
            />
          )}
        </Row>
        <Row label="sheet">
          <SheetRow sheet={sheet ?? null} onChange={(v) => change({ sheet: v })} />
        </Row>
        {sheet && frames && <Measures options={{ width, height, first, last, sheet }} frames={frames} />}
        <Row label="forms too">
          <Kinds
            kinds={forms()
              .filter((f) => f.made)
              .map((f) => ({ kind: f.key, title: f.title, words: f.words }))}
            chosen={options.forms}
            onChange={(v) => change({ forms: v })}
          />
        </Row>
        {known.length > 0 && (
          <Row label="variants">
            <Kinds
              kinds={known.map((v) => ({ kind: v.id, title: v.name, words: "Bake this variant" }))}
              chosen={variants}
              onChange={(v) => change({ variants: v })}
            />
          </Row>
        )}
        <details className="more">
          <summary>finer, motion blur, other sizes and shapes, names</summary>
          <Row label="time">
            {count("every", "every nth frame")}
            {count("loops", "turns")}
          </Row>
          <Row label="finer">
            {count("finer", "times each way")}
            <Count
              part="BakeOptions"
              name="shutter"
              label="shutter"
              words="shutter"
              fraction
              value={options.shutter}
              onChange={(x) => change({ shutter: x })}
            />
            {options.shutter > 0 && count("exposures", "exposures")}
          </Row>
          <Row label="sizes too">
            <Sizes sizes={options.sizes} onChange={(v) => change({ sizes: v })} />
          </Row>
          <Row label="on shapes">
            <Kinds
              kinds={shapes()
                .filter((s) => s.name !== "mesh")
                .map((s) => ({ kind: s.name, title: s.name, words: s.words }))}
              chosen={options.shapes}
              onChange={(v) => change({ shapes: v })}
            />
          </Row>
          <Row label="file names">
            <Input
              aria-label="Name pattern"
              size="xs"
              fontFamily="mono"
              maxW="16rem"
              value={options.pattern}
              onChange={(e) => change({ pattern: e.target.value })}
              title="#### is the frame; {name}, {frame:04d} and {phase} are filled in too"
              borderColor="line"
            />
          </Row>
        </details>
        <Flex align="center" gap="4" mt="3" wrap="wrap">
          <Button
            rounded="full"
            size="sm"
            bg="glass"
            color="ink"
            disabled={saving !== "saved" || faulty || nothing || !frames}
            onClick={() => void start()}
            data-testid="start-bake"
          >
            {saving === "saved" ? "Bake" : "Saving first …"}
          </Button>
          {faulty && <Text color="coral">The effect has faults; mend them first.</Text>}
          {!faulty && nothing && <Text color="coral">Choose frames, a video, a sheet or another form.</Text>}
          {!faulty && !nothing && frames && saving === "saved" && <Estimate id={id} options={wanted} />}
          {!faulty && open > 0 && <Text color="coral">The loop does not close yet.</Text>}
          {refused && (
            <Text color="coral" role="alert">
              {refused}
            </Text>
          )}
        </Flex>
        <Box mt="5" borderTop="1px solid" borderColor="line" pt="3">
          {jobs.data?.length === 0 && (
            <Text color="mist">No bakes of this effect yet. They are kept here, with their files.</Text>
          )}
          {jobs.data?.map((j) => (
            <Job
              key={j.id}
              job={j}
              onGone={() => void queries.invalidateQueries({ queryKey: ["bakes", id] })}
            />
          ))}
        </Box>
      </Box>
      <Box flexShrink={0} textAlign="center">
        <Box bg="surround" p="2" rounded="md">
          <SmallPicture source={loop.source} place={null} size={168} square />
        </Box>
      </Box>
    </Flex>
  );
}

const bytes = (n: number) =>
  n < 1e6
    ? `${Math.max(1, Math.round(n / 1e3))} kB`
    : n < 1e9
      ? `${(n / 1e6).toFixed(n < 1e7 ? 1 : 0)} MB`
      : `${(n / 1e9).toFixed(1)} GB`;

const lasting = (s: number) => (s < 90 ? `${Math.max(1, Math.round(s))} s` : `${Math.round(s / 60)} min`);

/** What it comes to: how many frames, how long, how large, as the core judges by one of them. */
function Estimate({ id, options }: { id: string; options: Options }) {
  const got = useQuery({
    queryKey: ["estimate", id, options],
    gcTime: 0,
    retry: false,
    placeholderData: keepPreviousData,
    queryFn: () => answered(client.POST("/api/estimate", { body: { effect: id, options } })),
  });
  if (got.error) return <Text color="coral">{got.error.message}</Text>;
  if (!got.data) return <Text color="mist">judging by one frame …</Text>;
  const { frames, seconds, bytes: size } = got.data;
  return (
    <Text color="mist" data-testid="estimate" opacity={got.isFetching ? 0.6 : 1}>
      {frames} frames, about {lasting(seconds)}
      {size > 0 && `, ${bytes(size)} of stills`}
    </Text>
  );
}

/** Which frames of the turn are drawn. */
function Stretch({
  frames,
  first,
  last,
  fps,
  change,
}: {
  frames: number;
  first: number;
  last: number;
  fps: number;
  change: (some: Partial<Options>) => void;
}) {
  const end = (name: "first" | "last", value: number, within: [number, number]) => (
    <NumberControl
      narrow
      label={`${name} frame`}
      whole
      value={value}
      soft={within}
      hard={within}
      onChange={(x) => change({ [name]: x })}
    />
  );
  return (
    <>
      {end("first", first, [0, frames - 1])}
      <Text color="mist">up to</Text>
      {end("last", last, [1, frames])}
      <Text color="mist">
        {first === 0 && last === frames
          ? `the whole turn, ${(frames / fps).toFixed(2)} s`
          : `${Math.max(0, last - first)} frames`}
      </Text>
    </>
  );
}

/** More sizes of the same turn. */
function Sizes({
  sizes,
  onChange,
}: {
  sizes: Options["sizes"];
  onChange: (sizes: Options["sizes"]) => void;
}) {
  const fresh = freshOf<Schema["Size"]>("Size");
  const put = (i: number, some: Partial<Schema["Size"]>) =>
    onChange(sizes.map((s, k) => (k === i ? { ...s, ...some } : s)));
  return (
    <>
      {sizes.map((s, i) => (
        <Flex key={i} align="center" gap="1">
          <Count
            part="Size"
            name="width"
            label={`width of size ${i + 2}`}
            value={s.width}
            onChange={(width) => put(i, { width })}
          />
          <Text color="mist">×</Text>
          <Count
            part="Size"
            name="height"
            label={`height of size ${i + 2}`}
            value={s.height}
            onChange={(height) => put(i, { height })}
          />
          <Button
            size="2xs"
            variant="ghost"
            color="mist"
            aria-label={`take away size ${i + 2}`}
            onClick={() => onChange(sizes.filter((_, k) => k !== i))}
          >
            take away
          </Button>
        </Flex>
      ))}
      {sizes.length < 8 && (
        <Button
          size="2xs"
          variant="outline"
          borderColor="line"
          color="fog"
          onClick={() => onChange([...sizes, fresh])}
        >
          add a size
        </Button>
      )}
    </>
  );
}

/** Whether frames are laid on one picture, and how. */
function SheetRow({
  sheet,
  onChange,
}: {
  sheet: SheetOptions | null;
  onChange: (sheet: SheetOptions | null) => void;
}) {
  const number = (name: "columns" | "padding" | "every", words: string) => (
    <Count
      part="SheetOptions"
      name={name}
      label={`sheet ${name}`}
      words={words}
      value={sheet![name]}
      onChange={(x) => onChange({ ...sheet!, [name]: x })}
    />
  );
  return (
    <Flex gap="3" wrap="wrap" align="center">
      <Check checked={sheet !== null} onChange={(on) => onChange(on ? freshOf("SheetOptions") : null)}>
        frames in a grid
      </Check>
      {sheet && (
        <>
          <Way
            part="SheetOptions"
            name="kind"
            label="sheet as"
            value={sheet.kind}
            onChange={(v) => onChange({ ...sheet, kind: v as SheetOptions["kind"] })}
          />
          {number("columns", "columns")}
          {number("padding", "edge")}
          {number("every", "every")}
          <Check
            checked={sheet.premultiplied}
            onChange={(premultiplied) => onChange({ ...sheet, premultiplied })}
          >
            premultiplied
          </Check>
        </>
      )}
    </Flex>
  );
}

/** How large a sheet becomes, as the core reckons it. */
function Measures({ options, frames }: { options: Partial<Options>; frames: number }) {
  const got = useQuery({
    queryKey: ["sheet", frames, options],
    gcTime: 0,
    retry: false,
    placeholderData: keepPreviousData,
    queryFn: () => answered(client.POST("/api/sheet", { body: { frames, options: options as Options } })),
  });
  return (
    <Text pl="6.75rem" color={got.error ? "coral" : "mist"} data-testid="sheet-measures">
      {got.error
        ? got.error.message
        : got.data &&
          `${got.data.columns} × ${got.data.rows} frames on ${got.data.width} × ${got.data.height} pixels`}
    </Text>
  );
}
