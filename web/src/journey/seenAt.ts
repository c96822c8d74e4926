import type { OpenJob } from "./useJob";

/** The picture of a step, if it has one: what is looked at gets the ground, all else stands close. */
export function seenAt({ step, bench }: OpenJob) {
  const peaking = step?.adjuster && bench?.held_step === step.key && step.cautions.length === 0;
  const measured = peaking ? bench.trace : null;
  const trace = measured ?? (step?.cautions.length === 0 ? step.trace : null);
  const plot = step?.plot?.main ? step.plot : null;
  const drawn = step?.picture ?? step?.table ?? step?.scale ?? plot ?? step?.diagram ?? step?.chain;
  return { trace, measured, plot, pictured: Boolean(drawn ?? trace) };
}
