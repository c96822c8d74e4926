"""A test of fault tracing as a question: what is done, what would be right, how it is answered."""

from __future__ import annotations

from dataclasses import replace

from glowdial.core.bench.recipe import Doing, Recipe
from glowdial.core.journey.findings import ANSWERS, Evidence, entry_of
from glowdial.core.journey.record import JobRecord
from glowdial.core.journey.steps import Ask, Field, Lead, Result, result
from glowdial.core.language.quantities import LEVEL, engineering
from glowdial.core.model.blocks import BlockDiagram
from glowdial.core.stages.faults.case import fails
from glowdial.core.tracing.next_trial import TrialProposal
from glowdial.core.tracing.trials import Trial, TrialKind

# what a probe should see, as far as the generator can bring it there
SEEN_V, LEAST_IN_V, MOST_IN_V = 0.03, 2e-6, 0.1
# beyond this a stage or the output is overloaded, whatever the gains say
MOST_SEEN_V = 2.0
# no generator for audio gives more
MOST_OF_A_GENERATOR_V = 10.0
# the usual output that an injection is matched to: about 50 mW
OUTPUT_V = 0.4
CALLED = {
    TrialKind.FUNCTION: "try it",
    TrialKind.INJECTION: "inject",
    TrialKind.TRACING: "trace",
    TrialKind.GAIN: "gain",
    TrialKind.QUIETING: "silence",
    TrialKind.LOOK: "look",
    TrialKind.RESEAT: "reseat",
    TrialKind.VOLTS: "volts",
    TrialKind.OHMS: "ohms",
    TrialKind.SUBSTITUTION: "swap",
    TrialKind.TAP: "tap",
    TrialKind.HEAT: "warm",
    TrialKind.COOL: "cool",
    TrialKind.OSCILLATION: "oscillator",
}


def levels_of(trial: Trial) -> tuple[float, float] | None:
    """Generator level and expected level in V for a levelled test. None where the gains along its
    way are not known, make so much of the least input that a stage is overloaded, or ask for more
    than a generator gives. At an injection the generator's level is what is expected."""
    if not trial.levelled or trial.expected_db is None:
        return None
    gain = 10.0 ** (trial.expected_db / 20.0)
    if trial.kind is TrialKind.INJECTION:
        wanted = OUTPUT_V / gain
        return (wanted, wanted) if wanted <= MOST_OF_A_GENERATOR_V else None
    put_in = min(max(SEEN_V / gain, LEAST_IN_V), MOST_IN_V)
    seen = put_in * gain
    return None if seen > MOST_SEEN_V else (put_in, seen)


def trial_ask(diagram: BlockDiagram, trial: Trial) -> Ask:
    """The question of a test. Levelled ones take the level as well, and are asked at the level
    that is expected, so that what was read stays what it was whatever the sheet says later."""
    answers = ANSWERS[trial.kind]
    fields = [Field("found", "found", options=answers)]
    expected = f"{answers[0]}, if the fault is not in it"
    levels = levels_of(trial)
    example = answers[0][0]
    point: tuple[tuple[str, float], ...] = ()
    if levels is not None:
        put_in, out = levels
        injected = trial.kind is TrialKind.INJECTION
        what = "generator level for the usual output" if injected else "level read"
        fields.append(Field("level", what, LEVEL, required=False))
        expected = _level_words(trial, put_in, out)
        example = f"w {engineering(out, 'V', 2)}"
        point = (("expected", float(f"{out:.3g}")),)
    return Ask(
        trial.key,
        _prompt(diagram, trial),
        tuple(fields),
        example,
        expected_text=expected,
        recipe=Recipe(Doing.TRY, trial=trial.key),
        point=point,
        called=CALLED[trial.kind],
    )


def _level_words(trial: Trial, put_in: float, out: float) -> str:
    shown = engineering(out, "V", 2)
    if trial.kind is TrialKind.INJECTION:
        return f"about {shown} there gives the usual output ({OUTPUT_V:g} V at the loudspeaker)"
    return f"about {shown} from {engineering(put_in, 'V', 2)} in"


def _prompt(diagram: BlockDiagram, trial: Trial) -> str:
    words = trial.words[0].upper() + trial.words[1:]
    return words if words.endswith(("?", ".")) else f"{words}."


def trial_leads(diagram: BlockDiagram, trial: Trial | None) -> tuple[Lead, ...]:
    """Where the leads of a test go."""
    if trial is None:
        return ()
    leads = []
    if trial.kind in (TrialKind.INJECTION, TrialKind.GAIN, TrialKind.TRACING):
        at = diagram.point(trial.source).name if trial.source else "the aerial"
        leads.append(
            Lead("signal generator", "0.1 uF, 630 V" if trial.source else "dummy", at, signal=True)
        )
    if trial.target:
        leads.append(Lead("probe or scope", "10 Mohm, few pF", diagram.point(trial.target).name))
    if trial.kind is TrialKind.QUIETING:
        leads.append(Lead("clip", "0.1 uF, 630 V", diagram.point(trial.source).name))
    return tuple(leads)


def why(diagram: BlockDiagram, proposal: TrialProposal, open_bits: float) -> tuple[str, ...]:
    """Why a test is proposed, and what each outcome would mean."""
    share = 100.0 * proposal.bits / max(open_bits, 1e-9)
    minutes = proposal.trial.minutes
    return (
        f"Settles {min(share, 100.0):.0f} % of what is open, in about {minutes:.0f} min; it fails "
        f"{100.0 * proposal.fails:.0f} times in 100.",
        f"If it is right: {_left(diagram, proposal.if_good)}. If not: "
        f"{_left(diagram, proposal.if_bad)}.",
    )


def _left(diagram: BlockDiagram, shares: tuple[tuple[str, float], ...]) -> str:
    if not shares:
        return "nothing in particular"
    named = [f"{diagram.block(k).name} {100.0 * p:.0f} %" for k, p in shares[:3]]
    return ", ".join(named)


def shown_result(one: Evidence, record: JobRecord) -> Result:
    """A finding as a result: what was tried, what it gave, and what that does to how many."""
    answer = entry_of(record, one)
    what, _, said = one.said.rpartition(": ")
    bad = fails(one)
    count = len(one.finding.trial.reach)
    blocks = f"{count} block{'' if count == 1 else 's'}"
    shown = result(answer, what, said, 0.0 if bad else 1.0, as_found=True)
    words = f"implicates {blocks}" if bad else f"clears {blocks}"
    return replace(shown, judgement=replace(shown.judgement, words=words))
