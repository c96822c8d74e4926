import { Button, type ButtonProps } from "@chakra-ui/react";
import type { Ref } from "react";

type Props = ButtonProps & { ref?: Ref<HTMLButtonElement> };

/** The one thing to do now: lit. */
export const LitButton = (props: Props) => (
  <Button h="44px" bg="glow" color="onGlow" _hover={{ filter: "brightness(1.08)" }} {...props} />
);

/** What may be done besides. */
export const PlainButton = (props: Props) => (
  <Button
    h="44px"
    variant="outline"
    borderColor="edge"
    color="ink"
    _hover={{ bg: "raised" }}
    {...props}
  />
);

/** Ways about the place: bar and step line. */
export const BareButton = (props: Props) => (
  <Button
    h="44px"
    variant="ghost"
    color="ink"
    _hover={{ bg: "raised" }}
    _expanded={{ bg: "transparent" }}
    {...props}
  />
);
