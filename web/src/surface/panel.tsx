import { Box, Button, Flex, IconButton, Text } from "@chakra-ui/react";
import { X } from "lucide-react";
import { surfaceParam } from "../api/catalogue";
import { hexOf, linearOf } from "../bead/colour";
import { ParamRow } from "../bead/param";
import { edit, holdBriefly, useEditor } from "../document/editor";
import type { Channel } from "../document/place";
import { SmallPicture } from "../painter/small-picture";
import { Pick } from "../pick";
import type { Loop } from "../stage/drawing";
import { MakeLit } from "./make-lit";
import { CHANNEL_NAMES, CHANNELS, LIT } from "./strip";

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
};
const NONE: Partial<Record<Channel, string>> = {
  opacity: "Nothing: the surface is whole.",
  normal: "Nothing: the surface is as it is built.",
  occlusion: "Nothing: the sky reaches all of it.",
};

/** How the effect composites, and which strands feed which channels. */
export function SurfacePanel({ loop }: { loop: Loop }) {
  const surface = useEditor((s) => s.document.surface);
  return (
    <Flex gap="6" align="flex-start">
      <Box w={surface.lighting === "lit" ? "20rem" : "15rem"} flexShrink={0}>
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
        {surface.lighting === "lit" &&
          ["roughness", "metallic", "index"].map((name) => (
            <ParamRow key={name} param={surfaceParam(name)} place={`surface/${name}`} source={loop.source} />
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
        {CHANNELS.filter(
          (c) => surface.lighting === "lit" || !LIT.includes(c) || surface.channels[c].length,
        ).map((c) => (
          <ChannelRows key={c} channel={c} loop={loop} />
        ))}
      </Box>
    </Flex>
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

function ChannelRows({ channel, loop }: { channel: Channel; loop: Loop }) {
  const document = useEditor((s) => s.document);
  const problems = useEditor((s) => s.problems);
  const { composite, channels, gloss, lighting } = document.surface;
  const entries = channels[channel];
  const unlit = LIT.includes(channel) && lighting !== "lit";
  const idle = channel === "opacity" && composite === "solid" && entries.length > 0;
  const usable = document.strands.filter((s) => s.beads.length > 0);
  return (
    <Box mb="3">
      <Flex align="center" gap="3" mb="1">
        <Text fontWeight="600">{CHANNEL_NAMES[channel]}</Text>
        <Text color="mist" fontSize="11.5px">
          {HOW[channel]}
        </Text>
        <select
          className="plain-select"
          aria-label={`Add a strand to ${CHANNEL_NAMES[channel]}`}
          value=""
          style={{ marginLeft: "auto" }}
          onChange={(e) =>
            edit((d) => {
              d.surface.channels[channel].push({
                strand: e.target.value,
                bead: null,
                tint: [1, 1, 1],
                gain: 1,
              });
            })
          }
        >
          <option value="">add a strand …</option>
          {usable.map((s) => (
            <option key={s.id} value={s.id}>
              {s.name}
            </option>
          ))}
        </select>
      </Flex>
      {channel === "roughness" && entries.length > 0 && (
        <label>
          <Flex align="center" gap="2" color="mist">
            <input
              type="checkbox"
              checked={gloss}
              onChange={(e) =>
                edit((d) => {
                  d.surface.gloss = e.target.checked;
                })
              }
            />
            the strands give gloss: each is turned round, 1 mirrors
          </Flex>
        </label>
      )}
      {unlit && <MakeLit>{CHANNEL_NAMES[channel]} does nothing on a self-lit surface.</MakeLit>}
      {idle && (
        <Flex color="coral" align="center" gap="3">
          <Text>Opacity does nothing on a solid.</Text>
          {(["cut away", "see-through"] as const).map((c) => (
            <Button
              key={c}
              size="2xs"
              variant="outline"
              color="coral"
              onClick={() =>
                edit((d) => {
                  d.surface.composite = c;
                })
              }
            >
              make it {c}
            </Button>
          ))}
        </Flex>
      )}
      {entries.map((entry, i) => {
        const place = `surface/${channel}/${i}`;
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
              {(channel === "base" || channel === "emission") && (
                <input
                  type="color"
                  className="swatch"
                  aria-label={`Tint of ${strand?.name}`}
                  title="Tint"
                  value={hexOf(entry.tint)}
                  onChange={(e) => {
                    holdBriefly();
                    edit((d) => {
                      d.surface.channels[channel][i].tint = linearOf(e.target.value);
                    });
                  }}
                />
              )}
              <IconButton
                aria-label={`Take ${strand?.name} off ${CHANNEL_NAMES[channel]}`}
                size="2xs"
                variant="ghost"
                color="mist"
                onClick={() =>
                  edit((d) => {
                    d.surface.channels[channel].splice(i, 1);
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
      {entries.length === 0 && (
        <Text color="mist" fontSize="12px">
          {NONE[channel] ?? "Nothing yet."}
        </Text>
      )}
    </Box>
  );
}
