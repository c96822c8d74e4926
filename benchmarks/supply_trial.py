"""How often the supply's diagnosis is right: seeded simulated sets of every topology, 1 % noise."""

from __future__ import annotations

from collections import Counter
from dataclasses import dataclass, replace

import numpy as np

from glowdial.bench.simulated import SimulatedBench
from glowdial.core.bench.settings import setting
from glowdial.core.model.facts import ReceiverFacts
from glowdial.core.model.measurands import (
    B_PLUS,
    B_PLUS_RIPPLE,
    RESERVOIR,
    RESERVOIR_RIPPLE,
    Measurand,
)
from glowdial.core.physics.supply.circuit import (
    FilterSection,
    Load,
    Rectifier,
    RectifierKind,
    Supply,
    Topology,
    Waveform,
    gas_rectifier,
    silicon_rectifier,
    vacuum_rectifier,
)
from glowdial.core.stages.bring_up.excess_current import Excess, decide_excess
from glowdial.core.stages.bring_up.supply_causes import Cause, Diagnosis, SupplyReading
from glowdial.core.stages.bring_up.supply_diagnosis import diagnose
from glowdial.demo.fill import tidewater_sheet
from glowdial.sheets.facts import receiver_facts
from glowdial.sim.condition import Condition, FilterFault, RectifierFault
from glowdial.sim.receiver import SimulatedReceiver
from glowdial.sim.state import BenchState
from glowdial.workshop.base.sheets import read_sheet

NOISE = 0.01
LINES = (0.7, 0.85, 1.0)
TUBES = Load(0.06, 235.0, 1.4, 200e3)


def _supply(topology: Topology, rectifier: Rectifier, **more: object) -> Supply:
    base = Supply(
        topology=topology,
        line_v=230.0,
        line_hz=50.0,
        secondary_v=300.0,
        source_ohm=220.0,
        rectifier=rectifier,
        reservoir_f=16e-6,
        sections=(FilterSection(1200.0, 16e-6),),
        load=TUBES,
    )
    return replace(base, **more)  # type: ignore[arg-type]


STACK = Rectifier(RectifierKind.SELENIUM, threshold_v=10.0, resistance_ohm=120.0)
SUPPLIES: dict[str, Supply] = {
    "vacuum centre tap": _supply(Topology.CENTRE_TAP, vacuum_rectifier(55.0, 0.125)),
    "vacuum half-wave": _supply(
        Topology.HALF_WAVE,
        vacuum_rectifier(18.0, 0.14),
        secondary_v=230.0,
        source_ohm=60.0,
        reservoir_f=40e-6,
        sections=(FilterSection(470.0, 40e-6),),
    ),
    "selenium bridge": _supply(Topology.BRIDGE, STACK, secondary_v=240.0),
    "selenium half-wave": _supply(
        Topology.HALF_WAVE, STACK, source_ohm=60.0, reservoir_f=40e-6, secondary_v=250.0
    ),
    "silicon bridge": _supply(Topology.BRIDGE, silicon_rectifier(2), secondary_v=220.0),
    "silicon doubler": _supply(
        Topology.DOUBLER,
        silicon_rectifier(),
        source_ohm=25.0,
        secondary_v=120.0,
        reservoir_f=47e-6,
        sections=(FilterSection(470.0, 47e-6),),
    ),
    "gas-filled centre tap": _supply(Topology.CENTRE_TAP, gas_rectifier(15.0), secondary_v=280.0),
    "choke input": _supply(
        Topology.CENTRE_TAP,
        vacuum_rectifier(40.0, 0.2),
        secondary_v=350.0,
        input_choke_h=15.0,
        input_choke_ohm=250.0,
        sections=(FilterSection(300.0, 16e-6),),
        load=Load(0.08, 235.0, 1.4, 50e3),
    ),
    "vibrator": _supply(
        Topology.CENTRE_TAP,
        vacuum_rectifier(55.0, 0.125),
        line_v=6.0,
        line_hz=100.0,
        secondary_v=230.0,
        waveform=Waveform.SQUARE,
        source_ohm=150.0,
        reservoir_f=8e-6,
        sections=(FilterSection(1000.0, 8e-6),),
    ),
}


@dataclass(frozen=True)
class Case:
    """A set with its true cause, and what was read of it."""

    supply: Supply
    cause: Cause
    readings: tuple[SupplyReading, ...]


def causes_of(supply: Supply) -> list[Cause]:
    """What can ail a supply of that kind."""
    found = [Cause.HEALTHY, Cause.EXCESS, Cause.DRIED]
    if supply.rectifier.kind in (RectifierKind.VACUUM, RectifierKind.SELENIUM):
        found.append(Cause.TIRED)
    if supply.topology.full_wave:
        found.append(Cause.HALF_DEAD)
    return found


def _sick(facts: ReceiverFacts, cause: Cause, rng: np.random.Generator) -> Condition:
    """Healthy spread, and the cause at no less than the severity that is worth telling."""
    condition = Condition(
        seed=int(rng.integers(0, 2**31)),
        emission=float(rng.uniform(0.88, 1.1)),
        filters=float(rng.uniform(0.88, 1.12)),
        load=float(rng.uniform(0.94, 1.06)),
        needle=0.0,
    )
    supply = facts.supply
    assert supply is not None
    if cause is Cause.TIRED and supply.rectifier.kind is RectifierKind.VACUUM:
        return replace(condition, emission=float(rng.uniform(0.12, 0.45)))
    if cause is Cause.TIRED:
        return replace(condition, faults=(RectifierFault(age=float(rng.uniform(4.0, 12.0))),))
    if cause is Cause.EXCESS and rng.random() < 0.5:
        return replace(condition, load=float(rng.uniform(1.4, 2.5)))
    if cause is Cause.EXCESS:
        leak = supply.load.nominal_v / (supply.load.current_a * float(rng.uniform(0.5, 2.0)))
        return replace(condition, faults=(FilterFault(0, leak_ohm=leak),))
    if cause is Cause.DRIED:
        place = int(rng.integers(0, 2))
        left = float(rng.uniform(0.05, 0.4))
        return replace(condition, faults=(FilterFault(place, capacity=left),))
    if cause is Cause.HALF_DEAD:
        return replace(condition, faults=(RectifierFault(half_dead=True),))
    return condition


def case(name: str, cause: Cause, seed: int, lines: tuple[float, ...] = LINES) -> Case:
    """One seeded set, read settled at each share of line, every reading 1 % off at random."""
    supply = SUPPLIES[name]
    facts = replace(receiver_facts(read_sheet(tidewater_sheet())), supply=supply)
    rng = np.random.default_rng((seed, list(Cause).index(cause), list(SUPPLIES).index(name)))
    receiver = SimulatedReceiver(facts, _sick(facts, cause, rng))

    def noisy(values: tuple[float, ...]) -> tuple[float, ...]:
        return tuple(v * (1.0 + NOISE * float(rng.standard_normal())) for v in values)

    readings = []
    for share in lines:
        point = receiver.power.at(BenchState(line_v=share * supply.line_v))
        readings.append(
            SupplyReading(share * supply.line_v, noisy(point.node_v), noisy(point.ripple_v))
        )
    return Case(supply, cause, tuple(readings))


@dataclass
class Tally:
    """Counts over a trial."""

    right: int = 0
    among_two: int = 0
    boldly_wrong: int = 0
    total: int = 0

    def add(self, cause: Cause, found: Diagnosis) -> None:
        """Count one."""
        self.total += 1
        self.right += found.first.cause is cause
        self.among_two += cause in {s.cause for s in found.suspicions[:2]}
        self.boldly_wrong += found.first.cause is not cause and found.first.probability > 0.8


def trial(seeds: range) -> tuple[Tally, Counter[tuple[str, str]]]:
    """Every topology and cause over seeds: the tally, and the confusions."""
    tally, confused = Tally(), Counter[tuple[str, str]]()
    for name, supply in SUPPLIES.items():
        for cause in causes_of(supply):
            for seed in seeds:
                one = case(name, cause, seed)
                found = diagnose(one.supply, one.readings)
                tally.add(cause, found)
                if found.first.cause is not cause:
                    confused[(f"{name}: {cause}", found.first.cause.value)] += 1
    return tally, confused


FIVE_MINUTES_S = 300.0


def _excess(facts: ReceiverFacts, leaks: bool, rng: np.random.Generator) -> Condition:
    """A set with a leaky reservoir, re-forming or not, or with an overload."""
    healthy = _sick(facts, Cause.HEALTHY, rng)
    if not leaks:
        return replace(healthy, load=float(rng.uniform(1.5, 2.5)))
    supply = facts.supply
    assert supply is not None
    leak = supply.load.nominal_v / (supply.load.current_a * float(rng.uniform(0.6, 2.0)))
    heals = float(rng.uniform(600.0, 1500.0)) if rng.random() < 0.5 else None
    return replace(healthy, faults=(FilterFault(0, leak_ohm=leak, reforms_in_s=heals),))


def told_apart(name: str, leaks: bool, seed: int) -> tuple[Excess, Excess, Excess]:
    """What is said of a set with excess current at once, after five minutes, and by a lifted lead;
    1 % noise on every reading."""
    supply = SUPPLIES[name]
    facts = replace(receiver_facts(read_sheet(tidewater_sheet())), supply=supply)
    rng = np.random.default_rng((seed, int(leaks), list(SUPPLIES).index(name), 77))
    receiver = SimulatedReceiver(facts, _excess(facts, leaks, rng))
    bench = SimulatedBench(receiver, BenchState(line_v=supply.line_v))

    def read(what: Measurand) -> float:
        return bench.read(what) * (1.0 + NOISE * float(rng.standard_normal()))

    nodes = (RESERVOIR, B_PLUS), (RESERVOIR_RIPPLE, B_PLUS_RIPPLE)
    volts, ripple = (tuple(read(m) for m in meters) for meters in nodes)
    found = diagnose(supply, (SupplyReading(supply.line_v, volts, ripple),))
    extra = next(s.severity for s in found.suspicions if s.cause is Cause.EXCESS)
    at_once = decide_excess(supply, extra)
    before = volts[-1]
    bench.wait(FIVE_MINUTES_S)
    timed = decide_excess(supply, extra, before_v=before, after_v=read(B_PLUS))
    bench.apply(setting(lifted=("load",)))
    lifted = decide_excess(supply, extra, lifted_v=read(RESERVOIR))
    return at_once.kind, timed.kind, lifted.kind


def leak_trial(seeds: range) -> dict[tuple[str, str], Counter[str]]:
    """Every topology over seeds: what is said of leaks and of overloads, by each reading."""
    said: dict[tuple[str, str], Counter[str]] = {}
    for name in SUPPLIES:
        for leaks in (True, False):
            for seed in seeds:
                kinds = told_apart(name, leaks, seed)
                for when, kind in zip(WHENS, kinds, strict=True):
                    key = ("a leak" if leaks else "an overload", when)
                    said.setdefault(key, Counter())[kind.value] += 1
    return said


WHENS = ("at once", "after five minutes", "with the lead lifted")


def main(count: int = 20, leaks: int = 4) -> None:
    """The tables."""
    for (true, when), kinds in leak_trial(range(leaks)).items():
        words = ", ".join(f"{kind} {times}" for kind, times in kinds.most_common())
        print(f"{true:<12}{when:<22}{words}")
    tally, confused = trial(range(count))
    print(
        f"{tally.total} sets: right {tally.right / tally.total:.1%} (95 % wanted), among the first"
    )
    print(
        f"two {tally.among_two / tally.total:.1%} (99 %), wrong with more than 0.8 claimed "
        f"{tally.boldly_wrong / tally.total:.1%} (at most 3 %)"
    )
    for (true, taken), times in confused.most_common(12):
        print(f"  {true} taken for {taken}: {times}")


if __name__ == "__main__":
    main()
