"""What a supply shows while the line is brought up: warm-up, windows per step, and wear.

A tube rectifier gives nothing until its heater is warm, gradually between 45 and 65 % of line; the
load is cold too. A reading is judged settled, against the band between an early and a late
warm-up, widened by the tolerance.
"""

from __future__ import annotations

from dataclasses import dataclass
from enum import StrEnum

import numpy as np

from glowdial.core.language.verdicts import Window
from glowdial.core.physics.supply.circuit import RectifierKind, Supply, Waveform
from glowdial.core.physics.supply.steady import SupplyPoint, steady_state

RAMP_FRACTIONS = (0.25, 0.40, 0.55, 0.70, 0.85, 1.00)
WARM_FROM, WARM_TO = 0.45, 0.65
WARM_DOUBT = 0.05
SURELY_COLD_BELOW, SURELY_WARM_FROM = 0.40, 0.70
SUPPLY_TOLERANCE = 0.10
STRIKES_AT = 0.5
COLD_FLOOR_V = 5.0
TIRED_BELOW = 0.6


def warmth(line_fraction: float) -> float:
    """Share of full emission of a settled heater at a fraction of line: 0 cold, 1 warm.

    Rises smoothly from 45 to 65 % of nominal line (the handbook's default band).
    """
    x = min(max((line_fraction - WARM_FROM) / (WARM_TO - WARM_FROM), 0.0), 1.0)
    return x * x * (3.0 - 2.0 * x)


class RampPhase(StrEnum):
    """Where the heaters are."""

    COLD = "cold"
    WARMING = "warming"
    WARM = "warm"


def phase(line_fraction: float) -> RampPhase:
    """Cold, warming or warm at a fraction of nominal line, with the doubt of the band counted."""
    if line_fraction < SURELY_COLD_BELOW:
        return RampPhase.COLD
    return RampPhase.WARM if line_fraction >= SURELY_WARM_FROM else RampPhase.WARMING


@dataclass(frozen=True, slots=True)
class RampExpectation:
    """What B+ should be at one line voltage: the typical point, the window, and why."""

    point: SupplyPoint
    window: Window
    phase: RampPhase


def expectation(supply: Supply, line_v: float) -> RampExpectation:
    """Expected B+ at the last filter node for a settled reading at ``line_v`` (V RMS)."""
    fraction = line_v / supply.line_v
    heated = supply.load.heated or supply.rectifier.kind.heated
    if supply.waveform is Waveform.BATTERY or not heated:
        # filaments on a battery of their own are hot before high tension is joined
        return _always_warm(supply, line_v)
    typical = warming_state(supply, line_v, rectifier=warmth(fraction), load=warmth(fraction))
    stage = phase(fraction)
    volts = typical.node_v[-1]
    if stage is RampPhase.WARM:
        window = Window(volts * (1 - SUPPLY_TOLERANCE), volts * (1 + SUPPLY_TOLERANCE), volts)
        return RampExpectation(typical, window, stage)
    if supply.rectifier.kind.heated and stage is RampPhase.COLD:
        return RampExpectation(typical, Window(0.0, COLD_FLOOR_V, 0.0), stage)
    late, early = warmth(fraction - WARM_DOUBT), warmth(fraction + WARM_DOUBT)
    # lowest: rectifier late and load early; highest: the other way round
    low = warming_state(supply, line_v, rectifier=late, load=early).node_v[-1] * (
        1 - SUPPLY_TOLERANCE
    )
    high = warming_state(supply, line_v, rectifier=early, load=late).node_v[-1] * (
        1 + SUPPLY_TOLERANCE
    )
    return RampExpectation(typical, Window(low, max(high, COLD_FLOOR_V), volts), stage)


def _always_warm(supply: Supply, line_v: float) -> RampExpectation:
    point = steady_state(supply, line_v)
    volts = point.node_v[-1]
    window = Window(volts * (1 - SUPPLY_TOLERANCE), volts * (1 + SUPPLY_TOLERANCE), volts)
    return RampExpectation(point, window, RampPhase.WARM)


def warming_state(
    supply: Supply, line_v: float, *, rectifier: float, load: float, emission: float = 1.0
) -> SupplyPoint:
    """Settled state with the rectifier's heater and the load's warm to the shares given (0 to 1).

    A vacuum rectifier's emission follows its heater; a gas-filled one strikes half warm; the others
    have no heater. ``emission`` is what wear has left of a vacuum rectifier.
    """
    share = 1.0
    load = load if supply.load.heated else 1.0
    if supply.rectifier.kind is RectifierKind.VACUUM:
        share = rectifier * emission
    elif supply.rectifier.kind is RectifierKind.GAS and rectifier < STRIKES_AT:
        share = 0.0
    return steady_state(supply, line_v, emission=share, warmth=load)


@dataclass(frozen=True, slots=True)
class RectifierWear:
    """Emission as a share of the data sheet's that fits the warm readings best, and what is left.

    ``residual_v`` is the RMS misfit. ``shortfall_v`` is what the wear costs at the highest line
    voltage read. A heavier load fits as well as a worn rectifier when only B+ is known.
    """

    emission: float
    residual_v: float
    shortfall_v: float

    @property
    def tired(self) -> bool:
        """Below 60 % of new emission (default)."""
        return self.emission < TIRED_BELOW


def fit_wear(supply: Supply, readings: tuple[tuple[float, float], ...]) -> RectifierWear | None:
    """Fit a vacuum rectifier's emission to (line V, B+ V) readings; None with no warm reading.

    Only readings taken warm (70 % of line and above) count.
    """
    from scipy.optimize import minimize_scalar  # late: it costs the first page half a second

    warm = [(ac, b) for ac, b in readings if phase(ac / supply.line_v) is RampPhase.WARM]
    if not warm or supply.rectifier.kind is not RectifierKind.VACUUM:
        return None

    def misfit(log_emission: float) -> float:
        share = float(np.exp(log_emission))
        errors = [steady_state(supply, ac, emission=share).node_v[-1] - b for ac, b in warm]
        return float(np.mean(np.square(errors)))

    best = minimize_scalar(misfit, bounds=(np.log(0.02), np.log(2.0)), options={"xatol": 1e-3})
    share = float(np.exp(best.x))
    top = max(ac for ac, _ in warm)
    fresh = steady_state(supply, top).node_v[-1]
    worn = steady_state(supply, top, emission=share).node_v[-1]
    return RectifierWear(share, float(np.sqrt(best.fun)), fresh - worn)
