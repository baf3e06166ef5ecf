import { Box } from "@chakra-ui/react";
import { keepPreviousData, useQuery } from "@tanstack/react-query";
import { useEffect, useMemo, useRef } from "react";
import { defaults } from "../api/catalogue";
import { answered, type Bead, client, type Effect, type Schema } from "../api/client";
import { edit, useEditor } from "../document/editor";
import { beadAt } from "../document/place";
import { structure } from "../document/tree";
import { Feeder } from "../painter/numbers";
import { type Drawable, painter } from "../painter/painter";
import type { Source } from "../painter/small";
import { SmallPicture } from "../painter/small-picture";
import { frameOf, usePlayback } from "../playback/playback";

type Props = { place: string; bead: Bead; setting: Schema["SettingInfo"]; chosen: string };

/** Every mode of a blend as a live picture of the two operands at hand. */
export function Modes({ place, bead, setting, chosen }: Props) {
  const document = useEditor((s) => s.document);
  const every = useMemo(() => inEveryMode(document, place, bead, setting), [document, place, bead, setting]);
  const source = useProgram(every);
  return (
    <Box
      display="grid"
      gridTemplateColumns="repeat(9, 1fr)"
      gap="1"
      my="1"
      role="radiogroup"
      aria-label="Blend mode"
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

/** A document of what lies above a blend, and one strand for each of its modes. */
function inEveryMode(effect: Effect, place: string, bead: Bead, setting: Schema["SettingInfo"]): Effect {
  const [, strand, id] = place.split("/");
  const row = effect.strands.findIndex((s) => s.id === strand);
  const own = effect.strands[row];
  const at = own.beads.findIndex((b) => b.id === id);
  const below = own.beads[at - 1];
  const modes = setting.options.map((mode, i) => ({
    id: strandOf(i),
    name: mode,
    beads: [
      { id: "below", kind: "tap", params: { from: { strand, bead: below?.id ?? null } } },
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

/** A program of its own for a document that is only looked at. */
function useProgram(effect: Effect): () => Source | null {
  const latest = useRef(effect);
  latest.current = effect;
  const got = useQuery({
    queryKey: ["program", structure(effect)],
    placeholderData: keepPreviousData,
    gcTime: 0,
    retry: false,
    queryFn: async () => {
      const document = latest.current as unknown as Record<string, unknown>;
      const { program } = await answered(client.POST("/api/compile", { body: { document } }));
      return program ? await painter().prepare(program, latest.current.stage) : null;
    },
  });
  const drawable = useRef<Drawable | null>(null);
  const feeder = useRef(new Feeder());
  useEffect(() => {
    const old = drawable.current;
    drawable.current = got.data ?? null;
    if (old && old !== drawable.current) painter().dispose(old);
  }, [got.data]);
  useEffect(
    () => () => {
      if (drawable.current) painter().dispose(drawable.current);
      drawable.current = null;
    },
    [],
  );
  return useRef((): Source | null => {
    const d = drawable.current;
    if (!d) return null;
    const frame = frameOf(usePlayback.getState().phase, d.compiled.frames);
    return { drawable: d, effect: latest.current, feeder: feeder.current, frame };
  }).current;
}
