"""The chain as it is drawn, of every set of the demo: each stage and can once, the frequencies by
arithmetic, the gain by the critically coupled pair's closed form."""

from __future__ import annotations

import math
from dataclasses import replace

import pytest

from glowdial.core.journey.chain import (
    AERIAL,
    DETECTOR,
    FIRST_MIXER,
    MIXER,
    SPEAKER,
    SetUp,
    chain_picture,
)
from glowdial.core.journey.pictures import ChainKind
from glowdial.core.journey.record import JobRecord
from glowdial.core.language.quantities import LEVEL, khz, parse
from glowdial.core.model.circuit import Conversion
from glowdial.core.model.facts import ReceiverFacts
from glowdial.core.physics.operating_point import Role
from glowdial.demo.fill import SHEETS, demo_sheet
from glowdial.sheets.facts import receiver_facts
from glowdial.workshop.base.sheets import read_sheet

EVERY = [receiver_facts(read_sheet(demo_sheet(name))) for name in SHEETS]


@pytest.mark.parametrize("facts", EVERY, ids=SHEETS)
def test_every_stage_and_can_stands_once_in_the_signals_order(
    facts: ReceiverFacts,
) -> None:
    drawn = chain_picture(facts, JobRecord(), SetUp(1e6, AERIAL, band=facts.bands[0].key))
    keys = [b.key for b in drawn.blocks]
    assert len(set(keys)) == len(keys)
    assert keys[0] == AERIAL and keys[-1] == SPEAKER
    assert [b.key for b in drawn.blocks if b.kind is ChainKind.CAN] == [
        can.key for can in facts.transformers
    ]
    amplifying = [s for s in facts.circuit.stages if s.role in (Role.RF, Role.IF, Role.OUTPUT)]
    for stage in amplifying:
        assert keys.count(stage.name) == 1
    for can in facts.transformers:
        assert keys.index(MIXER) < keys.index(can.key) < keys.index(DETECTOR)
    on_avc = {s.name for s in facts.circuit.stages if s.on_avc}
    assert sum(b.controlled for b in drawn.blocks) == len(on_avc)
    assert (drawn.control == DETECTOR) == bool(on_avc)


@pytest.mark.parametrize("facts", EVERY, ids=SHEETS)
def test_every_adjuster_of_the_band_is_on_the_chain_and_only_the_present_one_lit(
    facts: ReceiverFacts,
) -> None:
    for band in facts.bands:
        wanted = {*facts.if_adjusters(), *band.own_adjusters}
        for lit in sorted(wanted):
            now = SetUp(band.high_mark_hz, AERIAL, band=band.key, adjuster=lit)
            drawn = chain_picture(facts, JobRecord(), now)
            cores = [c for b in (*drawn.blocks, *drawn.oscillators) for c in b.cores]
            assert {c.key for c in cores} >= wanted
            assert [c.key for c in cores if c.lit] == [lit]


@pytest.mark.parametrize("facts", EVERY, ids=SHEETS)
def test_the_oscillator_stands_an_intermediate_frequency_off_and_is_stopped_when_it_is(
    facts: ReceiverFacts,
) -> None:
    for band in facts.bands:
        drawn = chain_picture(facts, JobRecord(), SetUp(1e6, AERIAL, band=band.key))
        conversion = facts.circuit.conversion
        first_hz = (
            conversion.first_intermediate_hz
            if conversion
            else facts.seen_by(band).intermediate_frequency_hz
        )
        off = first_hz * (1 if band.tracked.high_side else -1)
        assert drawn.oscillators[0].tuned == khz(1e6 + off)
        assert not drawn.oscillators[0].stopped
    stopped = chain_picture(facts, JobRecord(), SetUp(465e3, MIXER, oscillator_stopped=True))
    assert stopped.oscillators[0].stopped and stopped.oscillators[0].tuned == ""
    generator, meter = stopped.points
    assert (generator.block, generator.behind, generator.letter) == (MIXER, False, "G")
    assert (meter.block, meter.letter) == (DETECTOR, "V")


@pytest.mark.parametrize("stage", [True, False])
def test_every_circuit_before_the_mixer_stands_on_the_chain(*, stage: bool) -> None:
    facts = EVERY[0]
    band = replace(facts.bands[0], rf_adjuster="r1", more_rf_adjusters=("r2",))
    more = (replace(facts.adjusters[0], key=key) for key in ("r1", "r2"))
    stages = tuple(s for s in facts.circuit.stages if stage or s.role is not Role.RF)
    if stage and not any(s.role is Role.RF for s in stages):
        stages = (replace(stages[0], name="V0", role=Role.RF), *stages)
    facts = replace(
        facts,
        bands=(band,),
        adjusters=(*facts.adjusters, *more),
        circuit=replace(facts.circuit, stages=stages),
    )
    drawn = chain_picture(facts, JobRecord(), SetUp(1e6, AERIAL, band=band.key, adjuster="r2"))
    at = {c.key: n for n, b in enumerate(drawn.blocks) for c in b.cores}
    mixer = [b.key for b in drawn.blocks].index(MIXER)
    assert at["r1"] < at["r2"] < mixer
    assert [c.key for b in drawn.blocks for c in b.cores if c.lit] == ["r2"]


def test_a_fixed_oscillator_has_its_mixer_ahead_of_the_tunable_one() -> None:
    facts = EVERY[0]
    tracked = replace(facts.bands[0].tracked, fixed_first_hz=9e6)
    facts = replace(facts, bands=(replace(facts.bands[0], tracked=tracked),))
    now = SetUp(14.2e6, AERIAL, band=facts.bands[0].key)
    drawn = chain_picture(facts, JobRecord(), now)
    keys = [b.key for b in drawn.blocks]
    assert drawn.feeds == (FIRST_MIXER, MIXER) and keys.index(FIRST_MIXER) < keys.index(MIXER)
    fixed, tunable = drawn.oscillators
    assert fixed.tuned == "9 MHz" and not fixed.cores
    tunable_hz = 14.2e6 - 9e6 + tracked.image_offset_hz
    assert float(tunable.tuned.split()[0]) * 1e6 == pytest.approx(tunable_hz, abs=100.0)


def test_two_conversions_have_two_mixers_and_two_oscillators() -> None:
    facts = EVERY[0]
    circuit = replace(facts.circuit, conversion=Conversion(1.65e6, 2.115e6))
    drawn = chain_picture(replace(facts, circuit=circuit), JobRecord(), SetUp(1e7, AERIAL))
    assert [b.kind for b in drawn.blocks].count(ChainKind.MIXER) == 2
    assert drawn.feeds == (MIXER, "second-mixer") and len(drawn.oscillators) == 2
    assert drawn.oscillators[1].tuned == "2115 kHz"


def test_a_stages_gain_is_its_slope_by_half_the_dynamic_resistance_at_critical_coupling() -> None:
    facts = next(f for f in EVERY if f.circuit.stages_given and f.transformers)
    can = replace(facts.transformers[1], primary_q=100.0, secondary_q=100.0)
    can = replace(can, coupling_of_critical=1.0)
    cans = (facts.transformers[0], can)
    stage = next(s for s in facts.circuit.stages if s.role is Role.IF)
    hz = facts.intermediate_frequency_hz
    dynamic_ohm = 100.0 / (2.0 * math.pi * hz * can.capacitance_f)
    expected = 20.0 * math.log10(stage.typical.transconductance_s * dynamic_ohm / 2.0)
    drawn = chain_picture(replace(facts, transformers=cans), JobRecord(), SetUp(hz, MIXER))
    gain = next(b.gain for b in drawn.blocks if b.key == stage.name)
    assert float(gain.split()[0]) == pytest.approx(expected, abs=0.6)


def test_a_set_of_which_only_the_line_up_is_known_wears_its_tubes_names() -> None:
    facts = EVERY[SHEETS.index("tidewater-six")]
    assert not facts.circuit.stages_given
    drawn = chain_picture(facts, JobRecord(), SetUp(1e6, AERIAL))
    labels = {b.key: b.label for b in drawn.blocks}
    assert labels[MIXER] == "mixer V1" and labels[DETECTOR] == "detector V3"
    # no gain is told of a circuit that nobody gave
    assert not any(b.gain for b in drawn.blocks)
    bare = replace(facts, tubes=())
    assert chain_picture(bare, JobRecord(), SetUp(1e6, AERIAL)).blocks[2].label == "mixer"


def test_levels_follow_the_gains_until_control_or_limit_has_the_word() -> None:
    facts = EVERY[0]
    drawn = chain_picture(facts, JobRecord(), SetUp(1e6, AERIAL, level_v=10e-6, band="bc"))
    levels = {b.key: b.expected for b in drawn.blocks}
    volts = [quantity(text) for text in levels.values() if text]
    assert len(volts) >= 3 and max(volts) <= 1.0
    # behind the aerial circuit 8 dB more than the generator gives
    assert quantity(levels["aerial-circuit"]) == pytest.approx(10e-6 * 10 ** (8 / 20), rel=0.06)
    assert levels["aerial"] == "" and levels["loudspeaker"] == ""
    at_mixer = chain_picture(facts, JobRecord(), SetUp(465e3, MIXER, level_v=1e-4))
    assert {b.key: b.expected for b in at_mixer.blocks}["aerial-circuit"] == ""
    off = chain_picture(facts, JobRecord(), SetUp(465e3, MIXER, level_v=0.0))
    assert not any(b.expected for b in off.blocks)


def quantity(text: str) -> float:
    return parse(text.removeprefix("~"), LEVEL, "level")
