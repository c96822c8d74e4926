import { type ComponentProps, useRef } from "react";

import { LitButton, PlainButton } from "./Buttons";

type Props = Omit<ComponentProps<typeof PlainButton>, "onClick"> & {
  /** What may be chosen, as the input takes it. */
  accept: string;
  testId: string;
  onFile: (file: File) => void;
  /** Whether it is the one thing to do now. */
  lit?: boolean;
};

/** A button that lets a file be chosen; the same one may be chosen again. */
export function FilePicker({ accept, testId, onFile, lit = false, ...button }: Props) {
  const input = useRef<HTMLInputElement>(null);
  const Shown = lit ? LitButton : PlainButton;
  return (
    <>
      <Shown {...button} onClick={() => input.current?.click()} />
      <input
        ref={input}
        type="file"
        hidden
        accept={accept}
        data-testid={testId}
        onChange={(event) => {
          const file = event.target.files?.[0];
          event.target.value = "";
          if (file) onFile(file);
        }}
      />
    </>
  );
}
