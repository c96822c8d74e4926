import { Heading, Stack, Text } from "@chakra-ui/react";
import { Link } from "react-router";

/** What a wrong address or a broken page says. */
export function RouteTrouble() {
  return (
    <Stack as="main" p={8} gap={3}>
      <Heading size="2xl">There is no such page</Heading>
      <Text>
        The address may be mistyped, or the page failed. Nothing that was entered is lost.
      </Text>
      <Text color="glow" textDecoration="underline">
        <Link to="/">To the shelf</Link>
      </Text>
    </Stack>
  );
}
