"""Sums of measuring: a meter's load, levels and pads, signal against noise."""

from __future__ import annotations

import math
from collections.abc import Sequence

import numpy as np

from glowdial.core.journey.entry import Entry
from glowdial.core.journey.steps import Field, Plot, PlotLine
from glowdial.core.language.levels import (
    LevelUnit,
    dbm_from_emf_v,
    source_level,
    terminal_v,
)
from glowdial.core.language.quantities import (
    AUDIO_VOLTS,
    DC_VOLTS,
    DECIBELS,
    LEVEL,
    RESISTANCE,
    Quantity,
    engineering,
    significant,
)
from glowdial.core.physics.aerials import matched_pad
from glowdial.core.physics.noise_ratio import TARGET_DB, NoiseReading, sensitivity_v
from glowdial.core.stages.bring_up.voltage_chart import ChartLine
from glowdial.core.stages.parts.substitutes import StockItem
from glowdial.core.sums.form import SumAnswer, SumForm, SumLine, rows_of

CHART_TOLERANCE = 0.20


def _loading(entry: Entry, _: Sequence[StockItem]) -> SumAnswer:
    given = entry.values
    line = ChartLine("", "", "", given["volts"], given["source"], CHART_TOLERANCE, from_sheet=False)
    read_v = line.read_v(1.0, given["meter"])
    meters = np.geomspace(1e3, 1e8, 51)
    return SumAnswer(
        f"{significant(given['volts'], 3)} V behind {engineering(given['source'], 'ohm')} reads "
        f"{significant(read_v, 3)} V on {engineering(given['meter'], 'ohm')}.",
        (
            SumLine("without the meter", f"{significant(given['volts'], 3)} V"),
            SumLine("the meter shows", f"{significant(read_v, 3)} V"),
            SumLine("it takes away", f"{100.0 * (1.0 - read_v / given['volts']):.0f} %")
            if given["volts"]
            else SumLine("it takes away", "nothing"),
        ),
        None,
        Plot(
            "By the meter's resistance",
            "log10 of its ohms",
            "V shown",
            (
                PlotLine(
                    "shown",
                    "expected",
                    tuple(float(v) for v in np.log10(meters)),
                    tuple(line.read_v(1.0, float(m)) for m in meters),
                ),
                PlotLine("this one", "measured", (float(np.log10(given["meter"])),), (read_v,)),
            ),
        ),
    )


def _level(entry: Entry, _: Sequence[StockItem]) -> SumAnswer:
    given = entry.values
    source, load = given["source"], given["load"]
    emf_v, loss_db = given["level"], given["pad"]
    across_v = terminal_v(emf_v, source, load)
    lines = [
        SumLine("EMF", engineering(emf_v, "V")),
        SumLine("into a matched load, PD", engineering(0.5 * emf_v, "V")),
        SumLine("available", f"{dbm_from_emf_v(emf_v, source):.1f} dBm"),
        SumLine(f"across {engineering(load, 'ohm')}", engineering(across_v, "V")),
    ]
    sentence = (
        f"{engineering(emf_v, 'V')} EMF from {engineering(source, 'ohm')}: "
        f"{dbm_from_emf_v(emf_v, source):.1f} dBm, {engineering(across_v, 'V')} across "
        f"{engineering(load, 'ohm')}"
    )
    behind_v = across_v
    if loss_db > 0.0:
        pad = matched_pad(loss_db, source, load)
        # both sides matched: what is available, less the pad's loss, all in the set's resistance
        behind_v = 0.5 * emf_v * math.sqrt(load / source) / math.pow(10.0, loss_db / 20.0)
        lines += [
            SumLine("pad, arm at the generator", engineering(pad.source_arm_ohm, "ohm")),
            SumLine("pad, across", engineering(pad.shunt_ohm, "ohm")),
            SumLine("pad, arm at the set", engineering(pad.load_arm_ohm, "ohm")),
            SumLine("behind the pad", engineering(behind_v, "V")),
        ]
        sentence += f"; behind a pad of {loss_db:g} dB {engineering(behind_v, 'V')}"
    pads_db = tuple(float(n) for n in range(0, 61, 5))
    matched_v = 0.5 * emf_v * math.sqrt(load / source)
    curve = PlotLine(
        "matched",
        "expected",
        pads_db,
        tuple(20.0 * math.log10(matched_v * 1e6) - loss for loss in pads_db),
    )
    here = PlotLine("here", "measured", (loss_db,), (20.0 * math.log10(behind_v * 1e6),))
    plot = Plot("At the set, by the pad", "pad, dB", "dB over 1 uV", (curve, here))
    return SumAnswer(f"{sentence}.", tuple(lines), None, plot)


def _noise(entry: Entry, _: Sequence[StockItem]) -> SumAnswer:
    columns = (("level", LEVEL), ("tone on", AUDIO_VOLTS), ("tone off", AUDIO_VOLTS))
    rows = rows_of(entry.texts["readings"], columns, "25uV 0.92 0.29")
    readings = tuple(NoiseReading(*row) for row in rows)
    found = sensitivity_v(readings)
    lines = [SumLine(engineering(r.level_v, "V"), f"{r.ratio_db:.1f} dB") for r in readings]
    words = (
        f"{engineering(found, 'V')} EMF for {TARGET_DB:g} dB (S+N)/N."
        if found is not None
        else f"These readings do not enclose {TARGET_DB:g} dB: take one further on."
    )
    ordered = sorted(readings, key=lambda r: r.level_v)
    plot = Plot(
        "(S+N)/N by level",
        "log10 of uV EMF",
        "dB",
        (
            PlotLine(
                "read",
                "measured",
                tuple(float(np.log10(r.level_v * 1e6)) for r in ordered),
                tuple(r.ratio_db for r in ordered),
            ),
        ),
    )
    return SumAnswer(words, (*lines, SumLine("sensitivity", words)), None, plot)


LOADING = SumForm(
    "meter-loading",
    "bring-up",
    "Meter loading",
    "What a meter shows of a voltage behind a resistance.",
    (
        Field("volts", "Without a meter", DC_VOLTS),
        Field("source", "Behind", RESISTANCE),
        Field("meter", "The meter's resistance", RESISTANCE),
    ),
    {"volts": "96", "source": "150k", "meter": "250k"},
    _loading,
)
LEVELS = SumForm(
    "levels-and-pads",
    "proof",
    "Levels and pads",
    "A generator's level in EMF, PD and dBm, and the pad between it and the set.",
    (
        Field("level", "Generator", LEVEL),
        Field("source", "Its resistance", RESISTANCE),
        Field("load", "The set's resistance", RESISTANCE),
        Field("pad", "Pad between them, 0 for none", DECIBELS),
    ),
    {"level": "1 mV", "source": "50", "load": "400", "pad": "20"},
    _level,
)
NOISE = SumForm(
    "signal-and-noise",
    "proof",
    "(S+N)/N",
    "The level that gives 10 dB of signal and noise over noise.",
    (Field("readings", "Level, tone on, tone off; one reading a line", multiline=True),),
    {"readings": "10uV 0.55 0.29\n25uV 0.92 0.27\n50uV 1.10 0.20"},
    _noise,
)
ANY_LEVEL = Quantity(
    "level", "", "", -200.0, 1e9, "-47", "must be a number: dB, microvolts, or watts"
)


def _converted(entry: Entry, _: Sequence[StockItem]) -> SumAnswer:
    unit = LevelUnit(entry.texts["unit"])
    found = source_level(entry.values["level"], unit, entry.values["ohm"])
    told = {u: found.told_in(u) for u in LevelUnit}
    lines = [
        SumLine(u.value, engineering(v, "W") if u is LevelUnit.WATTS else f"{v:.4g}")
        for u, v in told.items()
    ]
    at = engineering(found.impedance_ohm, "ohm")
    return SumAnswer(
        f"{entry.values['level']:g} {unit.value} at {at}: {told[LevelUnit.DBM]:.2f} dBm, "
        f"{engineering(found.emf_v, 'V', 4)} EMF, {engineering(found.emf_v / 2.0, 'V', 4)} across "
        f"{at}.",
        tuple(lines),
    )


CONVERTER = SumForm(
    "levels",
    "proof",
    "Level converter",
    "A level in dBm, dBuV, microvolts EMF or PD, or watts, at any impedance, in all the others.",
    (
        Field("level", "Level", ANY_LEVEL),
        Field("unit", "is", options=tuple(LevelUnit)),
        Field("ohm", "at", RESISTANCE),
    ),
    {"level": "-47", "unit": LevelUnit.DBM.value, "ohm": "50"},
    _converted,
)
SUMS = (LOADING, CONVERTER, LEVELS, NOISE)
