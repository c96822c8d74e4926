import type { ComponentType } from "react";

import type { Job, Step } from "../api/client";
import type { Writing } from "./useWrite";

/** What a panel beside a step is handed. */
export type PanelProps = {
  job: Job;
  step: Step | null;
  asked: string;
  writing: Writing;
};

/** A panel as its stage registers it: the name that steps call it by. */
export type Panel = {
  name: string;
  Component: ComponentType<PanelProps>;
  /** Shown on the page of all registers too. */
  onRegisters?: boolean;
};

// every stage's folder may have a file of panels; nothing else has to know of it
const found = import.meta.glob<{ panels: Panel[] }>("../stages/*/panels.tsx", { eager: true });

export const PANELS: Panel[] = Object.values(found).flatMap((stage) => stage.panels);
