import { Button } from "@chakra-ui/react";
import type { ReactNode } from "react";
import { Flex, Text } from "./plain";

type Props = { title: string; children?: ReactNode; action?: string; onAction?: () => void };

/** A whole area that has nothing else to show: loading, empty, or wrong, with what to do next. */
export function Notice({ title, children, action, onAction }: Props) {
  return (
    <Flex
      direction="column"
      align="center"
      justify="center"
      gap="3"
      h="100%"
      minH="40"
      p="8"
      textAlign="center"
      role="status"
    >
      <Text fontSize="lg">{title}</Text>
      {children && (
        <Text color="mist" maxW="26rem">
          {children}
        </Text>
      )}
      {action && (
        <Button size="sm" rounded="full" bg="glass" color="ink" onClick={onAction}>
          {action}
        </Button>
      )}
    </Flex>
  );
}
