import { Flex, Text } from "@chakra-ui/react";
import type { ReactNode } from "react";
import { go } from "./route";

/** The thin header of every page; it begins with the way back to the shelf. */
export function TopBar({ children }: { children: ReactNode }) {
  return (
    <Flex
      as="header"
      align="center"
      gap="5"
      px="4"
      h="11"
      borderBottom="1px solid"
      borderColor="line"
      flexShrink={0}
    >
      <Flex
        as="a"
        align="center"
        gap="2.5"
        cursor="pointer"
        tabIndex={0}
        role="link"
        aria-label="Whorl, to the shelf"
        onClick={() => go("/")}
        onKeyDown={(e) => e.key === "Enter" && go("/")}
      >
        <img src="/mark.svg" width="22" height="22" alt="" />
        <Text fontSize="17px" letterSpacing="0.02em">
          Whorl
        </Text>
      </Flex>
      {children}
    </Flex>
  );
}
