import { showTab, togglePeek, useEditor } from "../document/editor";
import type { Channel } from "../document/place";
import { listsOf } from "../document/tree";
import { SmallPicture } from "../painter/small-picture";
import { Flex, Text } from "../plain";
import type { Loop } from "../stage/drawing";

/** The foot of the sheet: how the effect composites, and each channel with its live result. */
export function SurfaceStrip({ loop }: { loop: Loop }) {
  const surface = useEditor((s) => s.document.surface);
  const strands = useEditor((s) => s.document.strands);
  const peek = useEditor((s) => s.peek);
  const tab = useEditor((s) => s.tab);
  const used = listsOf("surface").filter((f) => surface.channels[f.name as Channel].length > 0);
  // Names give way where there are too many; which channels there are, and how it composites, stay.
  const named = used.length <= (surface.lighting === "lit" ? 2 : 3);
  return (
    <Flex
      align="center"
      gap={used.length > 4 ? "3" : "4"}
      px="4"
      py="1.5"
      borderTop="1px solid"
      borderBottom="1px solid"
      borderColor="line"
      flexShrink={0}
      minH="12"
      overflowX="auto"
      data-testid="surface"
    >
      <button
        type="button"
        className="plain"
        aria-pressed={tab === "surface"}
        onClick={() => showTab("surface")}
      >
        <Text fontWeight="600">Surface</Text>
      </button>
      {used.length === 0 && <Text color="mist">no strand feeds it yet</Text>}
      {used.map(({ name, label, words }) => {
        const entries = surface.channels[name as Channel];
        const names = entries.map((e) => strands.find((s) => s.id === e.strand)?.name ?? e.strand);
        const place = `surface/${name}`;
        return (
          <Flex key={name} align="center" gap="2" minW={named ? `calc(${label.length}ch + 40px)` : undefined}>
            <button
              type="button"
              className="phase"
              aria-label={`Peek at ${label}`}
              aria-pressed={peek === place}
              onClick={() => togglePeek(place)}
            >
              <SmallPicture source={loop.source} place={place} size={32} />
            </button>
            <button
              type="button"
              className="plain"
              style={named ? { minWidth: 0 } : undefined}
              onClick={() => showTab("surface")}
            >
              <Flex color="fog" whiteSpace="nowrap" gap="1" title={names.join(", ")}>
                <Text flexShrink={0}>{label}</Text>
                {named && (
                  <Text color="mist" minW="0" overflow="hidden" textOverflow="ellipsis">
                    {names.join(words.includes("add") ? " + " : ", ")}
                  </Text>
                )}
              </Flex>
            </button>
          </Flex>
        );
      })}
      <Text
        color="mist"
        ml="auto"
        flexShrink={0}
        {...(used.length > 4
          ? { fontSize: "11.5px", lineHeight: 1.25, textAlign: "right", maxW: "6.4rem" }
          : { whiteSpace: "nowrap" })}
      >
        {surface.composite} · {surface.sides === "both" ? "both sides" : `${surface.sides} side`} ·{" "}
        {surface.lighting}
      </Text>
    </Flex>
  );
}
