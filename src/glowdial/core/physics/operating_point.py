"""Where a stage stands: volts and currents of a tube or transistor among its resistors.

A tube follows the three-halves-power law through one data-sheet point, I = K (Vg + Vs/mu)^1.5,
with the constant mu from that point's transconductance; a pentode's screen controls it, a triode's
plate. A plate whose load line ends first bottoms there, and a pentode's screen takes the rest.
A transistor has a base divider, a junction voltage and a current gain.
Source: the standard approximation of space-charge-limited tubes, and the bias equations of a
junction transistor, as in textbooks of radio engineering.
Volts are to the common rail; a transistor's are counted from its own rail, whatever its polarity.
"""

from __future__ import annotations

import math
from dataclasses import dataclass
from enum import StrEnum

from scipy.optimize import brentq

from glowdial.core.language.errors import require_positive

BOTTOM_SHARPNESS = 6.0
FINEST_A = 1e-18
GRID_OHM = 2e3
THERMAL_V = 0.0257
OPEN_OHM = 1e9


class Device(StrEnum):
    """What amplifies."""

    TRIODE = "triode"
    PENTODE = "pentode"
    TRANSISTOR = "transistor"


class Role(StrEnum):
    """What a stage does."""

    RF = "RF amplifier"
    MIXER = "mixer"
    OSCILLATOR = "oscillator"
    IF = "IF amplifier"
    DETECTOR = "detector and first audio"
    LIMITER = "limiter"
    DECODER = "stereo decoder"
    OUTPUT = "output"


@dataclass(frozen=True, slots=True)
class TypicalPoint:
    """A device's data-sheet point: plate (collector) and screen, control volts and slope.

    ``control_v`` is the grid's to the cathode (negative), or the base's to the emitter (positive).
    """

    plate_v: float
    plate_a: float
    control_v: float
    transconductance_s: float
    screen_v: float = 0.0
    screen_a: float = 0.0
    current_gain: float = 80.0


@dataclass(frozen=True, slots=True)
class AmplifierStage:
    """A device with the resistors around it, in ohm; 0 where there is none. ``screen_lower_ohm``
    is a divider's, from the screen to the common rail.

    ``upper_ohm`` and ``lower_ohm`` are a transistor's base divider. ``coupled_from`` names the
    stage whose plate a coupling capacitor joins to this grid. ``feed`` is the filter node, 0 the
    reservoir, that the stage is fed from; -1 is the last. ``direct_from`` names the stage whose
    plate or collector this grid or base is joined to without a capacitor; ``screen_with`` the one
    whose screen, resistor and bypass included, this one shares.
    """

    name: str
    role: Role
    device: Device
    typical: TypicalPoint
    plate_ohm: float = 0.0
    screen_ohm: float = 0.0
    cathode_ohm: float = 0.0
    grid_leak_ohm: float = 0.0
    fixed_bias_v: float = 0.0
    upper_ohm: float = 0.0
    lower_ohm: float = 0.0
    coupled_from: str = ""
    feed: int = -1
    on_avc: bool = False
    direct_from: str = ""
    screen_with: str = ""
    screen_lower_ohm: float = 0.0


@dataclass(frozen=True, slots=True)
class Strain:
    """What has gone wrong around one stage; the default is nothing.

    ``strength`` is the share of a new device's emission (or current gain). ``coupling_leak_ohm``
    and ``screen_leak_ohm`` are leakages of the coupling and the screen bypass capacitor. The
    factors are those of the resistors; ``gas_a`` is what the grid drives out, in A, which moves
    whatever its grid's resistor comes back to: only a network of stages tells how far.
    """

    strength: float = 1.0
    coupling_leak_ohm: float = math.inf
    screen_leak_ohm: float = math.inf
    cathode_leak_ohm: float = math.inf
    plate_factor: float = 1.0
    screen_factor: float = 1.0
    cathode_factor: float = 1.0
    grid_factor: float = 1.0
    gas_a: float = 0.0


HEALTHY = Strain()


@dataclass(frozen=True, slots=True)
class OperatingPoint:
    """Electrode volts to the common rail, currents, and the slope at that point."""

    plate_v: float
    screen_v: float
    cathode_v: float
    grid_v: float
    plate_a: float
    screen_a: float
    transconductance_s: float

    @property
    def total_a(self) -> float:
        """What the stage takes from its feed."""
        return self.plate_a + self.screen_a


def operating_point(
    stage: AmplifierStage, feed_v: float, strain: Strain = HEALTHY, *, before_v: float = 0.0
) -> OperatingPoint:
    """Where the stage settles at ``feed_v`` volts of B+ (0 or more).

    ``before_v`` is the plate voltage of the stage that the coupling capacitor comes from.
    """
    if feed_v <= 0.0:
        return OperatingPoint(0.0, 0.0, 0.0, 0.0, 0.0, 0.0, 0.0)
    if stage.device is Device.TRANSISTOR:
        return _transistor(stage, feed_v, strain)
    return _tube(stage, feed_v, strain, before_v)


def _bottomed(wanted_a: float, most_a: float) -> float:
    """The lesser of what the device wants and what its load line allows, rounded at the corner."""
    if wanted_a <= 0.0 or most_a <= 0.0:
        return 0.0
    return wanted_a * math.pow(1.0 + (wanted_a / most_a) ** BOTTOM_SHARPNESS, -1 / BOTTOM_SHARPNESS)


def _bypassed_ohm(resistor_ohm: float, leak_ohm: float) -> float:
    return resistor_ohm if math.isinf(leak_ohm) else 1.0 / (1.0 / resistor_ohm + 1.0 / leak_ohm)


def _tube(stage: AmplifierStage, feed_v: float, strain: Strain, before_v: float) -> OperatingPoint:
    data, triode = stage.typical, stage.device is Device.TRIODE
    total_a = data.plate_a + data.screen_a
    require_positive(plate_a=data.plate_a, transconductance_s=data.transconductance_s)
    plate_share = data.plate_a / total_a
    drive = 1.5 * data.plate_a / data.transconductance_s
    second_v = data.plate_v if triode else data.screen_v
    mu = second_v / max(drive - data.control_v, 1e-3)
    perveance = strain.strength * total_a / drive**1.5
    plate_ohm = stage.plate_ohm * strain.plate_factor
    screen_ohm = stage.screen_ohm * strain.screen_factor
    cathode_ohm = stage.cathode_ohm * strain.cathode_factor
    if cathode_ohm > 0.0:
        cathode_ohm = _bypassed_ohm(cathode_ohm, strain.cathode_leak_ohm)
    grid_open_v, grid_ohm = _grid_source(stage, strain, before_v)

    def at(current_a: float) -> tuple[float, float, float, float, float, float, float]:
        cathode_v = current_a * cathode_ohm
        most_a = (feed_v - cathode_v) / plate_ohm if plate_ohm > 0.0 else math.inf
        plate_a = _bottomed(plate_share * current_a, most_a)
        screen_a = 0.0 if triode else current_a - plate_a
        plate_v = feed_v - plate_a * plate_ohm
        below_ohm = _beside(strain.screen_leak_ohm, stage.screen_lower_ohm)
        screen_v = _screen_v(feed_v, screen_ohm, screen_a, below_ohm)
        grid_v = grid_open_v
        if grid_open_v > cathode_v:
            # a positive grid draws current through whatever pulls it up
            grid_v = cathode_v + (grid_open_v - cathode_v) * GRID_OHM / (GRID_OHM + grid_ohm)
        second = plate_v if triode else screen_v
        effort = grid_v - cathode_v + (second - cathode_v) / mu
        wanted = perveance * max(effort, 0.0) ** 1.5
        return wanted, plate_v, screen_v, cathode_v, grid_v, plate_a, screen_a

    # no effort is greater than with all of the feed on the plate and nothing across the cathode
    most = perveance * (max(grid_open_v, 0.0) + feed_v / mu) ** 1.5
    current = 0.0
    if at(0.0)[0] > 0.0:
        current = brentq(lambda a: at(a)[0] - a, 0.0, 2.0 * most, xtol=FINEST_A)
    _, plate_v, screen_v, cathode_v, grid_v, plate_a, screen_a = at(current)
    slope = 0.0
    if current > 0.0:
        # slope of the law at that current, as far as it still reaches the plate
        effort = (current / perveance) ** (2.0 / 3.0)
        kept = plate_a / max(plate_share * current, 1e-15)
        slope = 1.5 * plate_share * current / effort * kept**BOTTOM_SHARPNESS
    shown_v = 0.0 if triode else screen_v
    return OperatingPoint(plate_v, shown_v, cathode_v, grid_v, plate_a, screen_a, slope)


def _grid_source(stage: AmplifierStage, strain: Strain, before_v: float) -> tuple[float, float]:
    """Open-circuit grid volts and the resistance behind them."""
    leak_ohm = max(stage.grid_leak_ohm * strain.grid_factor, 1.0)
    if not stage.coupled_from or math.isinf(strain.coupling_leak_ohm):
        return -stage.fixed_bias_v, leak_ohm
    share = leak_ohm / (leak_ohm + strain.coupling_leak_ohm)
    open_v = -stage.fixed_bias_v * (1.0 - share) + before_v * share
    return open_v, leak_ohm * strain.coupling_leak_ohm / (leak_ohm + strain.coupling_leak_ohm)


def _beside(leak_ohm: float, lower_ohm: float) -> float:
    """A leak with a divider's lower resistor beside it; 0 ohm is none."""
    if lower_ohm <= 0.0:
        return leak_ohm
    return _bypassed_ohm(lower_ohm, leak_ohm)


def _screen_v(feed_v: float, screen_ohm: float, screen_a: float, leak_ohm: float) -> float:
    if screen_ohm <= 0.0:
        return feed_v
    leak_s = 0.0 if math.isinf(leak_ohm) else 1.0 / leak_ohm
    return max((feed_v / screen_ohm - screen_a) / (1.0 / screen_ohm + leak_s), 0.0)


def _saturated_a(
    feed_v: float, drive_v: float, behind_ohm: float, emitter_ohm: float, collector_ohm: float
) -> float:
    """The collector current with no volts left across the transistor: Kirchhoff's law around the
    collector and around the base, whose current runs through the emitter resistor as well."""
    loop_ohm = collector_ohm + emitter_ohm
    if loop_ohm <= 0.0:
        return math.inf
    alone_a = feed_v / loop_ohm
    if drive_v <= alone_a * emitter_ohm:
        return alone_a
    share = emitter_ohm / (behind_ohm + emitter_ohm)
    return max(feed_v - drive_v * share, 0.0) / (loop_ohm - emitter_ohm * share)


def _transistor(stage: AmplifierStage, feed_v: float, strain: Strain) -> OperatingPoint:
    data = stage.typical
    gain = max(data.current_gain * strain.strength, 1e-3)
    upper = max(stage.upper_ohm, 1.0)
    lower = max(stage.lower_ohm * strain.grid_factor, 1.0)
    emitter_ohm = stage.cathode_ohm * strain.cathode_factor
    collector_ohm = stage.plate_ohm * strain.plate_factor
    open_v, behind_ohm = feed_v * lower / (upper + lower), upper * lower / (upper + lower)
    if strain.strength <= 0.0:
        return OperatingPoint(feed_v, 0.0, 0.0, open_v, 0.0, 0.0, 0.0)
    drive_v = max(open_v - data.control_v, 0.0)
    active_a = gain * drive_v / (behind_ohm + (gain + 1.0) * emitter_ohm)
    collector_a = _bottomed(
        active_a, _saturated_a(feed_v, drive_v, behind_ohm, emitter_ohm, collector_ohm)
    )
    # what the collector does not take the base does: a bottomed transistor pulls its base down
    base_a = max(drive_v - collector_a * emitter_ohm, 0.0) / (behind_ohm + emitter_ohm)
    emitter_v = (collector_a + base_a) * emitter_ohm
    return OperatingPoint(
        plate_v=feed_v - collector_a * collector_ohm,
        screen_v=0.0,
        cathode_v=emitter_v,
        grid_v=open_v - base_a * behind_ohm,
        plate_a=collector_a,
        screen_a=0.0,
        transconductance_s=collector_a / THERMAL_V,
    )
