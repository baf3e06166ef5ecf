import { keepPreviousData, useQuery } from "@tanstack/react-query";
import { useCallback, useEffect, useMemo, useRef } from "react";
import { defaults, goingOn } from "../api/catalogue";
import { answered, client, type Effect, type Schema } from "../api/client";
import { derived, edit, useEditor } from "../document/editor";
import { drawableOf } from "../document/measuring";
import { beadAt } from "../document/place";
import { structure } from "../document/tree";
import { wake } from "../painter/frames";
import { Feeder } from "../painter/numbers";
import { type Drawable, painter } from "../painter/painter";
import type { Source } from "../painter/small";
import { SmallPicture } from "../painter/small-picture";
import { Box } from "../plain";
import { frameOf, usePlayback } from "../playback/playback";

type Props = { place: string; setting: Schema["SettingInfo"]; chosen: string };

/** Every option of a setting as a live picture of what it makes of what comes in. */
export function Modes({ place, setting, chosen }: Props) {
  // Numbers are read when they are drawn; only what is compiled anew asks for another document.
  const shape = useEditor((s) => structure(s.document));
  const every = useMemo(() => derived((d) => inEveryMode(d, place, setting)), [place, setting]);
  const source = useProgram(`${shape} ${place} ${setting.name}`, every);
  return (
    <Box
      display="grid"
      gridTemplateColumns="repeat(9, 1fr)"
      gap="1"
      my="1"
      role="radiogroup"
      aria-label={setting.label}
      data-testid="modes"
    >
      {setting.options.map((mode, i) => (
        <button
          key={mode}
          type="button"
          role="radio"
          aria-checked={mode === chosen}
          className="mode"
          onClick={() =>
            edit((d) => {
              beadAt(d, place)!.settings[setting.name] = mode;
            })
          }
        >
          <SmallPicture source={source} place={`strands/${strandOf(i)}/shown`} size={32} />
          <span>{mode}</span>
        </button>
      ))}
    </Box>
  );
}

const strandOf = (i: number) => `every-mode-${i}`;

/** A document of what lies above a bead, and one strand for each option of its setting. */
function inEveryMode(effect: Effect, place: string, setting: Schema["SettingInfo"]): Effect {
  const [, strand, id] = place.split("/");
  const row = effect.strands.findIndex((s) => s.id === strand);
  const own = effect.strands[row];
  const at = own.beads.findIndex((b) => b.id === id);
  const [below, bead] = [own.beads[at - 1], own.beads[at]];
  const modes = setting.options.map((mode, i) => ({
    id: strandOf(i),
    name: mode,
    beads: [
      { ...goingOn(strand, below?.id ?? null), id: "below" },
      { ...bead, id: "shown", muted: false, settings: { ...bead.settings, [setting.name]: mode } },
    ],
  }));
  return {
    ...effect,
    // Looked at as they are, whatever is muted.
    strands: [...effect.strands.slice(0, row), { ...own, beads: own.beads.slice(0, at) }, ...modes],
    // They are looked at by themselves, so what they go to does not matter.
    surface: defaults().surface,
  } as unknown as Effect;
}

/** A program of its own for a document that is made from the one at hand and only looked at. */
function useProgram(key: string, now: () => Effect): () => Source | null {
  const got = useQuery({
    queryKey: ["program", key],
    placeholderData: keepPreviousData,
    gcTime: 0,
    retry: false,
    queryFn: async () => {
      const effect = now();
      const document = effect as unknown as Record<string, unknown>;
      const { program } = await answered(client.POST("/api/compile", { body: { document } }));
      return program ? await drawableOf(program, effect) : null;
    },
  });
  const drawable = useRef<Drawable | null>(null);
  const feeder = useRef(new Feeder());
  useEffect(() => {
    const old = drawable.current;
    drawable.current = got.data ?? null;
    wake();
    if (old && old !== drawable.current) painter().dispose(old);
  }, [got.data]);
  useEffect(
    () => () => {
      if (drawable.current) painter().dispose(drawable.current);
      drawable.current = null;
    },
    [],
  );
  return useCallback((): Source | null => {
    const d = drawable.current;
    if (!d) return null;
    const frame = frameOf(usePlayback.getState().phase, d.compiled);
    return { drawable: d, effect: now(), feeder: feeder.current, frame };
  }, [now]);
}
