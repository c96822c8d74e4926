"""Power in a simulated set: line, limiter lamp, heaters, rectifier, filters, what is drawn."""

from __future__ import annotations

import math
from collections.abc import Hashable
from dataclasses import dataclass, replace
from functools import cached_property

import numpy as np
from numpy.typing import NDArray

from glowdial.core.model.facts import ReceiverFacts
from glowdial.core.physics.heaters import (
    DIRECT_TIME_S,
    INDIRECT_TIME_S,
    LOSS_EXPONENT,
    Heater,
    HeaterString,
    emission_share,
    resistance_share,
    settled_theta,
)
from glowdial.core.physics.operating_point import OperatingPoint
from glowdial.core.physics.supply.circuit import (
    RectifierKind,
    Supply,
    Waveform,
    with_dead_half,
)
from glowdial.core.physics.supply.limiter import Lamp, limited_v
from glowdial.core.physics.supply.line_current import with_rectifier_a
from glowdial.core.physics.supply.rampup import warming_state
from glowdial.core.physics.supply.series_resistor import ResistorPlace, on_silicon
from glowdial.core.physics.supply.steady import SupplyPoint
from glowdial.sim.condition import (
    Condition,
    FilterFault,
    HeaterFault,
    RectifierFault,
    leak_or_never,
)
from glowdial.sim.remembered import Remembered
from glowdial.sim.stage_strains import drawn_share, operating_points
from glowdial.sim.state import BenchState

Floats = NDArray[np.float64]
Points = dict[str, OperatingPoint]
LEAST_V = 0.5
IDLE_SHARE = 1e-3
NORM_HEATERS = (Heater("heaters", 6.3, 1.5), Heater("rectifier", 5.0, 2.0, rectifier=True))
# what stays connected when the load is taken off for a reading
LOAD = "load"


@dataclass(frozen=True, slots=True)
class PowerPoint:
    """What stands at one moment: volts at the set, nodes, ripple, currents, stages."""

    set_v: float
    node_v: tuple[float, ...]
    ripple_v: tuple[float, ...]
    line_a: float
    theta: tuple[float, ...]
    warm: float
    points: dict[str, OperatingPoint]

    @property
    def b_plus_v(self) -> float:
        """The last node."""
        return self.node_v[-1]


def _load_of(state: BenchState) -> Hashable:
    """What of a state counts for the supply and what it feeds, but volts and heat."""
    return (
        tuple(sorted(state.healed.items())),
        state.lifted,
        state.series_ohm,
        state.series_behind,
        state.avc_clamp_v is not None,
    )


class Power:
    """One set's power as a function of how it stands."""

    def __init__(self, facts: ReceiverFacts, condition: Condition) -> None:
        self._facts, self._condition = facts, condition
        self._points: Remembered[PowerPoint] = Remembered(4)
        self._loaded: Remembered[tuple[SupplyPoint, Points]] = Remembered(16)
        self._unloaded: Remembered[Points] = Remembered(4)

    @cached_property
    def heaters(self) -> tuple[Heater, ...]:
        """The sheet's heaters, or a norm's; transistors have none."""
        supply = self._facts.supply
        if supply is not None and not supply.load.heated and not supply.rectifier.kind.heated:
            return ()
        return self._facts.circuit.heaters.heaters or NORM_HEATERS

    @cached_property
    def _times_s(self) -> tuple[float, ...]:
        # no two tubes warm alike
        rng = np.random.default_rng((self._condition.seed, 11))
        return tuple(
            (DIRECT_TIME_S if h.direct else INDIRECT_TIME_S) * float(rng.uniform(0.8, 1.25))
            for h in self.heaters
        )

    def open_tubes(self, state: BenchState) -> set[str]:
        """Heaters that conduct no more."""
        own = {f.tube for f in self._condition.faults if isinstance(f, HeaterFault)}
        return own | set(state.burnt)

    def string(self) -> HeaterString | None:
        """The heaters as a series string, if that is what they are."""
        if not self._facts.circuit.heaters.in_series:
            return None
        return HeaterString(
            tuple(h.volts for h in self.heaters),
            tuple(h.amperes for h in self.heaters),
            self._times_s,
            self._facts.circuit.heaters.dropper_ohm * self._condition.dropper,
        )

    def settled_heat(self, set_v: float, state: BenchState) -> Floats:
        """Heater temperatures at rest."""
        broken = self.open_tubes(state)
        string = self.string()
        if string is not None:
            # one open heater opens them all
            return string.settled(0.0 if broken else set_v)
        share = np.full(len(self.heaters), set_v / self._nominal_v)
        alive = np.array([h.tube not in broken for h in self.heaters])
        return settled_theta(np.where(alive, share, 0.0))

    def warmed(self, theta: Floats, set_v: float, state: BenchState, step_s: float) -> Floats:
        """Heater temperatures ``step_s`` later, the set's volts steady meanwhile; a set of
        transistors has none."""
        if not self.heaters:
            return theta
        broken = self.open_tubes(state)
        string = self.string()
        if string is not None:
            return string.step(0.0 if broken else set_v, theta, step_s)
        alive = np.array([h.tube not in broken for h in self.heaters])
        power = np.where(alive, (set_v / self._nominal_v) ** 2, 0.0)
        times = np.array(self._times_s)
        if step_s > 40.0 * float(times.max()):
            return self.settled_heat(set_v, state)

        def slope(at: Floats) -> Floats:
            hot = np.maximum(at, 0.0)
            return np.asarray((power / resistance_share(hot) - hot**LOSS_EXPONENT) / times)

        parts = max(1, math.ceil(4.0 * step_s / float(times.min())))
        h = step_s / parts
        for _ in range(parts):
            a = slope(theta)
            b = slope(theta + 0.5 * h * a)
            c = slope(theta + 0.5 * h * b)
            theta = theta + h / 6.0 * (a + 2.0 * b + 2.0 * c + slope(theta + h * c))
        return np.maximum(theta, 0.0)

    @property
    def _nominal_v(self) -> float:
        supply = self._facts.supply
        return supply.line_v if supply else (self._facts.line_v or 230.0)

    def at(self, state: BenchState) -> PowerPoint:
        """What stands now; the same question twice is answered once."""
        key = (
            state.line_v,
            state.lamp_w,
            state.moving.theta if state.moving else None,
            state.burnt,
            _load_of(state),
        )
        return self._points.get(key, lambda: self._find(state))

    def _find(self, state: BenchState) -> PowerPoint:
        if state.line_v <= 0.0:
            return self._solve(0.0, state)
        if state.lamp_w <= 0.0:
            return self._solve(state.line_v, state)
        lamp = Lamp(state.lamp_w, self._nominal_v)
        left = limited_v(state.line_v, lamp, lambda v: self._solve(v, state).line_a)
        return self._solve(left, state)

    def _solve(self, behind_v: float, state: BenchState) -> PowerPoint:
        """At volts behind the lamp. The line's resistance drops what the heaters draw, and stands
        in series with the rectifier."""
        # a hundredth of a volt is finer than any meter, and lets the solution be remembered
        inside_v = round(behind_v, 2)
        theta = self._theta(inside_v, state)
        heat_a = self._heat_a(inside_v, theta)
        inside_v = round(max(inside_v - self._condition.line_ohm * heat_a, 0.0), 2)
        theta = self._theta(inside_v, state)
        point = self._inside(inside_v, theta, state)
        left_v = max(behind_v - self._condition.line_ohm * point.line_a, 0.0)
        return replace(point, set_v=left_v)

    def _theta(self, set_v: float, state: BenchState) -> Floats:
        supply = self._facts.supply
        if supply is not None and supply.waveform is Waveform.BATTERY:
            # the filaments have an accumulator of their own, joined first
            set_v = self._nominal_v if set_v > 0.0 else 0.0
            return self.settled_heat(set_v, state)
        return np.array(state.moving.theta) if state.moving else self.settled_heat(set_v, state)

    def _inside(self, set_v: float, theta: Floats, state: BenchState) -> PowerPoint:
        emission = [emission_share(float(t)) for t in theta]
        rectifier = [e for e, h in zip(emission, self.heaters, strict=True) if h.rectifier]
        others = [e for e, h in zip(emission, self.heaters, strict=True) if not h.rectifier]
        warm = sum(others) / len(others) if others else min(emission, default=1.0)
        supply = self._facts.supply
        if supply is None:
            share = set_v / self._nominal_v
            volts = (235.0 * share,)
            clamped = state.avc_clamp_v is not None
            points = self._unloaded.get(
                (volts, warm, clamped),
                lambda: operating_points(
                    self._facts, self._condition, volts, warm, clamped=clamped
                ),
            )
            return PowerPoint(set_v, volts, (0.0,), 0.0, tuple(theta), warm, points)
        # finer than any meter, and lets the solution be remembered
        cathode, others_warm = round(min(rectifier, default=1.0), 5), round(warm, 5)
        found, points = self._loaded.get(
            (set_v, cathode, others_warm, _load_of(state)),
            lambda: self._rectified(supply, set_v, cathode, others_warm, state),
        )
        return PowerPoint(
            set_v,
            found.node_v,
            found.ripple_v,
            with_rectifier_a(supply, set_v, found, self._heat_a(set_v, theta)),
            tuple(float(t) for t in theta),
            warm,
            points,
        )

    def _rectified(
        self, supply: Supply, set_v: float, rectifier: float, warm: float, state: BenchState
    ) -> tuple[SupplyPoint, Points]:
        condition, worn = self._condition, self.worn(supply, state)
        ratio = supply.secondary_v / supply.line_v
        worn = replace(worn, source_ohm=worn.source_ohm + condition.line_ohm * ratio**2)
        drawn, points = 1.0, {}
        for _ in range(2):
            load = replace(
                worn.load, current_a=worn.load.current_a * condition.load * round(drawn, 4)
            )
            found = warming_state(
                replace(worn, load=load),
                set_v if set_v > LEAST_V else 0.0,
                rectifier=rectifier,
                load=warm,
                emission=condition.emission,
            )
            clamped = state.avc_clamp_v is not None
            points = operating_points(self._facts, condition, found.node_v, warm, clamped=clamped)
            share = drawn_share(self._facts, condition, found.node_v)
            if abs(share - drawn) < 2e-3:
                break
            drawn = share
        return found, points

    def worn(self, supply: Supply, state: BenchState) -> Supply:
        """The supply as age has left it."""
        condition = self._condition
        worn = replace(supply, reservoir_f=supply.reservoir_f * condition.filters)
        for fault in condition.faults:
            if isinstance(fault, RectifierFault):
                worn = _aged(worn, fault)
            if isinstance(fault, FilterFault):
                worn = _leaky(worn, fault, state.healed.get(str(fault.place), 0.0))
        if state.series_ohm is not None:
            place = ResistorPlace.BEHIND if state.series_behind else ResistorPlace.AHEAD
            worn = on_silicon(worn, state.series_ohm, place)
        if LOAD in state.lifted:
            idle_a = IDLE_SHARE * supply.load.current_a
            idle = replace(worn.load, current_a=idle_a, string_a=0.0)
            worn = replace(worn, load=idle)
        return worn

    def healed(self, state: BenchState, step_s: float) -> dict[str, float]:
        """What voltage mends of the filters' leakage in ``step_s``: as fast as there are volts."""
        healed = dict(state.healed)
        supply = self._facts.supply
        for fault in self._condition.faults:
            if isinstance(fault, FilterFault) and fault.reforms_in_s and supply is not None:
                volts = self.at(state).node_v[fault.place] / supply.load.nominal_v
                key, rate = str(fault.place), max(volts, 0.0) / fault.reforms_in_s
                left = (1.0 - healed.get(key, 0.0)) * math.exp(-rate * step_s)
                healed[key] = round(1.0 - left, 9)
        return healed

    def heater_v(self, state: BenchState) -> dict[str, float]:
        """Volts across every heater as it stands, by tube."""
        found = self.at(state)
        theta = np.array(found.theta)
        string = self.string()
        broken = self.open_tubes(state)
        if string is None:
            share = np.full(len(self.heaters), found.set_v / self._nominal_v)
            if self._facts.supply and self._facts.supply.waveform is Waveform.BATTERY:
                share[:] = 1.0 if found.set_v > 0.0 else 0.0
        elif broken:
            # the whole line stands across the open one
            share = np.array([found.set_v / h.volts * (h.tube in broken) for h in self.heaters])
        else:
            share, _ = string.share_v(found.set_v, theta)
        return {h.tube: float(s) * h.volts for h, s in zip(self.heaters, share, strict=True)}

    def _heat_a(self, set_v: float, theta: Floats) -> float:
        """What the heaters draw from the line, RMS."""
        if set_v <= 0.0:
            return 0.0
        string = self.string()
        if string is not None:
            return string.share_v(set_v, theta)[1]
        hot_w = np.array([h.volts * h.amperes for h in self.heaters])
        watts = np.square(set_v / self._nominal_v) * hot_w / resistance_share(theta)
        return float(np.sum(watts)) / set_v


def _aged(supply: Supply, fault: RectifierFault) -> Supply:
    rectifier = supply.rectifier
    if rectifier.kind is RectifierKind.SELENIUM:
        rectifier = replace(rectifier, resistance_ohm=rectifier.resistance_ohm * fault.age)
    weak_ohm = rectifier.resistance_ohm * (fault.half_age - 1.0)
    worn = replace(supply, rectifier=rectifier, weak_half_ohm=weak_ohm)
    return with_dead_half(worn) if fault.half_dead else worn


def _leaky(supply: Supply, fault: FilterFault, healed: float) -> Supply:
    leak_ohm = leak_or_never(fault.leak_ohm) / max(1.0 - healed, 1e-6)
    capacity = max(fault.capacity, 1e-4)
    if fault.place == 0:
        return replace(
            supply,
            reservoir_f=supply.reservoir_f * capacity,
            reservoir_leak_ohm=leak_ohm,
            reservoir_series_ohm=fault.series_ohm,
        )
    sections = list(supply.sections)
    old = sections[fault.place - 1]
    sections[fault.place - 1] = replace(
        old,
        capacitance_f=old.capacitance_f * capacity,
        leak_ohm=leak_ohm,
        series_ohm=fault.series_ohm,
    )
    return replace(supply, sections=tuple(sections))
