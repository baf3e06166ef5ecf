import { Box, Button, Flex, Input, Link, Progress, Text } from "@chakra-ui/react";
import { keepPreviousData, useQuery, useQueryClient } from "@tanstack/react-query";
import { useEffect, useRef, useState } from "react";
import { fieldsOf, stills as kindsOfStill, videos as kindsOfVideo, paramOf } from "../api/catalogue";
import { answered, type BakeJob, client, type Schema } from "../api/client";
import { NumberControl } from "../bead/number";
import { useEditor } from "../document/editor";
import { Framed } from "../framed";
import { SmallPicture } from "../painter/small-picture";
import { Pick } from "../pick";
import type { Loop } from "../stage/drawing";

type Options = Schema["BakeOptions"];
type SheetOptions = Schema["SheetOptions"];
/** What the file beside a sheet says, as far as playing it goes. */
type SheetTold = {
  turn: { fps: number };
  frames: { x: number; y: number; width: number; height: number }[];
};

/** Frames and videos of the turn: what to make, how far it is, and the files. */
export function BakeDialog({ open, loop, onClose }: { open: boolean; loop: Loop; onClose: () => void }) {
  return (
    <Framed open={open} title="Bake the turn" testId="bake-dialog" size="xl" onClose={onClose}>
      <Inside loop={loop} />
    </Framed>
  );
}

/** What a bake begins with, as the core has it. */
const begins = <T,>(name: string) => fieldsOf("BakeOptions").find((f) => f.name === name)!.fresh as T;

/** The words of a choice of how something is made. */
const optionsOf = (part: string, name: string) =>
  fieldsOf(part)
    .find((f) => f.name === name)!
    .options.map((o) => o.value);

function Inside({ loop }: { loop: Loop }) {
  const id = useEditor((s) => s.id);
  const saving = useEditor((s) => s.saving.state);
  const frames = useEditor((s) => s.program?.frames ?? 1);
  const [firsts, lasts] = [
    [0, frames - 1],
    [1, frames],
  ];
  const fps = useEditor((s) => s.document.turn.fps);
  const faulty = useEditor((s) => s.problems.length > 0);
  const open = useEditor((s) => s.program?.findings.filter((f) => f.kind === "open loop").length ?? 0);
  const [width, setWidth] = useState(begins<number>("width"));
  const [height, setHeight] = useState(begins<number>("height"));
  const [first, setFirst] = useState(0);
  const [last, setLast] = useState(frames);
  const [stills, setStills] = useState<Options["stills"]>(["png"]);
  const [videos, setVideos] = useState<Options["videos"]>(["webm"]);
  const known = useEditor((s) => s.document.variants);
  const [variants, setVariants] = useState<string[]>([]);
  const [transparent, setTransparent] = useState(false);
  const [depth, setDepth] = useState(begins<Options["depth"]>("depth"));
  const [sheet, setSheet] = useState<SheetOptions | null>(null);
  const [pattern, setPattern] = useState(begins<string>("pattern"));
  const [refused, setRefused] = useState("");
  const queries = useQueryClient();
  const jobs = useQuery({
    queryKey: ["bakes", id],
    queryFn: () => answered(client.GET("/api/bakes", { params: { query: { effect: id } } })),
  });
  const start = async () => {
    setRefused("");
    try {
      const options = {
        width,
        height,
        first,
        last,
        transparent,
        stills,
        depth,
        videos,
        sheet,
        variants,
        pattern,
      };
      await answered(client.POST("/api/bakes", { body: { effect: id, options } }));
      await queries.invalidateQueries({ queryKey: ["bakes", id] });
    } catch (e) {
      setRefused(e instanceof Error ? e.message : String(e));
    }
  };
  const nothing = stills.length === 0 && videos.length === 0 && !sheet;
  const side = (name: "width" | "height", value: number, set: (n: number) => void) => (
    <NumberControl narrow whole label={`bake ${name}`} value={value} {...rangeOf(name)} onChange={set} />
  );
  const row = (label: string, inside: React.ReactNode) => (
    <Flex align="center" gap="3" minH="8">
      <Text w="6rem" flexShrink={0} color="mist">
        {label}
      </Text>
      {inside}
    </Flex>
  );
  return (
    <Flex gap="7">
      <Box flex="1">
        {row(
          "size",
          <>
            {side("width", width, setWidth)}
            <Text color="mist">×</Text>
            {side("height", height, setHeight)}
            <Text color="mist" flex="2">
              pixels
            </Text>
          </>,
        )}
        {row(
          "frames",
          <>
            <NumberControl
              narrow
              label="first frame"
              whole
              value={first}
              soft={firsts}
              hard={firsts}
              onChange={setFirst}
            />
            <Text color="mist">up to</Text>
            <NumberControl
              narrow
              label="last frame"
              whole
              value={last}
              soft={lasts}
              hard={lasts}
              onChange={setLast}
            />
            <Text color="mist" flex="2">
              {first === 0 && last === frames
                ? `the whole turn, ${(frames / fps).toFixed(2)} s`
                : `${Math.max(0, last - first)} frames`}
            </Text>
          </>,
        )}
        {row(
          "backdrop",
          <label className="check">
            <input type="checkbox" checked={transparent} onChange={(e) => setTransparent(e.target.checked)} />{" "}
            transparent
          </label>,
        )}
        {row(
          "stills",
          <>
            <Kinds kinds={kindsOfStill()} chosen={stills} onChange={setStills} />
            {stills.includes("png") && <Text color="mist">a PNG of</Text>}
            {stills.includes("png") && (
              <Pick
                label="How fine a PNG is"
                value={depth}
                options={optionsOf("BakeOptions", "depth")}
                onChange={(v) => setDepth(v as Options["depth"])}
              />
            )}
          </>,
        )}
        {row(
          "file names",
          <Input
            aria-label="Name pattern"
            size="xs"
            fontFamily="mono"
            value={pattern}
            onChange={(e) => setPattern(e.target.value)}
            title="#### is the frame; {name}, {frame:04d} and {phase} are filled in too"
            borderColor="line"
          />,
        )}
        {row("sheet", <SheetRow sheet={sheet} onChange={setSheet} />)}
        {sheet && <Measures options={{ width, height, first, last, sheet }} frames={frames} />}
        {row("videos", <Kinds kinds={kindsOfVideo()} chosen={videos} onChange={setVideos} />)}
        {known.length > 0 &&
          row(
            "variants",
            <Kinds
              kinds={known.map((v) => ({ kind: v.id, title: v.name, words: "Bake this variant" }))}
              chosen={variants}
              onChange={setVariants}
            />,
          )}
        {row("at once", <AtOnce id={id} />)}
        <Flex align="center" gap="4" mt="3">
          <Button
            rounded="full"
            size="sm"
            bg="glass"
            color="ink"
            disabled={saving !== "saved" || faulty || nothing}
            onClick={() => void start()}
            data-testid="start-bake"
          >
            {saving === "saved" ? "Bake" : "Saving first …"}
          </Button>
          {faulty && <Text color="coral">The effect has faults; mend them first.</Text>}
          {!faulty && nothing && <Text color="coral">Choose frames, a video or a sheet.</Text>}
          {!faulty && !nothing && (
            <Text color="mist">
              {variants.length > 1 && `${variants.length} × `}
              {last - first} frames of {width} × {height}, {((last - first) / fps).toFixed(2)} s
            </Text>
          )}
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
          <SmallPicture source={loop.source} place={null} size={208} pixels={208} square />
        </Box>
      </Box>
    </Flex>
  );
}

const rangeOf = (name: string) => {
  const { soft, hard } = paramOf("BakeOptions", name);
  return { soft, hard };
};

/** What is made while one waits: a page that plays it, and maps of its channels. */
function AtOnce({ id }: { id: string }) {
  const [over, setOver] = useState(optionsOf("MapsOptions", "over")[0]);
  return (
    <Flex gap="4" wrap="wrap" align="center">
      <Link href={`/api/effects/${id}/page.html`} color="glass" download>
        a page that plays it
      </Link>
      <Link href={`/api/effects/${id}/maps.zip?over=${over}`} color="glass" download>
        maps of its channels
      </Link>
      <Text color="mist">over</Text>
      <Pick label="Maps over" value={over} options={optionsOf("MapsOptions", "over")} onChange={setOver} />
    </Flex>
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
  const fields = fieldsOf("SheetOptions");
  const fresh = Object.fromEntries(fields.map((f) => [f.name, f.fresh])) as unknown as SheetOptions;
  const number = (name: "columns" | "padding" | "every", words: string) => {
    const { soft, hard } = paramOf("SheetOptions", name);
    return (
      <Flex align="center" gap="1" title={paramOf("SheetOptions", name).words}>
        <Text color="mist">{words}</Text>
        <NumberControl
          narrow
          whole
          label={`sheet ${name}`}
          value={sheet![name]}
          soft={soft}
          hard={hard}
          onChange={(x) => onChange({ ...sheet!, [name]: x })}
        />
      </Flex>
    );
  };
  return (
    <Flex gap="3" wrap="wrap" align="center">
      <label className="check">
        <input
          type="checkbox"
          checked={sheet !== null}
          onChange={(e) => onChange(e.target.checked ? fresh : null)}
        />{" "}
        frames in a grid
      </label>
      {sheet && (
        <>
          <Pick
            label="sheet as"
            value={sheet.kind}
            options={optionsOf("SheetOptions", "kind")}
            onChange={(v) => onChange({ ...sheet, kind: v as SheetOptions["kind"] })}
          />
          {number("columns", "columns")}
          {number("padding", "edge")}
          {number("every", "every")}
          <label className="check" title={fields.find((f) => f.name === "premultiplied")!.words}>
            <input
              type="checkbox"
              checked={sheet.premultiplied}
              onChange={(e) => onChange({ ...sheet, premultiplied: e.target.checked })}
            />{" "}
            premultiplied
          </label>
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

/** A sheet that was baked, played by stepping from frame to frame. */
function Played({ id, file }: { id: string; file: string }) {
  const canvas = useRef<HTMLCanvasElement>(null);
  useEffect(() => {
    let over = false;
    let timer: number | undefined;
    const play = async () => {
      const base = `/api/bakes/${id}/files/`;
      const told = (await (await fetch(base + file.replace(/\.png$/, ".json"))).json()) as SheetTold;
      const image = new Image();
      image.src = base + file;
      await image.decode();
      const size = 72;
      const [first] = told.frames;
      const scale = size / Math.max(first.width, first.height);
      const draw = canvas.current?.getContext("2d");
      if (!draw || over) return;
      let n = 0;
      timer = window.setInterval(() => {
        const { x, y, width, height } = told.frames[n++ % told.frames.length];
        draw.clearRect(0, 0, size, size);
        draw.drawImage(image, x, y, width, height, 0, 0, width * scale, height * scale);
      }, 1000 / told.turn.fps);
    };
    void play().catch(() => undefined);
    return () => {
      over = true;
      window.clearInterval(timer);
    };
  }, [id, file]);
  return (
    <canvas
      ref={canvas}
      width={72}
      height={72}
      role="img"
      aria-label={`${file}, played`}
      style={{ background: "#3a3a3a", borderRadius: 4 }}
    />
  );
}

/** Which kinds of file are made. */
function Kinds<T extends string>({
  kinds,
  chosen,
  onChange,
}: {
  kinds: { kind: string; title: string; words: string }[];
  chosen: T[];
  onChange: (kinds: T[]) => void;
}) {
  return (
    <Flex gap="4" wrap="wrap">
      {kinds.map(({ kind, title, words }) => (
        <label key={kind} className="check" title={words}>
          <input
            type="checkbox"
            checked={chosen.includes(kind as T)}
            onChange={(e) =>
              onChange(e.target.checked ? [...chosen, kind as T] : chosen.filter((k) => k !== kind))
            }
          />{" "}
          {title}
        </label>
      ))}
    </Flex>
  );
}

/** One bake: its progress as it comes, and its files when it is done. */
function Job({ job, onGone }: { job: BakeJob; onGone: () => void }) {
  const [now, setNow] = useState(job);
  const running = now.state === "waiting" || now.state === "running";
  useEffect(() => {
    if (job.state !== "waiting" && job.state !== "running") return;
    const events = new EventSource(`/api/bakes/${job.id}/events`);
    events.onmessage = (e) => {
      const next = JSON.parse(e.data) as BakeJob;
      setNow(next);
      if (next.state !== "waiting" && next.state !== "running") events.close();
    };
    return () => events.close();
  }, [job.id, job.state]);
  const part = now.total ? (now.done / now.total) * 100 : 0;
  const videos = now.files.filter((f) => kindsOfVideo().some(({ kind }) => f.endsWith(`.${kind}`)));
  const sheets = now.files.filter((f) => /-sheet\.(png|exr)$/.test(f));
  return (
    <Box py="2" data-testid="bake-job" data-state={now.state}>
      <Flex align="center" gap="3">
        <Text fontWeight="600">{now.name}</Text>
        <Text color={now.state === "failed" ? "coral" : "mist"} fontFamily="mono" fontSize="12px">
          {running ? now.words || now.state : now.state === "failed" ? now.words : now.state}
        </Text>
        <Box flex="1" />
        {running ? (
          <Button
            size="xs"
            variant="outline"
            onClick={() =>
              void client.POST("/api/bakes/{id}/cancel", { params: { path: { id: now.id } } }).then(onGone)
            }
          >
            cancel
          </Button>
        ) : (
          <Button
            size="xs"
            variant="ghost"
            color="mist"
            onClick={() =>
              void client.DELETE("/api/bakes/{id}", { params: { path: { id: now.id } } }).then(onGone)
            }
          >
            remove
          </Button>
        )}
      </Flex>
      {running && (
        <Progress.Root value={part} size="xs" mt="1" aria-label="Bake progress">
          <Progress.Track bg="deep">
            <Progress.Range bg="glass" />
          </Progress.Track>
        </Progress.Root>
      )}
      {now.state === "done" && (
        <Flex gap="4" wrap="wrap" mt="1">
          {sheets.map((f) => (
            <Flex key={f} direction="column" align="center">
              {f.endsWith(".png") && <Played id={now.id} file={f} />}
              <Link href={`/api/bakes/${now.id}/files/${f}`} color="glass" download>
                {f}
              </Link>
            </Flex>
          ))}
          {videos.map((f) => (
            <Link key={f} href={`/api/bakes/${now.id}/files/${f}`} color="glass" download>
              {f}
            </Link>
          ))}
          <Link href={`/api/bakes/${now.id}/all.zip`} color="glass" download>
            all {now.files.length} files (zip)
          </Link>
        </Flex>
      )}
    </Box>
  );
}
