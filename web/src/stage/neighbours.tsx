import { Box, Flex, Text } from "@chakra-ui/react";
import { surfaceParam } from "../api/catalogue";
import type { Effect } from "../api/client";
import { ColourControl } from "../bead/colour-control";
import { ParamRow } from "../bead/param";
import { edit, useEditor } from "../document/editor";
import { Pick } from "../pick";
import type { Loop } from "./drawing";

type Name = keyof Effect["stage"]["neighbours"];
const NUMBERS: Record<Name, string[]> = {
  floor: ["height"],
  wall: ["depth"],
  post: ["foot", "tall", "radius"],
  ball: ["centre", "radius"],
};

/** What else stands on the stage, each with its numbers while it is there. */
export function NeighboursPanel({ loop }: { loop: Loop }) {
  const neighbours = useEditor((s) => s.document.stage.neighbours);
  return (
    <Box data-testid="neighbours" mt="3">
      <Text fontWeight="600" mb="1">
        Neighbours
      </Text>
      {(Object.keys(NUMBERS) as Name[]).map((name) => {
        const n = neighbours[name];
        return (
          <Box key={name} py="0.5">
            <Flex align="center" gap="3" minH="7">
              <label style={{ display: "flex", gap: 6, width: "5rem", flexShrink: 0 }}>
                <input
                  type="checkbox"
                  checked={n.on}
                  onChange={(e) =>
                    edit((d) => {
                      d.stage.neighbours[name].on = e.target.checked;
                    })
                  }
                />
                {name}
              </label>
              {n.on && (
                <ColourControl
                  bare
                  label={`${name} colour`}
                  value={n.colour}
                  onChange={(c) =>
                    edit((d) => {
                      d.stage.neighbours[name].colour = c;
                    })
                  }
                />
              )}
              {n.on && "finish" in n && (
                <Pick
                  label={`${name} finish`}
                  value={n.finish}
                  options={["plain", "tiles"]}
                  onChange={(v) =>
                    edit((d) => {
                      d.stage.neighbours[name as "floor" | "wall"].finish = v as "plain";
                    })
                  }
                />
              )}
            </Flex>
            {n.on &&
              NUMBERS[name].map((number) => (
                <ParamRow
                  narrow
                  key={number}
                  param={surfaceParam(number)}
                  place={`stage/neighbours/${name}/${number}`}
                  source={loop.source}
                />
              ))}
          </Box>
        );
      })}
    </Box>
  );
}
