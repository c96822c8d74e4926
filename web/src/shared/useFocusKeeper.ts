import { useEffect } from "react";

import { askedControl, takeFocus } from "./asked";

/** Where the focus goes when what held it is gone: what is asked now, else the page's main part. */
function home(): HTMLElement | null {
  const asked = askedControl();
  if (asked) return asked;
  const main = document.querySelector<HTMLElement>("main");
  if (main && !main.hasAttribute("tabindex")) main.tabIndex = -1;
  return main;
}

/**
 * Keeps the focus on the page: when a write takes away or disables what held it, it goes to what is
 * asked now, so that the next key is not lost.
 */
export function useFocusKeeper() {
  useEffect(() => {
    let held: Element | null = null;
    const holds = (event: FocusEvent) => {
      held = event.target as Element;
    };
    const look = () => {
      const nowhere = document.activeElement === document.body || document.activeElement === null;
      if (!nowhere || !held) return;
      const gone = !held.isConnected || (held as HTMLButtonElement).disabled;
      if (!gone) return;
      held = null;
      takeFocus(home());
    };
    const watcher = new MutationObserver(() => requestAnimationFrame(look));
    document.addEventListener("focusin", holds);
    watcher.observe(document.body, {
      childList: true,
      subtree: true,
      attributes: true,
      attributeFilter: ["disabled"],
    });
    return () => {
      document.removeEventListener("focusin", holds);
      watcher.disconnect();
    };
  }, []);
}
