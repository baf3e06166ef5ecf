import type { ReactNode } from "react";
import { Flex, Text } from "./plain";
import { go } from "./route";

/** The thin header of every page; it begins with the way back to the shelf. */
export function TopBar({ children }: { children: ReactNode }) {
  return (
    <Flex
      as="header"
      align="center"
      gap="5"
      px="4"
      minH="11"
      wrap="wrap"
      rowGap="1"
      borderBottom="1px solid"
      borderColor="line"
      flexShrink={0}
    >
      <a
        className="home"
        href="/"
        aria-label="Whorl, to the shelf"
        onClick={(e) => {
          if (e.ctrlKey || e.metaKey || e.shiftKey) return;
          e.preventDefault();
          go("/");
        }}
      >
        <img src="/mark.svg" width="22" height="22" alt="" />
        <Text fontSize="17px" letterSpacing="0.02em">
          Whorl
        </Text>
      </a>
      {children}
    </Flex>
  );
}
