"""Sums of what limits a receiver: its own noise, and that of the place where it plays."""

from __future__ import annotations

from collections.abc import Sequence

from glowdial.core.journey.entry import Entry
from glowdial.core.journey.steps import Field
from glowdial.core.language.quantities import (
    FREQUENCY,
    LEVEL,
    RESISTANCE,
    Quantity,
    engineering,
    khz,
)
from glowdial.core.model.clear_frequency import ChannelBand, clear_frequencies
from glowdial.core.model.stations import read_stations
from glowdial.core.physics.noise import Site
from glowdial.core.physics.outside_noise import (
    OutsideNoise,
    aerial_noise_v,
    noise_figure_db,
    noise_width_hz,
    outside_noise,
    own_noise_v,
    worsened_db,
)
from glowdial.core.stages.parts.substitutes import StockItem
from glowdial.core.sums.form import ABOVE, BELOW, SumAnswer, SumForm, SumLine

MODULATION = Quantity("modulation", "%", "%", 1.0, 100.0, "30", "must be 1 to 100 %")
WIDTH = Quantity("width", "Hz", "kHz", 50.0, 1e6, "6", "must be a width of 50 Hz to 1 MHz")
METRES = Quantity("height", "", "", 0.001, 1000.0, "3", "must be 1 mm to 1 km, in m")
NOISE = Quantity("noise", "dB", "dB", 0.0, 130.0, "60", "must be 0 to 130 dB above kT0b")
STEP = Quantity("channel", "Hz", "kHz", 1e3, 1e6, "100", "must be channels of 1 kHz to 1 MHz")
# further than this from every trouble
CLEAR_CHANNELS = 4.0
# less than this is not heard
HEARD_DB = 1.0


def _worked(entry: Entry, _: Sequence[StockItem]) -> SumAnswer:
    given = entry.values
    width_hz = noise_width_hz(given["if"], given["audio"])
    own_v = own_noise_v(given["sensitivity"], given["modulation"] / 100.0)
    found = outside_noise(Site(entry.texts["place"]), given["frequency"], given.get("atmospherics"))
    lines = [
        SumLine("noise counts over", khz(width_hz)),
        SumLine("its own noise at the aerial", f"{engineering(own_v, 'V')} EMF"),
    ]
    if "source" in given:
        figure = noise_figure_db(own_v, given["source"], width_hz)
        lines.append(SumLine("noise figure", f"{figure:.1f} dB"))
    if found is None:
        return SumAnswer("In a screened room nothing but its own noise is heard.", tuple(lines))
    lines += _outside_lines(given, found, own_v, width_hz)
    return SumAnswer(_verdict(given, found, own_v, width_hz), tuple(lines))


def _outside_v(given: dict[str, float], noise_db: float, width_hz: float) -> float:
    return aerial_noise_v(noise_db, given["frequency"], width_hz, given["height"])


def _outside_lines(
    given: dict[str, float], found: OutsideNoise, own_v: float, width_hz: float
) -> list[SumLine]:
    rows = (
        ("noise outside, half of the time", found.median_db),
        ("in the quietest tenth", found.lower_db),
        ("in the loudest tenth", found.upper_db),
    )
    lines = []
    for label, noise_db in rows:
        outside_v = _outside_v(given, noise_db, width_hz)
        lost = worsened_db(own_v, outside_v)
        words = f"{noise_db:.0f} dB above kT0b, {engineering(outside_v, 'V')} EMF"
        lines.append(SumLine(label, f"{words}: the set adds {lost:.1f} dB"))
    return lines


def _verdict(given: dict[str, float], found: OutsideNoise, own_v: float, width_hz: float) -> str:
    """Whether more sensitivity would be heard here."""
    usual, quiet = (
        worsened_db(own_v, _outside_v(given, db, width_hz))
        for db in (found.median_db, found.lower_db)
    )
    where = f"At {khz(given['frequency'])} with this aerial"
    if quiet < HEARD_DB:
        return f"{where} more sensitivity would not be heard here, even in quiet hours."
    if usual < HEARD_DB:
        return f"{where} more sensitivity would be heard in quiet hours only: up to {quiet:.1f} dB."
    return f"{where} more sensitivity would be heard: the set adds {usual:.1f} dB to the noise."


OUTSIDE = SumForm(
    "outside-noise",
    "proof",
    "Would more sensitivity be heard?",
    "A receiver's own noise against what the place brings in, by ITU-R P.372.",
    (
        Field("sensitivity", "Sensitivity for 10 dB (EMF)", LEVEL),
        Field("modulation", "taken at", MODULATION),
        Field("frequency", "at", FREQUENCY),
        Field("if", "Width of the IF", WIDTH),
        Field("audio", "Width of the audio", WIDTH),
        Field("place", "Place", options=tuple(Site)),
        Field("height", "Aerial's effective height, m", METRES),
        Field("atmospherics", "Atmospherics at 1 MHz (by its maps)", NOISE, required=False),
        Field("source", "Source, where it is a resistance", RESISTANCE, required=False),
    ),
    {
        "sensitivity": "25",
        "modulation": "30",
        "frequency": "1000",
        "if": "6",
        "audio": "4",
        "place": Site.RESIDENTIAL.value,
        "height": "3",
        "atmospherics": "60",
        "source": "",
    },
    _worked,
)


def _clear(entry: Entry, _: Sequence[StockItem]) -> SumAnswer:
    given, texts = entry.values, entry.texts
    band = ChannelBand(
        given["low"],
        given["high"],
        given["step"],
        given["intermediate"],
        texts["oscillator"] == ABOVE,
    )
    found = clear_frequencies(band, read_stations(texts["stations"]))
    best = found[0]
    lines = tuple(
        SumLine(khz(one.frequency_hz), f"{one.channels:.1f} channels clear; nearest: {one.nearest}")
        for one in found
    )
    words = "clear" if best.channels >= CLEAR_CHANNELS else "the clearest, though not clear"
    return SumAnswer(f"Test at {khz(best.frequency_hz)}: {words}.", lines)


CLEAR = SumForm(
    "test-frequency",
    "proof",
    "A frequency to test at",
    "Clear of strong local stations, of their images, and of what two of them make together.",
    (
        Field("low", "Band from", FREQUENCY),
        Field("high", "to", FREQUENCY),
        Field("step", "Channels apart by", STEP),
        Field("intermediate", "IF", FREQUENCY),
        Field("oscillator", "Oscillator", options=(ABOVE, BELOW)),
        Field(
            "stations", "Stations here, their strength as weight (CSV)", multiline=True, table=True
        ),
    ),
    {
        "low": "87.5 MHz",
        "high": "108 MHz",
        "step": "100",
        "intermediate": "10.7 MHz",
        "oscillator": ABOVE,
        "stations": "frequency,name,place,weight\n93.4 MHz,Harbour,north quay,10\n"
        "101.1 MHz,Ridge,mast,3\n",
    },
    _clear,
)
SUMS = (OUTSIDE, CLEAR)
