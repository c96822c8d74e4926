"""Every sum by its form, against closed forms and against the rules that the stages use."""

from __future__ import annotations

import math
import re

import pytest

from glowdial.core.language.errors import BadInput, NotFound
from glowdial.core.model.stations import read_stations
from glowdial.core.plan.scale import SCALE
from glowdial.core.stages.parts.substitutes import StockItem
from glowdial.core.sums.book import SUMS, sum_of
from glowdial.core.sums.form import SumAnswer, SumForm
from glowdial.core.sums.moving import FoundBand

STOCK = (
    StockItem(1, False, 16e-6, 450.0, 4, electrolytic=True),
    StockItem(2, False, 100e-9, 630.0, 4),
    StockItem(3, True, 220e3, 0.5, 9),
)


def worked(key: str, **typed: str) -> SumAnswer:
    """A sum's own example, with some of it typed anew."""
    form = sum_of(key)
    return form.answer({**form.examples, **typed}, STOCK)


def figure(answer: SumAnswer, label: str) -> float:
    """The number of a line, in SI."""
    text = next(line.text for line in answer.lines if line.label == label)
    found = re.match(r"(-?[\d.]+) ?([pnumkM]?)", text)
    assert found is not None, text
    scale = {"p": 1e-12, "n": 1e-9, "u": 1e-6, "m": 1e-3, "": 1.0, "k": 1e3, "M": 1e6}
    return float(found[1]) * scale[found[2]]


@pytest.mark.parametrize("form", SUMS, ids=lambda f: f.key)
def test_every_sum_answers_its_own_example(form: SumForm) -> None:
    assert set(form.examples) == {f.name for f in form.fields}
    assert form.stage in SCALE and form.purpose.endswith(".")
    answer = form.answer(form.examples, STOCK)
    assert answer.sentence.endswith(".") and answer.lines
    for line in answer.lines:
        assert line.label and line.text and "nan" not in line.text and "inf" not in line.text
    for plotted in answer.plot.lines if answer.plot else ():
        assert len(plotted.x) == len(plotted.y) > 0


@pytest.mark.parametrize("form", SUMS, ids=lambda f: f.key)
def test_what_is_missing_or_not_understood_is_named(form: SumForm) -> None:
    for field in form.fields:
        if not field.required:
            continue
        for wrong in ("", "one and a half x"):
            with pytest.raises(BadInput) as refused:
                form.answer({**form.examples, field.name: wrong}, STOCK)
            assert str(refused.value)


def test_an_unknown_sum_is_not_there() -> None:
    with pytest.raises(NotFound):
        sum_of("horoscope")


def test_a_meter_and_the_resistance_before_it_divide() -> None:
    answer = worked("meter-loading", volts="100", source="1M", meter="250k")
    assert figure(answer, "the meter shows") == pytest.approx(20.0)
    assert figure(answer, "it takes away") == pytest.approx(80.0)


def test_a_level_by_its_definitions_and_a_pad_by_its_circuit() -> None:
    answer = worked("levels-and-pads", level="2 mV", source="50", load="50", pad="10")
    assert figure(answer, "into a matched load, PD") == pytest.approx(1e-3)
    power_w = (1e-3) ** 2 / 50.0
    assert figure(answer, "available") == pytest.approx(10 * math.log10(power_w / 1e-3), abs=0.06)
    # the ladder of the pad's own three resistors, by Ohm's law
    arm, across, far = (
        figure(answer, f"pad, {name}")
        for name in ("arm at the generator", "across", "arm at the set")
    )
    behind = across * (far + 50.0) / (across + far + 50.0)
    node_v = 2e-3 * behind / (50.0 + arm + behind)
    assert figure(answer, "behind the pad") == pytest.approx(node_v * 50.0 / (far + 50.0), rel=0.01)


def test_a_pad_between_unequal_resistances_is_its_ladder_too() -> None:
    answer = worked("levels-and-pads", level="1 mV", source="50", load="400", pad="20")
    arm, across, far = (
        figure(answer, f"pad, {name}")
        for name in ("arm at the generator", "across", "arm at the set")
    )
    behind = across * (far + 400.0) / (across + far + 400.0)
    node_v = 1e-3 * behind / (50.0 + arm + behind)
    expected_v = node_v * 400.0 / (far + 400.0)
    assert figure(answer, "behind the pad") == pytest.approx(expected_v, rel=0.01)


def test_copper_rises_by_its_temperature_coefficient() -> None:
    warm = 3.2 * (1.0 + 0.00393 * 20.0)
    answer = worked("winding", measured=f"{warm:.4f}", sheet="3.2", temperature="40", leads="")
    assert figure(answer, "at 20 C, leads taken off") == pytest.approx(3.2, rel=0.01)
    assert answer.lines[1].verdict == "inside"
    half = worked("winding", measured="1.6", sheet="3.2", temperature="20", leads="")
    assert half.lines[1].verdict == "outside" and "shorted turns" in half.sentence


def test_a_lamp_keeps_to_its_law_and_the_set_gets_the_rest() -> None:
    answer = worked("lamp", watts="60", rated="230", current="120", line="230")
    takes_v = 230.0 * (0.12 * 230.0 / 60.0) ** (1 / 0.55)
    assert figure(answer, "the lamp takes") == pytest.approx(takes_v, abs=0.6)
    assert figure(answer, "the set keeps") == pytest.approx(230.0 - takes_v, abs=0.6)
    short = worked("lamp", current="290")
    assert figure(short, "the set keeps") == 0.0 and short.lines[1].verdict == "outside"


def test_one_capacitor_and_one_bleeder_run_out_by_their_time_constant() -> None:
    # a filter resistance of next to nothing leaves one capacitor of both
    answer = worked("discharge", filter_ohm="0.1", bleeder="100k", reservoir="16", filter="16")
    start_v = figure(answer, "at most, nothing drawn, high line")
    expected_s = 100e3 * 32e-6 * math.log(start_v / 30.0)
    assert figure(answer, "to below 30 V") == pytest.approx(expected_s, abs=0.6)
    # two seconds on: e to the minus t over RC
    later = worked("discharge", filter_ohm="0.1", bleeder="100k", after="2")
    left_v = start_v * math.exp(-2.0 / (100e3 * 32e-6))
    assert figure(later, "B+ after 2 s") == pytest.approx(left_v, rel=0.01)
    assert later.picture is not None
    assert [n.words for n in later.picture.nodes] == ["still up", "still up"]
    safe = worked("discharge", filter_ohm="0.1", bleeder="100k", after="20")
    assert safe.picture is not None and safe.picture.nodes[0].verdict == "inside"
    # a bleeder behind a large filter resistance leaves the reservoir up for longest
    behind = worked("discharge", filter_ohm="1M", bleeder="10k", after="3")
    assert figure(behind, "reservoir after 3 s") > 10 * figure(behind, "B+ after 3 s")
    never = worked("discharge", bleeder="")
    assert "never" in never.lines[1].text


def test_tracking_is_nothing_at_its_points_and_least_at_the_best() -> None:
    answer = worked("tracking")
    assert answer.plot is not None
    chosen = answer.plot.lines[0]
    at = {round(x): y for x, y in zip(chosen.x, chosen.y, strict=True)}
    near = [abs(y or 0.0) for x, y in at.items() if min(abs(x - p) for p in (600, 1000, 1400)) < 10]
    assert near and max(near) < 1.0
    best = worked("tracking", points="")
    assert figure(best, "error at most") <= figure(answer, "error at most")
    # the error alternates: the four extremes of the best tracking are alike
    assert best.plot is not None
    y = [abs(v or 0.0) for v in best.plot.lines[0].y]
    assert y[0] == pytest.approx(max(y), rel=0.05) and y[-1] == pytest.approx(max(y), rel=0.05)


def test_a_pair_at_critical_coupling_has_no_dip_and_beyond_it_one() -> None:
    flat = worked("coupled-pair", q1="100", q2="100", coupling="1")
    assert figure(flat, "dip in the middle") == pytest.approx(0.0, abs=0.05)
    # at critical coupling and equal Qs |A|^2 falls to a quarter at x = 12^(1/4), x = Q 2 df / f
    wide_hz = 465e3 / 100.0 * 12.0**0.25
    assert figure(flat, "wide at -6 dB") == pytest.approx(wide_hz, rel=0.03)
    over = worked("coupled-pair", q1="100", q2="100", coupling="2")
    # narrow-band theory: (1 + n^2) / 2n of the peak's height in the middle, n = 2
    assert figure(over, "dip in the middle") == pytest.approx(20 * math.log10(1.25), abs=0.25)


def test_a_dial_is_corrected_through_its_marks_and_not_beyond() -> None:
    marks = "600 602; 1000 1000; 1400 1396"
    assert figure(worked("dial-correction", at="600", marks=marks), "true") == 602e3
    with pytest.raises(BadInput, match="between the outer marks"):
        worked("dial-correction", at="500", marks=marks)
    with pytest.raises(BadInput, match="must hold dial, true"):
        worked("dial-correction", marks="600; 1000")


def test_noise_is_read_by_its_ratio_and_enclosed() -> None:
    answer = worked("signal-and-noise", readings="10uV 0.3 0.3; 100uV 3 0.3")
    assert answer.lines[1].text == "20.0 dB"
    assert "31.6 uV" in answer.sentence
    open_ended = worked("signal-and-noise", readings="10uV 0.33 0.3")
    assert "do not enclose" in open_ended.sentence


def test_a_resistor_behind_the_reservoir_by_its_straight_line() -> None:
    # 1/V = a + b R for a resistive load
    answer = worked("series-resistor", readings="0 250; 1000 200", target="220")
    ohm = (1 / 220 - 1 / 250) / (1 / 200 - 1 / 250) * 1000.0
    assert figure(answer, "take") == pytest.approx(ohm, rel=0.01)


def test_the_stock_is_joined_and_what_is_not_there_is_said() -> None:
    answer = worked("from-stock", value="32u", rating="350")
    assert answer.lines[0].text.startswith("16.0 uF and 16.0 uF")
    assert answer.lines[1].verdict == "inside"
    assert "nothing in stock" in worked("from-stock", rating="900").sentence
    with pytest.raises(BadInput, match="holds none"):
        sum_of("from-stock").answer(sum_of("from-stock").examples, ())


def test_a_filament_on_a_constant_current_is_met_with_it() -> None:
    answer = worked("filament", ranges="3 25", kind="constant current", current="50", volts="1.4")
    assert "50 % of the rated current" in answer.lines[0].text
    harsh = worked("filament", ranges="3 150", kind="constant current")
    assert "no range of these is safe" in harsh.sentence


def test_a_supply_falls_with_the_line_and_is_drawn_as_it_stands() -> None:
    low, high = worked("supply-and-ramp", at="60"), worked("supply-and-ramp", at="230")
    assert figure(low, "B+ at 60 V") < figure(high, "B+ at 230 V")
    assert high.picture is not None
    assert high.picture.nodes[-1].expected == high.lines[1].text
    # the sag of the filter's resistance is Ohm's
    across_v = figure(high, "reservoir at 230 V") - figure(high, "B+ at 230 V")
    through_a = figure(high, "the set draws")
    assert across_v == pytest.approx(1200.0 * through_a, rel=0.03)


def test_a_sweep_s_lag_is_rate_times_time_constant_on_a_slow_pass() -> None:
    def shift(**typed: str) -> float:
        return float(worked("sweep-lag", coupling="0.2", **typed).lines[0].text.split()[0])

    # a rounded top is carried along as a flank is: 1.5 kHz a second for 0.1 s
    assert shift(time="20") == pytest.approx(150.0, rel=0.05)
    assert shift(time="40") == pytest.approx(75.0, rel=0.05)
    assert shift(time="20", line="live, and hard") < 0.6 * shift(time="20")


def test_a_moved_band_is_where_its_tank_puts_it() -> None:
    """Against a tank of the test's own: gang 12 to 430 pF, 60 pF beside it, its coil by the IF."""
    beside, least, most, side = 60e-12, 12e-12, 430e-12, 455e3
    coil = 1.0 / ((2 * math.pi * (1605e3 + side)) ** 2 * (least + beside))

    def comes_in(gang: float, out: float = 0.0, smaller: float = 0.0) -> float:
        total = coil * (1.0 - smaller) * (gang + beside - out)
        return 1.0 / (2 * math.pi * math.sqrt(total)) - side

    found = FoundBand(comes_in(most), comes_in(least), side, most - least)
    for out in (-8e-12, 3e-12, 8e-12):
        assert found.by_trimmer(out) == pytest.approx((comes_in(most, out), comes_in(least, out)))
    for smaller in (-0.05, 0.04):
        assert found.by_core(smaller) == pytest.approx(
            (comes_in(most, smaller=smaller), comes_in(least, smaller=smaller))
        )


def test_stations_gained_and_lost_are_named_and_nothing_is_moved_for_nothing() -> None:
    stations = "540, Saltmarsh, south dunes, 1\n1640, Harbour, north quay, 3"
    answer = worked("moving-a-band", stations=stations)
    texts = [(line.label.strip(), line.text) for line in answer.lines]
    assert ("gains", "Harbour 1640 kHz") in texts
    assert "The trimmer gains most" in answer.sentence
    still = worked("moving-a-band", stations="800, Lantern Hill, the village, 2")
    assert "leave the band where it is" in still.sentence


@pytest.mark.parametrize(
    ("typed", "told"),
    [
        ("1640", "line 1"),
        ("1610 kHz, Harbour\nsomewhere, Ferry", "line 2"),
        ("1610, Harbour, quay, plenty", "weight"),
        ("1610, Harbour, quay, 1, more", "line 1"),
        ("freq,name\n", "no station"),
    ],
)
def test_a_station_list_that_is_broken_is_refused_with_its_line(typed: str, told: str) -> None:
    with pytest.raises(BadInput) as refused:
        worked("moving-a-band", stations=typed)
    assert told in str(refused.value)


def test_a_station_list_takes_what_people_type() -> None:
    typed = "Frequency, Name\n1610 kHz, Harbour\n1.7 MHz,Ferry House,far shore,2\n540 Saltmarsh"
    assert [(s.frequency_hz, s.name, s.weight) for s in read_stations(typed)] == [
        (1610e3, "Harbour", 1.0),
        (1.7e6, "Ferry House", 2.0),
        (540e3, "Saltmarsh", 1.0),
    ]
