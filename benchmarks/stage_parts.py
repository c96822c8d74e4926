"""Which part of a stage explains its volts: seeded faults in stages solved by other laws.

Stages of five kinds, healthy spread on everything, two meters, 2 % noise on every reading.
"""

from __future__ import annotations

import argparse
import math
from collections.abc import Callable
from dataclasses import dataclass

import numpy as np

from benchmarks.other_laws import Sick, solve
from glowdial.core.physics.operating_point import AmplifierStage, Device, Role, TypicalPoint
from glowdial.core.tracing.stage_checks import after_check, proposed_check
from glowdial.core.tracing.stage_faults import (
    HEALTHY,
    SURE,
    StageFindings,
    StageReading,
    explain,
)
from glowdial.core.tracing.stage_network import stage_network

IF_TUBE = AmplifierStage(
    "V2",
    Role.IF,
    Device.PENTODE,
    TypicalPoint(250.0, 0.009, -3.0, 2e-3, 100.0, 0.0026),
    plate_ohm=2200.0,
    screen_ohm=60e3,
    cathode_ohm=270.0,
    grid_leak_ohm=1e6,
)
FIRST_AUDIO = AmplifierStage(
    "V3",
    Role.DETECTOR,
    Device.TRIODE,
    TypicalPoint(100.0, 0.0008, -1.0, 1.2e-3),
    plate_ohm=220e3,
    cathode_ohm=2200.0,
    grid_leak_ohm=1e6,
)
OUTPUT_TUBE = AmplifierStage(
    "V4",
    Role.OUTPUT,
    Device.PENTODE,
    TypicalPoint(250.0, 0.036, -7.0, 9e-3, 250.0, 0.004),
    plate_ohm=420.0,
    screen_ohm=1000.0,
    cathode_ohm=170.0,
    grid_leak_ohm=470e3,
    coupled_from="V3",
)
IF_TRANSISTOR = AmplifierStage(
    "Q2",
    Role.IF,
    Device.TRANSISTOR,
    TypicalPoint(15.0, 0.001, 0.2, 0.038, current_gain=70.0),
    plate_ohm=470.0,
    cathode_ohm=1000.0,
    upper_ohm=68e3,
    lower_ohm=6800.0,
)
AUDIO_TRANSISTOR = AmplifierStage(
    "Q4",
    Role.DETECTOR,
    Device.TRANSISTOR,
    TypicalPoint(9.0, 0.0018, 0.2, 0.07, current_gain=70.0),
    plate_ohm=3300.0,
    cathode_ohm=1500.0,
    upper_ohm=33e3,
    lower_ohm=8200.0,
)
FEEDS_V = {"V2": 250.0, "V3": 250.0, "V4": 250.0, "Q2": 18.0, "Q4": 18.0}
STAGES = (IF_TUBE, FIRST_AUDIO, OUTPUT_TUBE, IF_TRANSISTOR, AUDIO_TRANSISTOR)
RANGES_V = (0.5, 2.5, 10.0, 50.0, 250.0, 500.0)
OLD_RESISTOR, OLD_DEVICE, NOISE = 0.20, 0.15, 0.02
HEALTHY_SAMPLES = 150


@dataclass(frozen=True)
class Fault:
    """A part that failed, in the words of what is to be found, and what it makes of the stage."""

    part: str
    element: str
    sick: Sick


def _risen(rng: np.random.Generator) -> float:
    return 1e5 if rng.random() < 0.25 else float(math.exp(rng.uniform(math.log(1.7), math.log(12))))


def faults_of(stage: AmplifierStage) -> dict[str, Callable[[np.random.Generator], Fault]]:
    """How each part may be drawn to fail."""
    name = stage.name
    solid = stage.device is Device.TRANSISTOR
    device = f"{'transistor' if solid else 'tube'} {name}"
    made: dict[str, Callable[[np.random.Generator], Fault]] = {}

    def resistor(key: str, label: str) -> None:
        made[key] = lambda rng: Fault(
            f"{name}'s {label}", f"{name} {key}", Sick({key: _risen(rng)})
        )

    def leak(key: str, label: str, low: float, high: float) -> None:
        def draw(rng: np.random.Generator) -> Fault:
            ohm = math.exp(rng.uniform(math.log(low), math.log(high)))
            return Fault(f"{name}'s {label}", f"{name} {key}", Sick(leaks={key: ohm}))

        made[key] = draw

    def weak(rng: np.random.Generator) -> Fault:
        left = 1e-3 if rng.random() < 0.2 else float(rng.uniform(0.08, 0.55))
        return Fault(device, f"{name} device", Sick({"device": left}))

    made["device"] = weak
    if stage.plate_ohm > 500.0:
        resistor("plate", "collector resistor" if solid else "plate resistor")
    if stage.cathode_ohm:
        resistor("cathode", "emitter resistor" if solid else "cathode resistor")
        r = stage.cathode_ohm
        leak("cathode bypass", "emitter bypass" if solid else "cathode bypass", r / 100, r)
    if stage.device is Device.PENTODE and stage.screen_ohm > 5e3:
        resistor("screen", "screen resistor")
        leak("screen bypass", "screen bypass", stage.screen_ohm / 50, 2 * stage.screen_ohm)
    if stage.coupled_from:
        leak("coupling", "coupling capacitor", 1e5, 1.5e7)
    if solid:
        resistor("upper", "upper base resistor")
        resistor("lower", "lower base resistor")
        r = stage.plate_ohm

        def shorted(rng: np.random.Generator) -> Fault:
            ohm = math.exp(rng.uniform(math.log(r / 10), math.log(8 * r)))
            return Fault(device, f"{name} across", Sick(leaks={"across": ohm}))

        def leaky(rng: np.random.Generator) -> Fault:
            return Fault(device, f"{name} leakage", Sick(stray_a=float(rng.uniform(2e-5, 3e-4))))

        made["across"], made["leakage"] = shorted, leaky
    return made


def aged_parts(stage: AmplifierStage, rng: np.random.Generator) -> Sick:
    """Everything of a healthy old stage a little off."""
    keys = ("plate", "screen", "cathode", "grid", "upper", "lower")
    factors = {k: float(math.exp(rng.normal(0.0, OLD_RESISTOR))) for k in keys}
    factors["device"] = float(math.exp(rng.normal(0.0, OLD_DEVICE)))
    return Sick(factors, stray_a=2e-6 if stage.device is Device.TRANSISTOR else 0.0)


def both(aged: Sick, fault: Sick) -> Sick:
    """A fault in an aged stage."""
    factors = dict(aged.factors)
    for key, factor in fault.factors.items():
        # the size of a fault is counted from nominal: the spread of a part is none of a broken one
        factors[key] = factor
    return Sick(factors, fault.leaks, aged.stray_a + fault.stray_a)


@dataclass(frozen=True)
class Bench:
    """A stage in its set: what is read of it, and how."""

    stage: AmplifierStage
    before: AmplifierStage | None

    @property
    def electrodes(self) -> tuple[str, ...]:
        screen = ("screen",) if self.stage.device is Device.PENTODE else ()
        return ("plate", *screen, "cathode", "grid")

    def read(
        self, sick: Sick, feed_v: float, ohm_per_volt: float | None, rng: np.random.Generator
    ) -> list[StageReading]:
        """Every electrode and the feed with a meter of 10 Mohm or of so many ohm per volt."""
        before_v, before_ohm = 0.0, 0.0
        if self.before is not None:
            well = solve(self.before, feed_v, Sick())
            before_v, before_ohm = well["plate"], 65e3
        bare = solve(self.stage, feed_v, sick, before_v, before_ohm)
        found = []
        electrodes = self.electrodes + (("before",) if self.before else ())
        for electrode in electrodes:
            meter = _meter(bare[electrode], ohm_per_volt)
            read = solve(self.stage, feed_v, sick, before_v, before_ohm, meter=(electrode, meter))
            volts = read[electrode] * (1.0 + float(rng.normal(0.0, NOISE)))
            volts += float(rng.normal(0.0, 0.01))
            name, at = self.stage.name, electrode
            if electrode == "before" and self.before is not None:
                name, at = self.before.name, "plate"
            found.append(StageReading(name, at, volts, meter))
        fed = feed_v * (1.0 + float(rng.normal(0.0, NOISE)))
        return [*found, StageReading(self.stage.name, "feed", fed, 10e6)]


def _meter(volts: float, ohm_per_volt: float | None) -> float:
    if ohm_per_volt is None:
        return 10e6
    return ohm_per_volt * next((r for r in RANGES_V if r >= abs(volts)), RANGES_V[-1])


def bench_of(stage: AmplifierStage) -> Bench:
    before = FIRST_AUDIO if stage.coupled_from == "V3" else None
    return Bench(stage, before)


def found_for(bench: Bench, readings: list[StageReading]) -> StageFindings:
    """What the core makes of it: it knows the sheet's values and the feed's nominal volts."""
    stages = (bench.before, bench.stage) if bench.before else (bench.stage,)
    placed = stage_network(stages, {-1: FEEDS_V[bench.stage.name]})
    return explain(placed, readings)


def healthy_range(bench: Bench, ohm_per_volt: float | None, seed: int) -> np.ndarray:
    """The 95 % range of each reading over healthy old stages, shape (2, readings)."""
    rng = np.random.default_rng(seed)
    rows = []
    for _ in range(HEALTHY_SAMPLES):
        feed_v = FEEDS_V[bench.stage.name] * float(rng.uniform(0.95, 1.05))
        taken = bench.read(aged_parts(bench.stage, rng), feed_v, ohm_per_volt, rng)
        rows.append([r.volts for r in taken])
    return np.percentile(np.array(rows), [2.5, 97.5], axis=0)


@dataclass
class Score:
    """What came out."""

    tried: int = 0
    first: int = 0
    named: int = 0
    held: int = 0
    size: int = 0
    checked: int = 0
    sure_wrong: int = 0

    def add(self, truth: Fault, found: StageFindings, after: StageFindings) -> None:
        # "nothing wrong" is no part: who looks for one asks for the first part
        parts = [p for p, _ in found.parts if p != HEALTHY]
        left = [p for p, _ in after.parts if p != HEALTHY]
        named = found.named
        self.tried += 1
        self.first += parts[0] == truth.part
        self.size += len(named)
        self.named += len(named) <= 3
        self.held += truth.part in named and len(named) <= 3
        self.checked += left[0] == truth.part
        top, share = found.parts[0]
        self.sure_wrong += share >= SURE and top != truth.part

    def print(self, name: str) -> None:
        n = self.tried
        print(
            f"  {name:<12}{n:4d} faults: first {self.first / n:6.1%}, in a class of at most 3 "
            f"{self.held / n:6.1%} (mean size {self.size / n:.2f}), after the check "
            f"{self.checked / n:6.1%}, sure and wrong {self.sure_wrong / n:6.1%}"
        )


def run(faults: int, healthy: int, *, tell: bool = False) -> None:
    whole, meters = Score(), (None, 20e3)
    scores = {s.name: Score() for s in STAGES}
    ranges = {(s.name, m): healthy_range(bench_of(s), m, 11) for s in STAGES for m in meters}
    rng = np.random.default_rng(4)
    while whole.tried < faults:
        stage = STAGES[whole.tried % len(STAGES)]
        bench, meter = bench_of(stage), meters[(whole.tried // len(STAGES)) % 2]
        ways = faults_of(stage)
        truth = ways[list(ways)[int(rng.integers(len(ways)))]](rng)
        feed_v = FEEDS_V[stage.name] * float(rng.uniform(0.95, 1.05))
        sick = both(aged_parts(stage, rng), truth.sick)
        taken = bench.read(sick, feed_v, meter, rng)
        low, high = ranges[stage.name, meter]
        volts = np.array([r.volts for r in taken])
        if not np.any((volts < low) | (volts > high)):
            continue
        found = found_for(bench, taken)
        check = proposed_check(found)
        after = found
        if check is not None:
            positive = check.fault.element == truth.element or check.fault.part == truth.part
            if rng.random() < 0.02:
                positive = not positive
            after = after_check(found, check, positive=positive)
        whole.add(truth, found, after)
        scores[stage.name].add(truth, found, after)
        first = next(p for p, _ in found.parts if p != HEALTHY)
        if tell and first != truth.part:
            shown = [(r.electrode, round(r.volts, 2)) for r in taken]
            print(truth, shown, [(p, round(s, 2)) for p, s in found.parts[:4]])
    for name, score in scores.items():
        score.print(name)
    whole.print("all")
    quiet = 0
    for n in range(healthy):
        stage = STAGES[n % len(STAGES)]
        bench = bench_of(stage)
        feed_v = FEEDS_V[stage.name] * float(rng.uniform(0.95, 1.05))
        taken = bench.read(aged_parts(stage, rng), feed_v, meters[n // len(STAGES) % 2], rng)
        found = found_for(bench, taken)
        loud = [p for p, share in found.parts if share > 0.5 and p != HEALTHY]
        quiet += not loud
        if tell and loud:
            print("healthy", stage.name, [(r.electrode, round(r.volts, 2)) for r in taken], loud)
    print(f"  of {healthy} healthy stages {quiet / healthy:.1%} show nothing above one in two")


def main() -> None:
    parser = argparse.ArgumentParser()
    parser.add_argument("--faults", type=int, default=400)
    parser.add_argument("--healthy", type=int, default=200)
    parser.add_argument("--tell", action="store_true")
    given = parser.parse_args()
    run(given.faults, given.healthy, tell=given.tell)


if __name__ == "__main__":
    main()
