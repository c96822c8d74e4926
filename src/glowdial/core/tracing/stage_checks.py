"""The check that decides between the parts which a stage's volts leave."""

from __future__ import annotations

from dataclasses import dataclass, replace

from glowdial.core.tracing.stage_faults import (
    CHECK_MINUTES,
    NAMED_FROM,
    Check,
    Explanation,
    StageFault,
    StageFindings,
)

# how often a check of a part says what is not so
CHECK_LIES = 0.02


@dataclass(frozen=True, slots=True)
class ProposedCheck:
    """A check of one part: how, and how likely it finds that part at fault."""

    fault: StageFault
    check: Check
    likely: float

    @property
    def words(self) -> str:
        """As it is done."""
        return f"{self.fault.part}: {self.check.value}"


def proposed_check(found: StageFindings) -> ProposedCheck | None:
    """The check that tells most for its time: of a part that is nearest to being as likely as
    not. None where no part is named."""
    shares = dict(found.parts)
    best: ProposedCheck | None = None
    most = 0.0
    for one in found.explanations:
        if one.fault is None:
            continue
        share = shares[one.part]
        if share < NAMED_FROM:
            continue
        worth = share * (1.0 - share) / CHECK_MINUTES[one.fault.check]
        if best is None or worth > most:
            best, most = ProposedCheck(one.fault, one.fault.check, share), worth
    return best


def after_check(found: StageFindings, check: ProposedCheck, *, positive: bool) -> StageFindings:
    """What is left to think once a check found its part at fault, or not."""
    part = check.fault.part

    def weight(one: Explanation) -> float:
        mine = one.part == part
        return 1.0 - CHECK_LIES if mine == positive else CHECK_LIES

    total = sum(e.probability * weight(e) for e in found.explanations)
    weighed = [
        replace(e, probability=e.probability * weight(e) / total) for e in found.explanations
    ]
    weighed.sort(key=lambda e: -e.probability)
    return StageFindings(tuple(weighed), found.fit, found.sound, found.pairs)
