"""Sums of tuned circuits: tracking, a coupled pair, a dial's correction."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np

from glowdial.core.journey.entry import Entry
from glowdial.core.journey.steps import Field, Plot, PlotLine
from glowdial.core.language.quantities import (
    CAPACITANCE,
    DURATION,
    FREQUENCY,
    INTERMEDIATE_FREQUENCY,
    Quantity,
    engineering,
    khz,
)
from glowdial.core.physics.avc import settled_avc_v
from glowdial.core.physics.coupled_circuits import CanShape
from glowdial.core.physics.resonance import (
    CoupledPair,
    TunedCircuit,
    passband,
    resonating_inductance_h,
)
from glowdial.core.physics.sweep_lag import Loop, lagged, slow_enough_s
from glowdial.core.physics.tracking import (
    Gang,
    TrackedBand,
    TrimmerPlace,
    best_points,
    check_inside,
    signal_circuit,
    three_point,
)
from glowdial.core.stages.dial.curve import DialCurve, DialMark
from glowdial.core.stages.parts.substitutes import StockItem
from glowdial.core.sums.form import ABOVE, BELOW, SumAnswer, SumForm, SumLine, rows_of

GRID = 61
Q = Quantity("Q", "", "", 2.0, 1000.0, "90", "must be a Q of 2 to 1000")
SPAN = Quantity("span", "Hz", "kHz", 500.0, 5e6, "30", "must be a span of 0.5 kHz to 5 MHz")
CLAMPED, LIVE = "clamped", "live, and hard"
LAG_SHARE = 0.02
COUPLING = Quantity("coupling", "", "", 0.05, 20.0, "1", "must be 0.05 to 20 times critical")


def _tracking(entry: Entry, _: Sequence[StockItem]) -> SumAnswer:
    given = entry.values
    low_hz, high_hz = given["low"], given["high"]
    signal = signal_circuit(Gang(given["least"], given["most"]), low_hz, high_hz)
    place = TrimmerPlace(entry.texts["trimmer"])
    above = entry.texts["oscillator"] == ABOVE
    intermediate_hz = given["intermediate"]
    best = best_points(signal, intermediate_hz, low_hz, high_hz, place=place, high_side=above)
    grid = np.linspace(low_hz, high_hz, GRID)
    chosen, points_text = best, "the best three points"
    if entry.texts["points"].strip():
        points = _points(entry.texts["points"])
        check_inside(points, low_hz, high_hz)
        chosen = three_point(signal, intermediate_hz, points, place=place, high_side=above)
        points_text = ", ".join(khz(p) for p in points)
    lines = [
        SumLine("oscillator coil", engineering(chosen.oscillator.inductance_h, "H")),
        SumLine("its trimmer, strays included", engineering(chosen.oscillator.trimmer_f, "F")),
        SumLine("padder", engineering(chosen.oscillator.padder_f, "F")),
        SumLine("signal coil", engineering(signal.inductance_h, "H")),
        SumLine("signal trimmer, strays included", engineering(signal.trimmer_f, "F")),
        SumLine("error at most", khz(_worst_hz(chosen, grid))),
        SumLine("at most with the best points", khz(_worst_hz(best, grid))),
        SumLine("the best points", ", ".join(khz(round(f, -3)) for f in _zeros(best, grid))),
    ]
    return SumAnswer(
        f"Tracking of {khz(low_hz)} to {khz(high_hz)} at {points_text}: coil {lines[0].text}, "
        f"padder {lines[2].text}, error at most {lines[5].text}.",
        tuple(lines),
        None,
        Plot(
            "Tracking error",
            "signal, kHz",
            "error, kHz",
            (_error(chosen, grid, "chosen", "left"), _error(best, grid, "best", "expected")),
        ),
    )


def _points(text: str) -> tuple[float, float, float]:
    rows = rows_of(text, tuple((f"point {n}", FREQUENCY) for n in (1, 2, 3)), "600 1000 1400")
    first, second, third = rows[0]
    return first, second, third


def _worst_hz(band: TrackedBand, grid: np.ndarray) -> float:
    return float(np.max(np.abs(band.error_hz(grid))))


def _zeros(band: TrackedBand, grid: np.ndarray) -> list[float]:
    """Where the error goes through nothing, by straight lines between the grid's points."""
    error = np.asarray(band.error_hz(grid))
    at = np.flatnonzero(error[:-1] * error[1:] < 0.0)
    share = error[at] / (error[at] - error[at + 1])
    return [float(f) for f in grid[at] + share * (grid[at + 1] - grid[at])]


def _error(band: TrackedBand, grid: np.ndarray, label: str, role: str) -> PlotLine:
    error = np.asarray(band.error_hz(grid)) / 1e3
    return PlotLine(label, role, tuple(grid / 1e3), tuple(float(e) for e in error))


def _pair(entry: Entry, _: Sequence[StockItem]) -> SumAnswer:
    given = entry.values
    centre_hz, farad = given["centre"], given["capacitance"]
    henry = resonating_inductance_h(frequency_hz=centre_hz, capacitance_f=farad)
    first = TunedCircuit(henry, farad, given["q1"])
    second = TunedCircuit(henry, farad, given["q2"])
    critical = 1.0 / np.sqrt(given["q1"] * given["q2"])
    pair = CoupledPair(first, second, float(given["coupling"] * critical))
    width_hz = 6.0 * centre_hz * max(critical, pair.coupling)
    grid = np.linspace(centre_hz - width_hz, centre_hz + width_hz, 401)
    level = np.abs(pair.transimpedance_ohm(grid))
    band = passband(grid, level)
    down = 20.0 * np.log10(level / np.max(level))
    dip_db = float(-down[np.argmin(np.abs(grid - centre_hz))])
    return SumAnswer(
        f"Coupled pair at {khz(centre_hz)}, {given['coupling']:g} times critical: "
        f"{khz(band.width_hz)} wide at -6 dB, dip {dip_db:.1f} dB.",
        (
            SumLine("winding", engineering(henry, "H")),
            SumLine("critical coupling", f"{critical:.4f}"),
            SumLine("coupling", f"{pair.coupling:.4f}"),
            SumLine("wide at -6 dB", khz(band.width_hz)),
            SumLine("dip in the middle", f"{dip_db:.1f} dB"),
        ),
        None,
        Plot(
            "Response",
            "kHz",
            "dB",
            (PlotLine("pair", "expected", tuple(grid / 1e3), tuple(float(d) for d in down)),),
        ),
    )


def _lag(entry: Entry, _: Sequence[StockItem]) -> SumAnswer:
    given = entry.values
    centre_hz, span_hz, pass_s = given["centre"], given["span"], given["time"]
    tau_s, q = given["filter"], given["q"]
    grid = np.linspace(centre_hz - 0.5 * span_hz, centre_hz + 0.5 * span_hz, 601)
    can = CanShape((centre_hz, centre_hz), (q, q), (float(given["coupling"]) / q,))
    level = np.abs(can.transfer(grid))
    level = level / np.max(level)
    live = entry.texts["line"] == LIVE
    # a live line that stands at twice the volts of a neper: hard, as most are
    loop = Loop(1.0) if live else None
    volts = level * (2.0 * np.exp(2.0) if live else 1.0)
    up = lagged(grid, volts, pass_s, tau_s, loop=loop)
    down = lagged(grid, volts, pass_s, tau_s, loop=loop, downward=True)
    allowed_hz = LAG_SHARE * passband(grid, level).width_hz
    slow_s = slow_enough_s(grid, volts, tau_s, allowed_hz, loop=loop)
    drawn = [
        ("standing", "expected", volts if not live else _rest(volts)),
        ("swept up", "measured", up.traced_v),
    ]
    lines = tuple(
        PlotLine(label, role, tuple(grid / 1e3), tuple(float(v / np.max(drawn[0][2])) for v in row))
        for label, role, row in drawn
    )
    return SumAnswer(
        f"In {pass_s:g} s the peak stands {up.peak_shift_hz:+.0f} Hz off upward and "
        f"{down.peak_shift_hz:+.0f} Hz downward, {up.loss_db:.2f} dB low; {slow_s:.2g} s or slower "
        f"keeps it within {allowed_hz:.0f} Hz.",
        (
            SumLine("upward, peak", f"{up.peak_shift_hz:+.0f} Hz"),
            SumLine("downward, peak", f"{down.peak_shift_hz:+.0f} Hz"),
            SumLine("peak lost", f"{up.loss_db:.2f} dB"),
            SumLine(f"slow enough for {100 * LAG_SHARE:g} % of the width", f"{slow_s:.2g} s"),
        ),
        None,
        Plot("Standing and swept", "kHz", "share of the standing peak", lines),
    )


def _rest(volts: np.ndarray) -> np.ndarray:
    return settled_avc_v(volts, control_v_per_neper=1.0)


def _dial(entry: Entry, _: Sequence[StockItem]) -> SumAnswer:
    columns = (("dial", FREQUENCY), ("true", FREQUENCY))
    rows = rows_of(entry.texts["marks"], columns, "600 602")
    curve = DialCurve(tuple(DialMark(dial, true) for dial, true in rows))
    at_hz = entry.values["at"]
    curve.check_within(at_hz)
    true_hz = curve.true_hz(at_hz)
    worst = curve.worst()
    grid = np.linspace(rows[0][0], rows[-1][0], GRID)
    correction = curve.correction_hz(grid) / 1e3
    return SumAnswer(
        f"The dial's {khz(at_hz)} is {khz(round(true_hz, -2))}; it is worst at "
        f"{khz(worst.dial_hz)}, {worst.error_hz / 1e3:+.1f} kHz.",
        (
            SumLine("dial", khz(at_hz)),
            SumLine("true", khz(round(true_hz, -2))),
            SumLine("correction", f"{(true_hz - at_hz) / 1e3:+.1f} kHz"),
            SumLine("worst mark", f"{khz(worst.dial_hz)}, {worst.error_hz / 1e3:+.1f} kHz"),
        ),
        None,
        Plot(
            "Correction along the dial",
            "dial, kHz",
            "correction, kHz",
            (
                PlotLine(
                    "curve", "expected", tuple(grid / 1e3), tuple(float(c) for c in correction)
                ),
                PlotLine(
                    "marks",
                    "measured",
                    tuple(r[0] / 1e3 for r in rows),
                    tuple((r[1] - r[0]) / 1e3 for r in rows),
                ),
            ),
        ),
    )


TRACKING = SumForm(
    "tracking",
    "oscillator and RF",
    "Tracking and best points",
    "Coil, trimmer and padder of an oscillator, and what it errs over the band.",
    (
        Field("low", "Band from", FREQUENCY),
        Field("high", "... to", FREQUENCY),
        Field("intermediate", "IF", INTERMEDIATE_FREQUENCY),
        Field("least", "Gang, least", CAPACITANCE),
        Field("most", "... and most", CAPACITANCE),
        Field("points", "Three points, or empty for the best ones", required=False),
        Field("trimmer", "Trimmer", options=tuple(p.value for p in TrimmerPlace)),
        Field("oscillator", "Oscillator", options=(ABOVE, BELOW)),
    ),
    {
        "low": "530",
        "high": "1620",
        "intermediate": "465",
        "least": "12",
        "most": "430",
        "points": "600 1000 1400",
        "trimmer": TrimmerPlace.ACROSS_GANG.value,
        "oscillator": ABOVE,
    },
    _tracking,
)
PAIR = SumForm(
    "coupled-pair",
    "IF",
    "Coupled pair",
    "The curve of an IF transformer by its Qs and its coupling.",
    (
        Field("centre", "Tuned to", FREQUENCY),
        Field("capacitance", "Capacitor of each", CAPACITANCE),
        Field("q1", "Q of the primary", Q),
        Field("q2", "Q of the secondary", Q),
        Field("coupling", "Coupling, times critical", COUPLING),
    ),
    {"centre": "465", "capacitance": "115", "q1": "90", "q2": "80", "coupling": "1.5"},
    _pair,
)
LAG = SumForm(
    "sweep-lag",
    "IF",
    "Lag of a sweep",
    "How far a filter carries a swept curve along, and how slow is slow enough.",
    (
        Field("centre", "Tuned to", FREQUENCY),
        Field("q", "Q of each winding", Q),
        Field("coupling", "Coupling, times critical", COUPLING),
        Field("span", "Sweep over", SPAN),
        Field("time", "A pass takes", DURATION),
        Field("filter", "Time constant of the line", DURATION),
        Field("line", "The AVC is", options=(CLAMPED, LIVE)),
    ),
    {
        "centre": "465",
        "q": "90",
        "coupling": "0.9",
        "span": "30",
        "time": "5",
        "filter": "0.1",
        "line": CLAMPED,
    },
    _lag,
)
DIAL = SumForm(
    "dial-correction",
    "dial",
    "Dial correction",
    "The true frequency of a dial reading, from marks that were read.",
    (
        Field("at", "Dial reading", FREQUENCY),
        Field("marks", "Marks: dial and true frequency, one a line", multiline=True),
    ),
    {"at": "800", "marks": "600 602\n1000 1000\n1400 1396"},
    _dial,
)
SUMS = (TRACKING, PAIR, LAG, DIAL)
