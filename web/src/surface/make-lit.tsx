import { Button, Flex, Text } from "@chakra-ui/react";
import type { Effect } from "../api/client";
import { edit } from "../document/editor";

type Mend = { words: string; by: (surface: Effect["surface"]) => void };

const LIGHT: Mend = {
  words: "make it lit",
  by: (s) => {
    s.lighting = "lit";
  },
};
const CLEAR: Mend = {
  words: "make it a clear body",
  by: (s) => {
    s.composite = "see-through";
    if (s.body === "none") s.body = "filled";
  },
};
const composite = (to: Effect["surface"]["composite"]): Mend => ({
  words: `make it ${to}`,
  by: (s) => {
    s.composite = to;
  },
});

/** Says what is without effect under the present surface, and mends it with one press. */
export function Without({ mends, children }: { mends: Mend[]; children: React.ReactNode }) {
  return (
    <Flex color="coral" align="center" gap="3" mb="1">
      <Text>{children}</Text>
      {mends.map((m) => (
        <Button
          key={m.words}
          size="2xs"
          variant="outline"
          color="coral"
          onClick={() => edit((d) => m.by(d.surface))}
        >
          {m.words}
        </Button>
      ))}
    </Flex>
  );
}

/** What a self-lit surface leaves without effect. */
export const MakeLit = ({ children }: { children: React.ReactNode }) => (
  <Without mends={[LIGHT]}>{children}</Without>
);
/** What a surface that is no clear body leaves without effect. */
export const MakeClear = ({ children }: { children: React.ReactNode }) => (
  <Without mends={[CLEAR]}>{children}</Without>
);
/** What a solid leaves without effect. */
export const MakeOpen = ({ children }: { children: React.ReactNode }) => (
  <Without mends={[composite("cut away"), composite("see-through")]}>{children}</Without>
);
