"""The voltage chart: what each electrode should read, on this line and on this meter.

Scaled to the line, V_read = V_open R_meter / (R_meter + R_source) for the chart's meter and for
ours. Cathode current is Vk/Rk; plate dissipation the plate's current times (Va - Vk).
Source: the loading of a voltmeter and Ohm's law, as in textbooks of radio servicing.
"""

from __future__ import annotations

import math
from dataclasses import dataclass

from glowdial.core.language.verdicts import Window
from glowdial.core.model.circuit import Circuit
from glowdial.core.model.facts import ELECTRODE_TOLERANCE, ChartFigure
from glowdial.core.model.measurands import ELECTRODES
from glowdial.core.physics.operating_point import (
    AmplifierStage,
    Device,
    OperatingPoint,
)
from glowdial.core.physics.supply.circuit import Supply
from glowdial.core.physics.supply.line_current import heater_volts
from glowdial.core.physics.supply.steady import steady_state
from glowdial.core.tracing.stage_network import points_of

TRANSISTOR_NAMES = {"plate": "collector", "cathode": "emitter", "grid": "base"}
HEATER_TOLERANCE = 0.10
METER_RANGES_V = (2.5, 10.0, 50.0, 250.0, 500.0, 1000.0)
NORM_METER_OHM = 10e6
POSITIVE_GRID_V = 0.2
LEAST_SHOWN_V = 0.05
OVER_DISSIPATED = 1.3
SMALL_V, SMALL_TOLERANCE_V = 1.0, 0.2


@dataclass(frozen=True, slots=True)
class ChartLine:
    """One electrode to measure: open-circuit volts at nominal line, and what is behind them."""

    stage: str
    electrode: str
    label: str
    open_v: float
    source_ohm: float
    tolerance: float
    from_sheet: bool

    def read_v(self, line_share: float, meter_ohm: float) -> float:
        """What a meter of that resistance should read with that share of nominal line."""
        return self.open_v * line_share * meter_ohm / (meter_ohm + self.source_ohm)

    def window(self, line_share: float, meter_ohm: float) -> Window:
        """The expected window on this line and meter; a grid may not be positive."""
        nominal = self.read_v(line_share, meter_ohm)
        if self.electrode == "grid" and nominal <= SMALL_V / 2.0:
            slack = max(self.tolerance * abs(nominal), 2.0 * POSITIVE_GRID_V)
            return Window(nominal - slack, nominal + POSITIVE_GRID_V, nominal)
        slack = abs(nominal) * self.tolerance
        if abs(nominal) < SMALL_V:
            slack = max(slack, SMALL_TOLERANCE_V)
        return Window(nominal - slack, nominal + slack, nominal)


def chart_meter_ohm(volts: float, ohm_per_volt: float | None) -> float:
    """Resistance of the chart's meter on the range that such a voltage is read on."""
    if ohm_per_volt is None:
        return math.inf
    fitting = [r for r in METER_RANGES_V if r >= abs(volts)]
    return ohm_per_volt * (fitting[0] if fitting else METER_RANGES_V[-1])


def chart_lines(
    circuit: Circuit,
    supply: Supply | None,
    figures: tuple[ChartFigure, ...],
    ohm_per_volt: float | None,
) -> tuple[ChartLine, ...]:
    """Every electrode worth measuring: the sheet's figures where it gives them, else computed from
    B+ and the resistors; nothing for a stage without either."""
    points = computed_points(circuit, supply) if circuit.stages_given else {}
    lines: list[ChartLine] = []
    for stage in circuit.stages:
        given = {f.electrode: f for f in figures if f.stage == stage.name}
        for electrode in ELECTRODES:
            line = _line(
                stage,
                electrode,
                points.get(stage.name),
                given.get(electrode),
                ohm_per_volt,
                charted=bool(given),
            )
            if line is not None:
                lines.append(line)
    known = {stage.name for stage in circuit.stages}
    lines += [
        _bare(figure)
        for figure in figures
        if figure.stage not in known or figure.electrode not in ELECTRODES
    ]
    return tuple(lines)


def _bare(figure: ChartFigure) -> ChartLine:
    """A figure whose circuit is not known, as a rectifier's or a suppressor's: as it stands."""
    label = f"{figure.stage} {figure.electrode}"
    return ChartLine(
        figure.stage, figure.electrode, label, figure.volts, 0.0, figure.tolerance, from_sheet=True
    )


def computed_points(circuit: Circuit, supply: Supply | None) -> dict[str, OperatingPoint]:
    """Operating points of all stages at nominal line, no signal."""
    if supply is None:
        return {}
    nodes = steady_state(supply, supply.line_v).node_v
    return points_of(circuit.stages, {s.feed: nodes[s.feed] for s in circuit.stages})


def _line(
    stage: AmplifierStage,
    electrode: str,
    point: OperatingPoint | None,
    given: ChartFigure | None,
    ohm_per_volt: float | None,
    *,
    charted: bool,
) -> ChartLine | None:
    source_ohm = _source_ohm(stage, electrode)
    if given is not None:
        meter_ohm = chart_meter_ohm(given.volts, ohm_per_volt)
        open_v = (
            given.volts if math.isinf(meter_ohm) else given.volts * (1 + source_ohm / meter_ohm)
        )
        return ChartLine(
            stage.name,
            electrode,
            _label(stage, electrode),
            open_v,
            source_ohm,
            given.tolerance,
            True,
        )
    if point is None:
        return _coupled_grid(stage, electrode, source_ohm) if charted else None
    volts = {
        "plate": point.plate_v,
        "screen": point.screen_v,
        "cathode": point.cathode_v,
        "grid": point.grid_v,
    }[electrode]
    grid_counts = electrode == "grid" and bool(stage.coupled_from or stage.fixed_bias_v)
    if abs(volts) < LEAST_SHOWN_V and not grid_counts:
        return None
    return ChartLine(
        stage.name,
        electrode,
        _label(stage, electrode),
        volts,
        source_ohm,
        ELECTRODE_TOLERANCE,
        False,
    )


def _coupled_grid(stage: AmplifierStage, electrode: str, source_ohm: float) -> ChartLine | None:
    """The grid behind a coupling capacitor, of a stage whose other volts the sheet gives: nothing
    may stand on it."""
    if electrode != "grid" or not stage.coupled_from:
        return None
    label = _label(stage, electrode)
    return ChartLine(
        stage.name, electrode, label, 0.0, source_ohm, ELECTRODE_TOLERANCE, from_sheet=False
    )


def with_output_grids(
    lines: tuple[ChartLine, ...], circuit: Circuit, outputs: tuple[str, ...]
) -> tuple[ChartLine, ...]:
    """The same with the grid of each output tube that the sheet gives volts of but no circuit: a
    leaking coupling capacitor shows there, and nowhere else so early."""
    added = tuple(
        ChartLine(name, "grid", f"{name} grid", 0.0, 0.0, ELECTRODE_TOLERANCE, from_sheet=False)
        for name in outputs
        if circuit.stage(name) is None
        and any(line.stage == name for line in lines)
        and not any(line.stage == name and line.electrode == "grid" for line in lines)
    )
    return (*lines, *added)


def electrode_name(stage: AmplifierStage, electrode: str) -> str:
    """What an electrode is called on the device that stands there."""
    solid = stage.device is Device.TRANSISTOR
    return TRANSISTOR_NAMES.get(electrode, electrode) if solid else electrode


def _label(stage: AmplifierStage, electrode: str) -> str:
    return f"{stage.name} {electrode_name(stage, electrode)}"


def _source_ohm(stage: AmplifierStage, electrode: str) -> float:
    """Resistance behind an electrode, the device's own beside its resistor."""
    data = stage.typical
    slope = max(data.transconductance_s, 1e-9)
    if electrode == "cathode":
        return 1.0 / (slope + 1.0 / stage.cathode_ohm) if stage.cathode_ohm else 1.0
    if electrode == "grid":
        if stage.device is Device.TRANSISTOR:
            return stage.upper_ohm * stage.lower_ohm / max(stage.upper_ohm + stage.lower_ohm, 1.0)
        return max(stage.grid_leak_ohm, 1.0)
    resistor = stage.plate_ohm if electrode == "plate" else stage.screen_ohm
    if resistor <= 0.0:
        return 1.0
    if electrode == "plate" and stage.device is not Device.TRIODE:
        return resistor
    # the three-halves law's own slope at the controlling electrode: 1.5 I / (V + mu Vg) is about
    # 1.5 I / V less the bias's share
    drive = 1.5 * data.plate_a / slope
    second_v = data.plate_v if electrode == "plate" else data.screen_v
    mu = second_v / max(drive - data.control_v, 1e-3)
    amperes = data.plate_a if electrode == "plate" else data.screen_a
    own = 1.5 * amperes / (drive * mu)
    return 1.0 / (1.0 / resistor + own)


@dataclass(frozen=True, slots=True)
class StageCurrents:
    """Currents and heat of a stage from its volts: cathode and plate in A, plate heat in W."""

    cathode_a: float
    plate_a: float
    plate_w: float


def stage_currents(
    stage: AmplifierStage, feed_v: float, plate_v: float, cathode_v: float, screen_v: float | None
) -> StageCurrents | None:
    """Currents from volts across resistors; None where the cathode has no resistor to read them."""
    if stage.cathode_ohm <= 0.0 or cathode_v <= 0.0:
        return None
    cathode_a = cathode_v / stage.cathode_ohm
    data = stage.typical
    screen_a = cathode_a * data.screen_a / max(data.plate_a + data.screen_a, 1e-12)
    if stage.screen_ohm > 0.0 and screen_v is not None:
        screen_a = max(feed_v - screen_v, 0.0) / stage.screen_ohm
    plate_a = max(cathode_a - screen_a, 0.0)
    plate_w = plate_a * max(plate_v - cathode_v, 0.0)
    return StageCurrents(cathode_a, plate_a, plate_w)


def design_heat_w(stage: AmplifierStage, point: OperatingPoint | None) -> float:
    """Plate heat by design: at the computed point, or at the data-sheet's where none is known."""
    if point is None:
        return stage.typical.plate_a * stage.typical.plate_v
    return point.plate_a * max(point.plate_v - point.cathode_v, 0.0)


def heater_lines(
    circuit: Circuit, set_v: float, nominal_v: float
) -> tuple[tuple[str, Window], ...]:
    """Every heater with its window on this line: a string's volts as its own curve shares them."""
    volts = heater_volts(circuit.heaters, round(set_v, 1), nominal_v)
    return tuple(
        (h.tube, Window(v * (1 - HEATER_TOLERANCE), v * (1 + HEATER_TOLERANCE), v))
        for h, v in zip(circuit.heaters.heaters, volts, strict=True)
    )
