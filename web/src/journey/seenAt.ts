import type { OpenJob } from "./useJob";

/** The picture of a step, if it has one: what is looked at gets the ground, all else stands close. */
export function seenAt({ step, bench }: OpenJob) {
  const peaking = step?.adjuster && bench?.held_step === step.key && step.cautions.length === 0;
  const trace = peaking ? bench.trace : null;
  return { trace, pictured: Boolean(step?.picture ?? step?.table ?? step?.scale ?? trace) };
}
