import { useEffect, useLayoutEffect, useRef } from "react";

/** One command of a page: the key that runs it, and whether it may run now. */
export type KeyCommand = { key: string; run: () => void; when?: boolean };

/** Keys that work wherever the focus is, text fields included; none of them types a character. */
export function useKeys(commands: KeyCommand[]) {
  const present = useRef(commands);
  // before the next key can come, or it would act on the step that was there before
  useLayoutEffect(() => {
    present.current = commands;
  });
  useEffect(() => {
    const listen = (event: KeyboardEvent) => {
      if (event.altKey || event.ctrlKey || event.metaKey) return;
      if (document.querySelector("[role=dialog]")) return;
      const pressed = event.shiftKey ? `Shift+${event.key}` : event.key;
      const command = present.current.find((c) => c.key === pressed && c.when !== false);
      if (!command) return;
      event.preventDefault();
      command.run();
    };
    window.addEventListener("keydown", listen);
    return () => window.removeEventListener("keydown", listen);
  }, []);
}
