import { Button, Flex, Text } from "@chakra-ui/react";
import { edit } from "../document/editor";

/** Says what a self-lit surface leaves without effect, and lights it with one press. */
export function MakeLit({ children }: { children: React.ReactNode }) {
  return (
    <Flex color="coral" align="center" gap="3" mb="1">
      <Text>{children}</Text>
      <Button
        size="2xs"
        variant="outline"
        color="coral"
        onClick={() =>
          edit((d) => {
            d.surface.lighting = "lit";
          })
        }
      >
        make it lit
      </Button>
    </Flex>
  );
}
