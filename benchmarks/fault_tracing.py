"""How many tests it takes to find a fault, and how often the wrong block is blamed.

Seeded faults of parts in simulated receivers of three kinds, tests that lie, expected gains that
are off; against a front-to-back check, and against ranking without costs.
"""

from __future__ import annotations

import argparse
from collections.abc import Callable
from dataclasses import dataclass, replace

import numpy as np

from benchmarks.traced_sets import traced_sets
from glowdial.core.model.blocks import BlockDiagram
from glowdial.core.tracing.failures import RATES, Suspects, Symptom, suspects_of
from glowdial.core.tracing.next_trial import Trials, proposals
from glowdial.core.tracing.posterior import CONVICTED, posterior
from glowdial.core.tracing.trials import Finding, Trial, possible_trials
from glowdial.sim.block_set import BlockSet, random_trouble

MOST_TESTS = 40
LEAST_BITS = 0.01


@dataclass(frozen=True)
class Kind:
    """A kind of receiver with what its tracing starts from."""

    name: str
    diagram: BlockDiagram
    suspects: Suspects
    trials: Trials


@dataclass(frozen=True)
class Traced:
    """How one fault was traced."""

    tests: int
    cost: float
    blamed: str
    true: str

    @property
    def convicted(self) -> bool:
        return self.blamed != ""

    @property
    def wrong(self) -> bool:
        return self.convicted and self.blamed != self.true


def kinds(spread_db: float, lie: float, minutes: Callable[[Trial], float]) -> list[Kind]:
    """The receivers, their tests lying and costing as said."""
    found = []
    for name, diagram in traced_sets():
        trials = tuple(replace(t, lie=lie, minutes=minutes(t)) for t in possible_trials(diagram))
        keys = [b.key for b in diagram.blocks]
        found.append(
            Kind(
                name,
                diagram,
                suspects_of(diagram, symptom=Symptom.SIGNAL),
                Trials.of(keys, trials, spread_db),
            )
        )
    return found


def drawn_fault(kind: Kind, seed: int, lies: float, off_db: float) -> BlockSet:
    """A part that failed so that the signal suffers, drawn by the rates of its kind."""
    rng = np.random.default_rng(seed)
    held = [
        (block, part, RATES[part] * count)
        for block in kind.diagram.blocks
        for part, count in block.parts
    ]
    shares = np.array([rate for *_, rate in held])
    trouble = None
    while trouble is None:
        block, part, _ = held[int(rng.choice(len(held), p=shares / shares.sum()))]
        trouble = random_trouble(kind.diagram, block, part, rng)
    errors = tuple(float(e) for e in rng.normal(0.0, off_db, len(kind.diagram.blocks)))
    return BlockSet(kind.diagram, (trouble,), seed, errors, lies)


def traced(kind: Kind, sick: BlockSet, spread_db: float, *, by_cost: bool) -> Traced:
    """Follow the proposals until a block is convicted or no test tells anything more."""
    findings: list[Finding] = []
    cost = 0.0
    for _ in range(MOST_TESTS):
        now = posterior(kind.suspects, findings, gain_spread_db=spread_db)
        first, share = now.first
        if share >= CONVICTED:
            return Traced(len(findings), cost, first or "elsewhere", sick.troubles[0].block)
        done = [f.trial.key for f in findings]
        best = proposals(now, kind.trials, done, most=1, by_cost=by_cost)
        if not best or best[0].bits < LEAST_BITS:
            break
        trial = best[0].trial
        cost += trial.minutes
        findings.append(sick.measured(trial, len(findings)))
    return Traced(len(findings), cost, "", sick.troubles[0].block)


def front_to_back(kind: Kind, sick: BlockSet, lies: float) -> int:
    """Looks of a check that takes block by block in the signal's order, each by one look of its
    own that lies as often as the tests do, and looks once more at each that fails, until a fail is
    confirmed. It has a sure look at every single block, which no receiver offers."""
    rng = np.random.default_rng(sick.seed)
    looks = 0
    order = [b.key for b in kind.diagram.blocks]
    while True:
        for key in order:
            looks += 1
            fails = (key == sick.troubles[0].block) != (rng.random() < lies)
            if fails:
                looks += 1
                if (key == sick.troubles[0].block) != (rng.random() < lies):
                    return looks


def prior_bits(kind: Kind) -> float:
    """Entropy of which block it is, of faults from which the signal suffers, in bits."""
    return posterior(kind.suspects, ()).entropy_bits


def capacity_bits(lie: float) -> float:
    """Of a test that lies so often (a binary symmetric channel)."""
    return float(1.0 + lie * np.log2(lie) + (1.0 - lie) * np.log2(1.0 - lie))


def run(faults: int, *, lies: float, off_db: float, spread_db: float) -> None:
    """One row for each kind, and all together."""
    lie = 0.02
    everything: list[Traced] = []
    bound, front = 0.0, 0.0
    for kind in kinds(spread_db, lie, lambda _: 1.0):
        each = faults // 3
        sick = [drawn_fault(kind, 1000 + n, lies, off_db) for n in range(each)]
        found = [traced(kind, s, spread_db, by_cost=False) for s in sick]
        bits = prior_bits(kind)
        limit = bits / capacity_bits(lie)
        checks = float(np.mean([front_to_back(kind, s, lies) for s in sick]))
        bound, front = bound + limit * each, front + checks * each
        _row(kind.name, len(kind.diagram.blocks), found, limit, checks)
        everything += found
    _row("all", 0, everything, bound / len(everything), front / len(everything))


def _row(name: str, blocks: int, found: list[Traced], limit: float, checks: float) -> None:
    convicted = [t for t in found if t.convicted]
    tests = float(np.mean([t.tests for t in found]))
    wrong = sum(t.wrong for t in convicted) / max(len(convicted), 1)
    print(
        f"  {name:<16}{blocks or '':>3} blocks {tests:6.2f} tests, {tests / limit:5.2f} of H/C "
        f"({limit:.2f}), {tests / checks:5.2f} of front to back ({checks:.1f}), convicted "
        f"{len(convicted) / len(found):6.1%}, of these wrongly {wrong:6.1%}"
    )


def costs(faults: int) -> None:
    """Mean cost with minutes spread from 1 to 10, against ranking by information alone."""

    def minutes(trial: Trial) -> float:
        rng = np.random.default_rng(np.frombuffer(trial.key.encode(), dtype=np.uint8))
        return float(10.0 ** rng.uniform(0.0, 1.0))

    plain, ranked = 0.0, 0.0
    for kind in kinds(1.0, 0.02, minutes):
        for n in range(faults // 3):
            sick = drawn_fault(kind, 5000 + n, 0.02, 0.0)
            plain += traced(kind, sick, 1.0, by_cost=False).cost
            ranked += traced(kind, sick, 1.0, by_cost=True).cost
    print(f"  cost, by worth against by information alone: {ranked / plain:.2f}")


def main() -> None:
    parser = argparse.ArgumentParser()
    parser.add_argument("--faults", type=int, default=1002)
    faults = parser.parse_args().faults
    print("tests lie in 2 of 100, gains as expected")
    run(faults, lies=0.02, off_db=0.0, spread_db=1.0)
    print("tests lie in 5 of 100 (taken for 2)")
    run(faults, lies=0.05, off_db=0.0, spread_db=1.0)
    print("each stage's gain 3 dB off")
    run(faults, lies=0.02, off_db=3.0, spread_db=3.0)
    costs(faults)


if __name__ == "__main__":
    main()
