import { create } from "zustand";
import type { Compiled, Effect } from "../api/client";
import { drawableAhead } from "../document/ahead";
import { useEditor } from "../document/editor";
import { drawableOf } from "../document/measuring";
import { stageView, travelled, type View } from "../painter/camera";
import { eachFrame, wake } from "../painter/frames";
import { mesh, meshKey } from "../painter/mesh";
import { betweenParts, Feeder, type Live, liveNow, struck } from "../painter/numbers";
import { coarser, type Drawable, type Numbers, painter } from "../painter/painter";
import { readied } from "../painter/picture";
import { LEAST, type Source, small } from "../painter/small";
import { advance, frameOf, partOf, phaseOf, takeTurn, usePlayback } from "../playback/playback";
import { keepSlips } from "../playback/slips";
import { useRoom } from "../studio/room";
import { type Look, useCompare } from "./compare";
import { meanwhile } from "./meanwhile";

type Drawing = {
  /** The resolution of the stage, as a part of what its pixels could show. */
  scale: number;
  /** Why the stage cannot draw, in words. */
  wrong: string | null;
  ready: boolean;
  /** The shape's triangles over the picture. */
  wire: boolean;
  /** How many vertices the shape that is drawn has. */
  vertices: number;
  /** Whether the graphics driver has taken the picture away for now. */
  lost: boolean;
  /** Where the server's picture is, while the driver makes a program. */
  meanwhile: string | null;
};

declare global {
  interface Window {
    whorlMeasure?: (size: number, count: number) => Promise<number[]>;
    whorlPixels?: (size: number, frame: number) => Promise<number[]>;
    /** Draws nothing but what is measured or read. */
    whorlQuiet?: boolean;
    /** Told of each picture of the stage, with where signals had levers in it; for `./run bench`. */
    whorlDrawn?: (levers: Live["levers"]) => void;
  }
}

export const useDrawing = create<Drawing>()(() => ({
  scale: 1,
  wrong: null,
  ready: false,
  wire: false,
  vertices: 0,
  lost: false,
  meanwhile: null,
}));

const SCALES = [1, 0.75, 0.5, 0.35];
const SLOW = 70;
/** Which of them a slow machine shows at once of what was changed, and how long that has to stay to be drawn whole. */
const COARSE = 2;
const STAYED = 250;
const QUICK = 20;
/** Where frames come slower than this, the page's own work goes first. */
const SHARED = 34;
/** How long after the last signal small pictures still wait, and how long they do at most. */
const PRESSED = 600;
const BETWEEN = 1500;
/** When the driver is asked whether it took a program, in milliseconds after it is drawn with. */
const TAKEN = 2000;
/**
 * What a driver has taken longer for, in milliseconds, is not waited for the next time: the server's picture stands in.
 * That is remembered under this name, and each quicker program has it forgotten by so much; of a driver that nothing is
 * known of yet as much is supposed.
 */
const LABOURED = 200;
const SUPPOSED = 210;
const DRIVER = "whorl driver";
const FORGOTTEN = 0.95;
/** How long the driver waits for what stands in, in milliseconds. */
const COMES = 150;
/** How often a driver is asked whether it made all that it needs for a program. */
const ASKED = 8;
/** How long after the last scroll the page still counts as being scrolled. */
const SETTLED = 200;

function remembered(): number {
  const kept = Number.parseFloat(localStorage.getItem(DRIVER) ?? "");
  return Number.isNaN(kept) ? SUPPOSED : kept;
}

const rest = (time: number) => new Promise((on) => window.setTimeout(on, time));

/** Whether something has to be found out from the shape before a program can be drawn, and is not known of old. */
const unknown = (compiled: Compiled) => compiled.uniforms.some((u) => u.pending && !u.rows);

/** The studio's drawing loop: the stage first, then a few small pictures, each animation frame. */
export class Loop {
  private drawable: Drawable | null = null;
  private effectDrawn: Effect | null = null;
  private readonly feeder = new Feeder(true);
  private readonly smallFeeder = new Feeder(true);
  private wanted: Compiled | null = null;
  /** What is ready but for what is still being found out from the shape. */
  private waiting: Drawable | null = null;
  private interval = 16;
  private level = 0;
  private sinceChange = 0;
  /** What was to be seen when it was looked last, what that is made from, and how large it was drawn; 0 before it is. */
  private state = "";
  private picture = "";
  private content = "";
  private drawn = 0;
  /** When it was last another picture that was to be seen, and whether the last whole one took long. */
  private changed = Number.NEGATIVE_INFINITY;
  private slow = false;
  private timed: (() => boolean) | null = null;
  private begun = 0;
  private scrolled = 0;
  private shaping = false;
  private version: number | undefined;
  private pressed = Number.NEGATIVE_INFINITY;
  private smallDrawn = 0;
  private asked = "";
  private room = 0;
  /** How long the driver takes for a program that is new to it; what was kept from before is made at once. */
  private laboured = remembered();
  /** What the server's picture stands in for, and what says whether the driver's own is there. */
  private standing: {
    document: Effect;
    phase: number;
    late: AbortController;
    coming: Promise<unknown>;
  } | null = null;
  private covered: (() => boolean) | null = null;
  private kept: Drawable | null = null;
  private readonly keptFeeder = new Feeder();

  start(canvasSize: () => number): () => void {
    const end = eachFrame((now, passed) => this.tick(now, Math.min(250, passed), canvasSize()));
    const wakes = [useEditor, usePlayback, useCompare, useDrawing, useRoom].map((store) =>
      store.subscribe(wake),
    );
    const stop = useEditor.subscribe((s, old) => {
      if (s.document !== old.document || s.remaking !== old.remaking) this.mark(true);
      if (s.asked !== old.asked && s.remaking) void this.cover(s.asked);
      if (s.program !== old.program) void this.take(s.program, s.document.stage);
    });
    const letGo = useCompare.subscribe((now, old) => {
      if (now.kept !== old.kept) void this.keep(now.kept);
    });
    const { program, document } = useEditor.getState();
    this.room = canvasSize();
    // There is one canvas, and what is on it is of another effect.
    useDrawing.setState({ ready: false, wrong: null, wire: false, vertices: 0, scale: SCALES[0] });
    void this.take(program, document.stage);
    window.whorlMeasure = (size, count) => this.measure(size, count);
    window.whorlPixels = async (size, frame) => [...((await this.pixels(size, frame)) ?? [])];
    const scrolls = () => {
      this.scrolled = performance.now();
    };
    window.addEventListener("scroll", scrolls, { capture: true, passive: true });
    const { canvas } = painter();
    const gone = () => useDrawing.setState({ lost: true });
    const back = () => {
      this.again();
      useDrawing.setState({ lost: false });
    };
    canvas.addEventListener("webglcontextlost", gone);
    canvas.addEventListener("webglcontextrestored", back);
    return () => {
      canvas.removeEventListener("webglcontextlost", gone);
      canvas.removeEventListener("webglcontextrestored", back);
      window.removeEventListener("scroll", scrolls, { capture: true });
      end();
      for (const sleep of wakes) sleep();
      stop();
      letGo();
      this.uncover();
      window.whorlMeasure = window.whorlPixels = undefined;
      for (const d of [this.drawable, this.waiting, this.kept]) if (d) painter().dispose(d);
    };
  }

  /** Milliseconds for each of `count` whole frames, drawn and read back; for `./run bench`. */
  private async measure(size: number, count: number): Promise<number[]> {
    const times: number[] = [];
    for (let i = 0; i < count; i++) {
      const start = performance.now();
      if (!(await this.pixels(size, i))) return [];
      times.push(performance.now() - start);
    }
    return times;
  }

  /** A whole frame as bytes, rows from the bottom; null before there is a program. */
  private async pixels(size: number, frame: number): Promise<Uint8ClampedArray | null> {
    const d = this.drawable;
    const { document } = useEditor.getState();
    // What has to be found out first would make another picture of it.
    if (!d || d.compiled.uniforms.some((u) => u.pending)) return null;
    const target = painter().target(`measure ${size}`, size, size, "byte");
    const numbers = this.feeder.at(document, d.compiled, frame % d.compiled.frames);
    const view = stageView(travelled(document, d.compiled, numbers), size, size);
    await readied(d.compiled, numbers);
    painter().picture(d, document, numbers, view, [size, size], -1, { into: target });
    return await painter().read(target, size, size);
  }

  /** What small pictures are drawn from. */
  readonly source = (): Source | null => {
    const { document } = useEditor.getState();
    if (!this.drawable) return null;
    const frame = frameOf(usePlayback.getState().phase, this.drawable.compiled);
    return { drawable: this.drawable, effect: document, feeder: this.smallFeeder, frame };
  };

  /** A new program is compiled beside the one that draws, and takes over when it is ready. */
  private async take(compiled: Compiled | null, stage: Effect["stage"] | undefined) {
    if (!compiled || !stage || compiled === this.wanted) return;
    this.wanted = compiled;
    takeTurn(compiled);
    try {
      const { waiting } = this;
      const before = [drawableAhead(compiled.key), this.drawable, waiting].find(
        (d) => d?.key === compiled.key,
      );
      const another = !before || before === waiting;
      // What stands in comes sooner where the driver does not work beside the server.
      if (another && this.standing) await Promise.race([this.standing.coming, rest(COMES)]);
      if (this.wanted !== compiled) return;
      const begun = performance.now();
      const made = await painter().prepare(compiled, stage, before ?? undefined);
      if (this.wanted !== compiled) return;
      this.drop(waiting, made);
      // It would be drawn wrong: what is found out from the shape brings it here again.
      this.waiting = unknown(compiled) ? made : null;
      if (this.waiting) return;
      const warmed = another && (await this.warmed(made));
      if (this.wanted !== compiled) return;
      if (warmed) this.took(performance.now() - begun);
      window.setTimeout(() => {
        if (this.drawable === made && !painter().taken(made))
          useDrawing.setState({ wrong: "The graphics driver does not take the program of this effect" });
      }, TAKEN);
      const old = this.drawable;
      this.drawable = made;
      this.asked = "";
      this.look();
      this.drop(old, made);
      useDrawing.setState({ ready: true, wrong: null, vertices: made.mesh.vertices });
    } catch (e) {
      this.uncover();
      useDrawing.setState({ wrong: e instanceof Error ? e.message : String(e) });
    } finally {
      if (this.wanted === compiled && !this.waiting) useEditor.setState({ remaking: false });
    }
  }

  /** Remembers how long the driver took, the more so the longer it was. */
  private took(time: number) {
    this.laboured = Math.max(time, this.laboured * FORGOTTEN);
    localStorage.setItem(DRIVER, String(Math.round(this.laboured)));
  }

  /** Lets a drawable go that another takes over from, unless they share programs or it stands ready for a choice. */
  private drop(old: Drawable | null, made: Drawable) {
    if (old && old.key !== made.key && !drawableAhead(old.key)) painter().dispose(old);
  }

  /**
   * Draws what nobody sees, where the stage is going to be drawn: a driver makes much of a program at its first picture,
   * and a page that shows it waits.
   */
  private async warmed(made: Drawable): Promise<boolean> {
    if (painter().lost || window.whorlQuiet) return false;
    const { document } = useEditor.getState();
    const frame = frameOf(usePlayback.getState().phase, made.compiled);
    const [numbers, view] = this.seen(document, made, frame, this.room);
    if (painter().pictureOf(made, document, numbers, view) === this.picture) return false;
    const small = stageView(travelled(document, made.compiled, numbers), LEAST, LEAST);
    painter().light(made, document, numbers, small, [LEAST, LEAST]);
    const done = painter().marked();
    while (!done()) await rest(ASKED);
    return true;
  }

  /**
   * Has the server's picture stand in: at opening, and then where nothing moves and nothing else than the picture is
   * looked at.
   */
  private async cover(document: Effect | null) {
    const { peek, problems } = useEditor.getState();
    const { phase, playing, turn } = usePlayback.getState();
    const elsewhere = playing || liveNow() || peek !== null || this.kept || useDrawing.getState().wire;
    if (!document || problems.length || (elsewhere && this.drawable) || useRoom.getState().trying) return;
    if (this.laboured <= LABOURED) return;
    this.uncover();
    const at = phaseOf(frameOf(phase, turn), turn);
    const late = new AbortController();
    const standing = { document, phase, late, coming: meanwhile(document, at, this.room, late.signal) };
    this.standing = standing;
    const picture = await standing.coming;
    if (!picture || this.standing !== standing) return;
    useDrawing.setState({ meanwhile: URL.createObjectURL(picture) });
  }

  /** Takes what stands in away. */
  private uncover() {
    this.standing?.late.abort();
    this.standing = this.covered = null;
    const { meanwhile: shown } = useDrawing.getState();
    if (!shown) return;
    useDrawing.setState({ meanwhile: null });
    URL.revokeObjectURL(shown);
  }

  /** Draws what has changed; whether there is more to come. */
  private tick(now: number, passed: number, room: number): boolean {
    const { document, peek } = useEditor.getState();
    if (!document.turn) return false;
    advance(passed / 1000, document.turn.seconds);
    const d = this.drawable;
    if (!d || room < 8 || window.whorlQuiet || painter().lost) return false;
    this.room = room;
    const { phase, playing: plays, speed } = usePlayback.getState();
    const version = liveNow()?.version;
    if (version !== this.version) [this.version, this.pressed] = [version, now];
    const pressed = now - this.pressed < PRESSED;
    const playing = plays || pressed || struck();
    keepSlips(document, d.compiled, phase, plays, liveNow()?.levers ?? {});
    this.pace(passed, playing);
    this.reshape(document, d);
    // A slow machine scrolls first and draws after.
    if (this.interval > SHARED && now - this.scrolled < SETTLED) return true;
    const frame = partOf(phase, d.compiled, speed < 1 ? betweenParts(document) : 1);
    const number = peek === null ? -1 : (d.compiled.peeks.find((p) => p.place === peek)?.number ?? -1);
    const { wire } = useDrawing.getState();
    const { mode, at, shown } = useCompare.getState();
    const shows = `${number} ${wire} ${this.kept?.key} ${mode} ${at} ${shown}`;
    const state = `${frame} ${shows} ${this.feeder.version()}`;
    const { remaking } = useEditor.getState();
    // What stands in is of one moment of one document, and goes once the stage shows the same.
    if (this.standing) {
      const { document: of, phase: at } = this.standing;
      if (playing || number >= 0 || of !== document || at !== phase || this.covered?.()) this.uncover();
    }
    // While the effect is looked at in bad conditions, those are drawn in the stage's place. While another program is
    // made, what this one would draw is as good as gone, and the driver would do it first.
    const elsewhere = useRoom.getState().trying !== null;
    const waits = elsewhere || (remaking && !playing && state === this.state);
    if (!waits && (state !== this.state || document !== this.effectDrawn)) {
      this.state = state;
      this.effectDrawn = document;
      this.picture = painter().pictureOf(d, document, ...this.seen(document, d, frame, room));
      const content = `${shows} ${this.picture}`;
      // Much that changes leaves the picture as it was; a peek, or two looks, are not told by what it is made of.
      if (number >= 0 || this.kept || content !== this.content) [this.changed, this.drawn] = [now, 0];
      this.content = content;
    }
    if (this.timed?.()) {
      this.slow = now - this.begun > SLOW;
      this.timed = null;
    }
    // A still picture has time to be whole; where that takes long, it comes once nothing changes any more.
    const coarse = !playing && this.slow && now - this.changed < STAYED;
    const scale = SCALES[playing ? this.level : coarse ? COARSE : 0];
    const size = Math.max(16, 2 * Math.round((room * scale) / 2));
    const changed = !waits && size !== this.drawn;
    if (changed) {
      this.drawn = size;
      const [numbers, view] = this.seen(document, d, frame, size);
      painter().resize(size, size);
      // Triangles are fewer as pixels are.
      const seen = scale < 1 && !wire ? coarser(d, view, size * scale ** 2, 1) : d;
      painter().picture(seen, document, numbers, view, [size, size], number, { wire });
      if (this.standing) this.covered = painter().marked();
      if (scale === 1) [this.timed, this.begun] = [painter().marked(), now];
      // Once the frames of its sequences are there it is drawn again.
      if (!painter().whole(d, numbers)) this.again();
      this.before(phase, size);
      window.whorlDrawn?.(liveNow()?.levers ?? {});
    } else if (this.standing && !waits && !remaking && !this.covered) {
      // It came out as what is there.
      this.uncover();
    }
    this.mark(!elsewhere && (coarse || remaking || this.standing !== null));
    // While signals come, the stage goes first; small pictures follow now and then. What is drawn in one frame with the
    // stage is waited for before any of it is seen.
    const alone = changed && this.slow && !playing;
    const busy = changed || coarse || this.timed !== null || this.covered !== null || playing;
    if ((pressed && now - this.smallDrawn < BETWEEN) || remaking || alone) return busy;
    this.smallDrawn = now;
    // What plays on a slow machine goes first.
    void small.draw(pressed ? 1 : !playing ? undefined : this.interval <= SHARED ? 12 : 2);
    return busy || small.open;
  }

  /** Says at the stage, as at small pictures, whether something else is about to be drawn there. */
  private mark(waiting: boolean) {
    painter().canvas.toggleAttribute("data-waiting", waiting);
  }

  /** The numbers of a frame, and the view of it where it is so large. */
  private seen(document: Effect, d: Drawable, frame: number, size: number): [Numbers, View] {
    const numbers = this.feeder.at(document, d.compiled, frame);
    return [numbers, stageView(travelled(document, d.compiled, numbers), size, size)];
  }

  /** Has the picture looked at anew: drawn, if it is made from something else than what is there. */
  private look() {
    this.state = "";
    wake();
  }

  /** Has it drawn, whatever is there. */
  private again() {
    this.state = this.content = "";
    wake();
  }

  /** The look that is kept, over as much of the stage as shows it. */
  private before(phase: number, size: number) {
    const { kept, mode, at, shown } = useCompare.getState();
    const left = mode === "wipe" ? at : shown ? 1 : 0;
    if (!kept || !this.kept || left <= 0) return;
    const { compiled } = this.kept;
    // It has its own camera: it is what was seen.
    const numbers = this.keptFeeder.at(kept.effect, compiled, frameOf(phase, compiled));
    const view = stageView(travelled(kept.effect, compiled, numbers), size, size);
    painter().picture(this.kept, kept.effect, numbers, view, [size, size], -1, { left });
  }

  /** The look that is kept gets a program of its own, so that both can be drawn at one phase. */
  private async keep(look: Look | null) {
    const old = this.kept;
    this.kept = null;
    if (old) painter().dispose(old);
    if (!look) return;
    const made = await drawableOf(look.program, look.effect);
    if (useCompare.getState().kept === look) this.kept = made;
    else painter().dispose(made);
    this.look();
  }

  /** Follows a path that is dragged, or a mesh that is turned, without a new program. */
  private reshape(document: Effect, d: Drawable) {
    const key = meshKey(document.stage);
    // What failed is not asked for again until it changes.
    if (key === d.mesh.key || key === this.asked || this.shaping) return;
    this.asked = key;
    this.shaping = true;
    mesh(document.stage)
      .then((made) => {
        const now = this.drawable;
        if (!now) return;
        now.mesh = made;
        now.shape = document.stage.shape;
        this.look();
        useDrawing.setState({ vertices: made.vertices });
      })
      .catch((e: Error) => useDrawing.setState({ wrong: e.message }))
      .finally(() => {
        this.shaping = false;
      });
  }

  /** Lowers the resolution where frames come slowly, and raises it again where they do not. */
  private pace(passed: number, playing: boolean) {
    this.interval += (passed - this.interval) * 0.08;
    this.sinceChange += passed;
    if (!playing || this.sinceChange < 900) return;
    const wanted =
      this.interval > SLOW
        ? Math.min(this.level + 1, SCALES.length - 1)
        : this.interval < QUICK
          ? Math.max(this.level - 1, 0)
          : this.level;
    if (wanted === this.level) return;
    // Going back up is tried less often, so that the picture does not flicker between two sizes.
    if (wanted < this.level && this.sinceChange < 6000) return;
    this.level = wanted;
    this.sinceChange = 0;
    useDrawing.setState({ scale: SCALES[wanted] });
  }
}
