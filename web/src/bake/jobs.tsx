import { Button, Link, Progress } from "@chakra-ui/react";
import { useEffect, useRef, useState } from "react";
import { videos as kindsOfVideo } from "../api/catalogue";
import { type BakeJob, client } from "../api/client";
import { Box, Flex, Text } from "../plain";

/** What the file beside a sheet says, as far as playing it goes. */
type SheetTold = {
  turn: { fps: number };
  frames: { x: number; y: number; width: number; height: number }[];
};

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

const lasts = ({ state }: BakeJob) => state === "waiting" || state === "running";

/** One bake: its progress as it comes, and its files when it is done. */
export function Job({ job, onGone }: { job: BakeJob; onGone: () => void }) {
  const [heard, setHeard] = useState(job);
  // The list of bakes may tell of the end before its events do, which are not listened to any more then.
  const listens = lasts(job);
  const now = listens ? heard : job;
  const running = lasts(now);
  useEffect(() => {
    if (!listens) return;
    const events = new EventSource(`/api/bakes/${job.id}/events`);
    events.onmessage = (e) => {
      const next = JSON.parse(e.data) as BakeJob;
      setHeard(next);
      if (!lasts(next)) events.close();
    };
    return () => events.close();
  }, [job.id, listens]);
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
            <Progress.Range bg="glass" transition="none" />
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
