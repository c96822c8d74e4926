import { Button, type ButtonProps, Spinner } from "@chakra-ui/react";
import type { Ref } from "react";

type Props = ButtonProps & {
  ref?: Ref<HTMLButtonElement>;
  /** Its work is under way: said and shown, but never disabled, so that the focus stays on it. */
  busy?: boolean;
};

/** A button that keeps the focus while it works. */
function KeptButton({ busy, children, ...rest }: Props) {
  return (
    <Button h="44px" aria-busy={busy ? true : undefined} {...rest}>
      {busy && !rest.asChild && <Spinner size="xs" aria-hidden="true" />}
      {children}
    </Button>
  );
}

/** The one thing to do now: lit. */
export const LitButton = (props: Props) => (
  <KeptButton bg="glow" color="onGlow" _hover={{ filter: "brightness(1.08)" }} {...props} />
);

/** What may be done besides. */
export const PlainButton = (props: Props) => (
  <KeptButton
    variant="outline"
    borderColor="edge"
    color="ink"
    _hover={{ bg: "raised" }}
    {...props}
  />
);

/** Ways about the place: bar and step line. */
export const BareButton = (props: Props) => (
  <KeptButton
    variant="ghost"
    color="ink"
    _hover={{ bg: "raised" }}
    _expanded={{ bg: "transparent" }}
    {...props}
  />
);
