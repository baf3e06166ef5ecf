import { fieldsAt } from "../document/tree";
import { useFields } from "../field";
import { Box, Flex } from "../plain";
import type { Loop } from "../stage/drawing";
import { Channels, isOwn, Rows } from "./channels";
import { SecondSurface } from "./second";

/** How the effect composites, and which strands feed which channels. */
export function SurfacePanel({ loop }: { loop: Loop }) {
  const own = useFields("surface", isOwn);
  // What the whole surface has apart from a material comes first.
  const ofMaterial = new Set(fieldsAt("surface/second").map((f) => f.name));
  const sorted = [
    ...own.filter((f) => !ofMaterial.has(f.name)),
    ...own.filter((f) => ofMaterial.has(f.name)),
  ];
  return (
    <Flex gap="6" align="flex-start" wrap="wrap">
      <Rows place="surface" fields={sorted} loop={loop} />
      <Box flex="1 1 22rem" minW="0">
        <Channels place="surface" loop={loop} />
      </Box>
      <SecondSurface loop={loop} />
    </Flex>
  );
}
