"""Sets with more than one IF: a chain for each kind of signal, often in the same cans, each aligned
by the same steps. The FM one comes first: its small windings lie in series with the other's.

A chain sees its own IF, cans and detector, and of the record only what was entered in its own
steps, whose keys begin with its name.
"""

from __future__ import annotations

from dataclasses import replace

from glowdial.core.journey.room import Entering, ReportPart, Situation
from glowdial.core.journey.steps import Ask, Step
from glowdial.core.model.facts import OtherIf
from glowdial.core.stages.intermediate.report import if_report
from glowdial.core.stages.intermediate.steps import check_if, if_steps


def all_if_steps(situation: Situation) -> list[Step]:
    """The steps of every IF of the set: those of other chains first, then the sheet's own."""
    chains = situation.facts.chains
    if not chains:
        return if_steps(situation)
    steps: list[Step] = []
    for chain in chains:
        seen = if_steps(_of_chain(situation, chain))
        steps += [_named(chain, step) for step in seen]
    return [*steps, *if_steps(_of_own(situation))]


def check_all(situation: Situation, step: Step, ask: Ask, kept: Entering) -> None:
    """Raises BadInput for what cannot be kept in a step of any chain."""
    for chain in situation.facts.chains:
        if step.key.startswith(_prefix(chain)):
            own = replace(step, key=step.key.removeprefix(_prefix(chain)))
            check_if(_of_chain(situation, chain), own, ask, kept)
            return
    check_if(situation, step, ask, kept)


def report_all(situation: Situation, steps: tuple[Step, ...]) -> ReportPart:
    """What the page tells of every IF."""
    chains = situation.facts.chains
    if not chains:
        return if_report(situation, steps)
    parts = []
    for chain in chains:
        mine = tuple(
            replace(s, key=s.key.removeprefix(_prefix(chain)))
            for s in steps
            if s.key.startswith(_prefix(chain))
        )
        part = if_report(_of_chain(situation, chain), mine)
        rows = tuple(replace(r, what=f"{chain.mode} {r.what}") for r in part.rows)
        parts.append(replace(part, rows=rows))
    own = tuple(s for s in steps if not any(s.key.startswith(_prefix(c)) for c in chains))
    parts.append(if_report(_of_own(situation), own))
    return ReportPart(
        rows=tuple(r for p in parts for r in p.rows),
        pictures=tuple(picture for p in parts for picture in p.pictures),
        next_check=" ".join(dict.fromkeys(p.next_check for p in parts if p.next_check)),
    )


def chain_of(situation: Situation, step_key: str) -> tuple[str, Situation]:
    """The mode of the chain that a step belongs to ("" for the sheet's own IF), and what that
    chain sees."""
    for chain in situation.facts.chains:
        if step_key.startswith(_prefix(chain)):
            return chain.mode, _of_chain(situation, chain)
    return "", _of_own(situation) if situation.facts.chains else situation


def _prefix(chain: OtherIf) -> str:
    return f"{chain.mode.lower()}."


def _of_chain(situation: Situation, chain: OtherIf) -> Situation:
    facts = situation.facts.on_chain(chain.mode)
    own = situation.record.of_chain(_prefix(chain), ())
    return replace(situation, facts=facts, record=own)


def _of_own(situation: Situation) -> Situation:
    prefixes = tuple(_prefix(c) for c in situation.facts.chains)
    return replace(situation, record=situation.record.of_chain("", prefixes))


def _named(chain: OtherIf, step: Step) -> Step:
    """A step of a chain under its own key and name, its bench on that chain."""
    prefix = _prefix(chain)
    return replace(
        step,
        key=f"{prefix}{step.key}",
        title=f"{chain.mode}: {step.title[0].lower()}{step.title[1:]}",
        undoes=f"{prefix}{step.undoes}" if step.undoes else step.undoes,
        ask=_switched(chain, step.ask) if step.ask else None,
        others=tuple(_switched(chain, a) for a in step.others),
    )


def _switched(chain: OtherIf, ask: Ask) -> Ask:
    if ask.recipe is None:
        return ask
    return replace(ask, recipe=ask.recipe.setting(chain=chain.mode))
