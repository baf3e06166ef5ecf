import { Box, Flex, Grid, IconButton, Text } from "@chakra-ui/react";
import { X } from "lucide-react";
import { surfaceParam } from "../api/catalogue";
import type { Effect } from "../api/client";
import { hexOf, linearOf } from "../bead/colour";
import { ParamRow } from "../bead/param";
import { edit, holdBriefly, useEditor } from "../document/editor";
import { type Channel, NO_CHANNELS } from "../document/place";
import { SmallPicture } from "../painter/small-picture";
import { Pick } from "../pick";
import type { Loop } from "../stage/drawing";
import { MakeClear, MakeLit, MakeOpen } from "./make-lit";
import { CHANNEL_NAMES, CHANNELS, CLEAR, LIT } from "./strip";

const COMPOSITES = {
  solid: "hides what is behind",
  "cut away": "whole or gone, by a level of the opacity",
  "see-through": "covers by its opacity",
  glowing: "only adds light",
} as const;
const LIGHTINGS = {
  "self-lit": "its own colour and glow; no lamp falls on it",
  lit: "lamps and sky of the stage fall on it",
} as const;
const HOW: Record<Channel, string> = {
  emission: "entries add up",
  opacity: "entries multiply",
  base: "later entries lie over earlier",
  roughness: "0 mirrors, 1 is dull",
  metallic: "1 is a metal",
  normal: "which way it faces",
  occlusion: "0 keeps the sky's light off",
  refraction: "0 bends nothing, 1 by the index",
  absorption: "the colour seen at the depth",
  scattering: "multiplies the milkiness",
  background: "multiplies what is seen through",
  film: "multiplies the film's thickness",
  displacement: "entries add up and move the surface",
  cast: "colours the key light on floor and wall",
};
const BODIES = {
  none: "what is behind shows by the opacity alone",
  filled: "light bends going in and coming out",
  hollow: "a skin; light bends once",
} as const;

/** How the effect composites, and which strands feed which channels. */
export function SurfacePanel({ loop }: { loop: Loop }) {
  const surface = useEditor((s) => s.document.surface);
  const clear = surface.composite === "see-through" && surface.body !== "none";
  const acts = (c: Channel) =>
    (surface.lighting === "lit" || !LIT.includes(c)) &&
    (clear || !CLEAR.includes(c)) &&
    (!["opacity", "cast"].includes(c) || surface.composite !== "solid");
  const unused = CHANNELS.filter((c) => !surface.channels[c].length && acts(c));
  return (
    <Flex gap="6" align="flex-start">
      <Box w={surface.lighting === "lit" || clear ? "20rem" : "15rem"} flexShrink={0}>
        <Choice
          label="composite"
          value={surface.composite}
          options={Object.keys(COMPOSITES)}
          onChange={(v) =>
            edit((d) => {
              d.surface.composite = v as keyof typeof COMPOSITES;
            })
          }
        />
        <Text color="mist" fontSize="11.5px" mb="2">
          {COMPOSITES[surface.composite]}
        </Text>
        <Choice
          label="sides"
          value={surface.sides}
          options={["both", "front", "back"]}
          onChange={(v) =>
            edit((d) => {
              d.surface.sides = v as "both";
            })
          }
        />
        <Choice
          label="lighting"
          value={surface.lighting}
          options={["self-lit", "lit"]}
          onChange={(v) =>
            edit((d) => {
              d.surface.lighting = v as "lit";
            })
          }
        />
        <Text color="mist" fontSize="11.5px" mb="2">
          {LIGHTINGS[surface.lighting]}
        </Text>
        {surface.composite === "see-through" && (
          <>
            <Choice
              label="body"
              value={surface.body}
              options={Object.keys(BODIES)}
              onChange={(v) =>
                edit((d) => {
                  d.surface.body = v as "none";
                })
              }
            />
            <Text color="mist" fontSize="11.5px" mb="2">
              {BODIES[surface.body]}
            </Text>
          </>
        )}
        {[
          ...(surface.composite === "solid" ? [] : ["opacity"]),
          ...(surface.lighting === "lit" ? ["roughness", "metallic", "index", "film"] : []),
          ...(surface.lighting === "lit" && surface.film !== 0 ? ["film_index"] : []),
          ...(surface.channels.displacement.length ? ["displacement"] : []),
          ...(surface.displaced === "in a direction" ? ["direction"] : []),
          ...(clear ? ["refraction", "absorbed", "absorbed_at", "scattering", "milk", "background"] : []),
        ].map((name) => (
          <ParamRow
            key={name}
            param={surfaceParam(name)}
            place={`surface/${name}`}
            source={loop.source}
            onlyStill={name === "absorbed" || name === "milk"}
          />
        ))}
        {surface.sides === "both" && (
          <ParamRow
            param={{ ...surfaceParam("far"), label: "far side" }}
            place="surface/far"
            source={loop.source}
            onlyStill
          />
        )}
        {surface.composite === "cut away" && (
          <ParamRow
            param={{ ...surfaceParam("cut"), label: "cut at" }}
            place="surface/cut"
            source={loop.source}
            onlyStill
          />
        )}
      </Box>
      <Box flex="1" minW="0">
        {CHANNELS.filter((c) => surface.channels[c].length).map((c) => (
          <ChannelRows key={c} channel={c} loop={loop} />
        ))}
        {unused.length > 0 && (
          <Text color="mist" fontSize="11.5px" mb="1">
            {unused.length === CHANNELS.length ? "No strand feeds the surface yet." : "Not used:"}
          </Text>
        )}
        <Grid templateColumns="repeat(auto-fill, minmax(13rem, 1fr))" columnGap="5" rowGap="1">
          {unused.map((c) => (
            <Flex key={c} align="center" gap="2" minW="0" title={HOW[c]}>
              <Text flex="1">{CHANNEL_NAMES[c]}</Text>
              <AddStrand channel={c} />
            </Flex>
          ))}
        </Grid>
        <SecondSurface loop={loop} />
      </Box>
    </Flex>
  );
}

const TWO: Channel[] = ["base", "emission", "opacity", "roughness", "metallic", "normal", "occlusion"];

/** A second surface on the same shape, mixed in by a mask, with the glow along its front. */
function SecondSurface({ loop }: { loop: Loop }) {
  const surface = useEditor((s) => s.document.surface);
  const strands = useEditor((s) => s.document.strands);
  const second = surface.second;
  const acts = TWO.filter(
    (c) =>
      (surface.lighting === "lit" || !LIT.includes(c)) && (c !== "opacity" || surface.composite !== "solid"),
  );
  const used = second ? TWO.filter((c) => second.channels[c].length) : [];
  return (
    <Box borderTop="1px solid" borderColor="line" mt="3" pt="2" data-testid="second">
      <Flex align="center" gap="3">
        <Text fontWeight="600">second surface</Text>
        <select
          className="plain-select"
          aria-label="Mask of the second surface"
          value={second?.strand ?? ""}
          onChange={(e) =>
            edit((d) => {
              if (!e.target.value) d.surface.second = null;
              else if (d.surface.second) d.surface.second.strand = e.target.value;
              else
                d.surface.second = {
                  strand: e.target.value,
                  bead: null,
                  roughness: 0.5,
                  metallic: 0,
                  gloss: false,
                  front: [0.3, 1, 0.72],
                  front_gain: 0,
                  front_width: 0.5,
                  channels: { ...NO_CHANNELS },
                };
            })
          }
        >
          <option value="">none</option>
          {strands
            .filter((s) => s.beads.length > 0)
            .map((s) => (
              <option key={s.id} value={s.id}>
                where {s.name} is 1
              </option>
            ))}
        </select>
        {!second && <Text color="mist">another material on the same shape, such as verdigris on copper</Text>}
      </Flex>
      {second && (
        <>
          {[
            ...(surface.lighting === "lit" ? ["roughness", "metallic"] : []),
            "front_gain",
            "front_width",
            "front",
          ].map((name) => (
            <ParamRow
              key={name}
              param={surfaceParam(name)}
              place={`surface/second/${name}`}
              source={loop.source}
              onlyStill={name === "front"}
            />
          ))}
          {used.map((c) => (
            <ChannelRows key={c} channel={c} second loop={loop} />
          ))}
          <Grid templateColumns="repeat(auto-fill, minmax(13rem, 1fr))" columnGap="5" rowGap="1">
            {acts
              .filter((c) => !used.includes(c))
              .map((c) => (
                <Flex key={c} align="center" gap="2" minW="0" title={HOW[c]}>
                  <Text flex="1">{CHANNEL_NAMES[c]}</Text>
                  <AddStrand channel={c} second />
                </Flex>
              ))}
          </Grid>
        </>
      )}
    </Box>
  );
}

/** What holds the channels: the surface, or the second one on the same shape. */
type Half = { channel: Channel; second?: boolean };
const half = (surface: Effect["surface"], second?: boolean) => (second ? surface.second! : surface);
const ofHalf = (second?: boolean) => (second ? " of the second surface" : "");

function AddStrand({ channel, second }: Half) {
  const strands = useEditor((s) => s.document.strands);
  return (
    <select
      className="plain-select"
      aria-label={`Add a strand to ${CHANNEL_NAMES[channel]}${ofHalf(second)}`}
      value=""
      onChange={(e) =>
        edit((d) => {
          half(d.surface, second).channels[channel].push({
            strand: e.target.value,
            bead: null,
            tint: [1, 1, 1],
            gain: 1,
          });
        })
      }
    >
      <option value="">add a strand …</option>
      {strands
        .filter((s) => s.beads.length > 0)
        .map((s) => (
          <option key={s.id} value={s.id}>
            {s.name}
          </option>
        ))}
    </select>
  );
}

function Choice(props: { label: string; value: string; options: string[]; onChange: (v: string) => void }) {
  return (
    <Flex align="center" gap="3" py="1">
      <Text w="5rem" color="mist">
        {props.label}
      </Text>
      <Pick wide {...props} />
    </Flex>
  );
}

function ChannelRows({ channel, second, loop }: Half & { loop: Loop }) {
  const document = useEditor((s) => s.document);
  const problems = useEditor((s) => s.problems);
  const { composite, lighting, body, film, displaced } = document.surface;
  const { channels, gloss } = half(document.surface, second);
  const entries = channels[channel];
  const unlit = LIT.includes(channel) && lighting !== "lit";
  return (
    <Box mb="3">
      <Flex align="center" gap="3" mb="1">
        <Text fontWeight="600">{CHANNEL_NAMES[channel]}</Text>
        <Text color="mist" fontSize="11.5px">
          {HOW[channel]}
        </Text>
        <Box ml="auto">
          <AddStrand channel={channel} second={second} />
        </Box>
      </Flex>
      {channel === "roughness" && entries.length > 0 && (
        <label>
          <Flex align="center" gap="2" color="mist">
            <input
              type="checkbox"
              checked={gloss}
              onChange={(e) =>
                edit((d) => {
                  half(d.surface, second).gloss = e.target.checked;
                })
              }
            />
            the strands give gloss: each is turned round, 1 mirrors
          </Flex>
        </label>
      )}
      {unlit && <MakeLit>{CHANNEL_NAMES[channel]} does nothing on a self-lit surface.</MakeLit>}
      {CLEAR.includes(channel) && !(composite === "see-through" && body !== "none") && (
        <MakeClear>{CHANNEL_NAMES[channel]} does nothing without a clear body.</MakeClear>
      )}
      {channel === "opacity" && composite === "solid" && (
        <MakeOpen>Opacity does nothing on a solid.</MakeOpen>
      )}
      {channel === "cast" && composite === "solid" && <MakeOpen>No light passes through a solid.</MakeOpen>}
      {channel === "displacement" && (
        <Flex align="center" gap="3" color="mist">
          moved
          <Pick
            label="moved"
            value={displaced}
            options={["along the normal", "in a direction"]}
            onChange={(v) =>
              edit((d) => {
                d.surface.displaced = v as typeof displaced;
              })
            }
          />
        </Flex>
      )}
      {channel === "film" && lighting === "lit" && film === 0 && (
        <Text color="coral">There is no film yet: give it a thickness.</Text>
      )}
      {entries.map((entry, i) => {
        const place = `surface/${second ? "second/" : ""}${channel}/${i}`;
        const strand = document.strands.find((s) => s.id === entry.strand);
        const bead = entry.bead ?? strand?.beads.at(-1)?.id;
        const problem = problems.find((p) => p.place === place);
        return (
          <Box key={i}>
            <Flex align="center" gap="3">
              {bead && (
                <SmallPicture source={loop.source} place={`strands/${entry.strand}/${bead}`} size={30} />
              )}
              <Text w="5.5rem" flexShrink={0} truncate title={strand?.name}>
                {strand?.name ?? entry.strand}
              </Text>
              <Box flex="1" minW="0">
                <ParamRow
                  unnamed
                  narrow={lighting === "lit"}
                  param={surfaceParam("gain")}
                  place={`${place}/gain`}
                  source={loop.source}
                />
              </Box>
              {(channel === "base" ||
                channel === "emission" ||
                channel === "absorption" ||
                channel === "cast") && (
                <input
                  type="color"
                  className="swatch"
                  aria-label={`Tint of ${strand?.name}`}
                  title="Tint"
                  value={hexOf(entry.tint)}
                  onChange={(e) => {
                    holdBriefly();
                    edit((d) => {
                      half(d.surface, second).channels[channel][i].tint = linearOf(e.target.value);
                    });
                  }}
                />
              )}
              <IconButton
                aria-label={`Take ${strand?.name} off ${CHANNEL_NAMES[channel]}${ofHalf(second)}`}
                size="2xs"
                variant="ghost"
                color="mist"
                onClick={() =>
                  edit((d) => {
                    half(d.surface, second).channels[channel].splice(i, 1);
                  })
                }
              >
                <X size={13} />
              </IconButton>
            </Flex>
            {problem && <Text color="coral">{problem.words}</Text>}
          </Box>
        );
      })}
    </Box>
  );
}
