"""The signal's way through a set as it is drawn: from its circuit, its cans and its line-up."""

from __future__ import annotations

from dataclasses import dataclass, replace

import numpy as np

from glowdial.core.journey.pictures import (
    ChainBlock,
    ChainCore,
    ChainKind,
    ChainPicture,
    ChainPoint,
    ChainWay,
)
from glowdial.core.journey.record import JobRecord
from glowdial.core.language.levels import db_voltage
from glowdial.core.language.quantities import engineering, khz
from glowdial.core.model.blocks import BlockKind
from glowdial.core.model.circuit import AerialKind
from glowdial.core.model.facts import BandFacts, IfTransformer, ReceiverFacts
from glowdial.core.physics.operating_point import AmplifierStage, Role
from glowdial.core.physics.resonance import CoupledPair, TunedCircuit, resonating_inductance_h
from glowdial.core.tracing.derived import (
    NORM_AUDIO_GAIN_DB,
    NORM_GAINS_DB,
    NORM_IF_GAIN_DB,
    device_of,
)

AERIAL, MIXER, SPEAKER, DETECTOR = "aerial", "mixer", "loudspeaker", "detector"
FIRST_MIXER = "first-mixer"
GENERATOR, METER = "G", "V"
NAMES = {
    Role.RF: "RF",
    Role.IF: "IF",
    Role.LIMITER: "limiter",
    Role.DECODER: "decoder",
    Role.OUTPUT: "output",
}


@dataclass(frozen=True, slots=True)
class SetUp:
    """How the set and the bench stand at a step: the signal, where the generator is clipped (the
    key of a block, "" for none), through what, by which parts and what they take off, its level in
    V (0 for none), what is read and where, the adjuster that is turned, and whether the oscillator
    is stopped."""

    signal_hz: float
    generator_at: str = ""
    through: str = ""
    way: tuple[ChainWay, ...] = ()
    lost_db: float = 0.0
    level_v: float | None = None
    meter_at: str = DETECTOR
    meter: str = "AVC"
    band: str = ""
    adjuster: str | None = None
    oscillator_stopped: bool = False


def chain_picture(facts: ReceiverFacts, record: JobRecord, now: SetUp) -> ChainPicture:
    """The chain with generator and meter at their points, as the band in use has it."""
    band = next((b for b in facts.bands if b.key == now.band), None)
    turned = record.turned
    blocks = [_cored(block, now.adjuster, turned) for block in _blocks(facts, band, now)]
    feeds, oscillators = _oscillators(facts, band, now)
    return ChainPicture(
        band=band.name if band else "",
        blocks=tuple(_with_levels(blocks, now)),
        oscillators=tuple(_cored(o, now.adjuster, turned) for o in oscillators),
        feeds=feeds,
        control=DETECTOR if any(b.controlled for b in blocks) else "",
        points=_points(now),
    )


def _level_words(level_v: float | None) -> str:
    if level_v is None:
        return ""
    return engineering(level_v, "V") if level_v else "off"


# above this the control, or a stage's own limit, has the word
MOST_EXPECTED_V = 1.0
# a loudspeaker's volts are not what its stage's gain makes of them: the transformer is in between
NO_LEVEL = (ChainKind.AERIAL, ChainKind.SPEAKER)
GAINS_OF = {
    ChainKind.TUNED: BlockKind.TUNED,
    ChainKind.MIXER: BlockKind.MIXER,
    ChainKind.FILTER: BlockKind.FILTER,
    ChainKind.DETECTOR: BlockKind.DETECTOR,
}


def _with_levels(blocks: list[ChainBlock], now: SetUp) -> list[ChainBlock]:
    """What should stand behind each block that the generator's signal runs through, by the gains
    of the circuit or the bench's norms, as far as neither control nor limit has the word."""
    if not now.level_v or not now.generator_at:
        return blocks
    begun, detected = False, False
    level_v = now.level_v * 10.0 ** (-now.lost_db / 20.0)
    found = []
    for block in blocks:
        begun = begun or block.key == now.generator_at
        if begun and level_v <= MOST_EXPECTED_V and block.kind not in NO_LEVEL:
            level_v *= 10.0 ** (_gain_db(block, detected=detected) / 20.0)
            if level_v <= MOST_EXPECTED_V:
                block = replace(block, expected=f"~{engineering(level_v, 'V', 1)}")
        detected = detected or block.kind is ChainKind.DETECTOR
        found.append(block)
    return found


def _gain_db(block: ChainBlock, *, detected: bool) -> float:
    if block.gain:
        return float(block.gain.removesuffix(" dB"))
    if block.kind is ChainKind.CAN:
        return 0.0
    if block.kind is ChainKind.AMPLIFIER:
        return NORM_AUDIO_GAIN_DB if detected else NORM_IF_GAIN_DB
    return NORM_GAINS_DB[GAINS_OF[block.kind]]


def _points(now: SetUp) -> tuple[ChainPoint, ...]:
    behind = now.meter_at != SPEAKER
    points = [ChainPoint(now.meter_at, behind, METER, "", now.meter)]
    if now.generator_at:
        words = ", ".join(w for w in (khz(now.signal_hz), _level_words(now.level_v)) if w)
        # what stands for an aerial is clipped to where the aerial would be
        points.insert(
            0,
            ChainPoint(
                now.generator_at,
                now.generator_at == AERIAL,
                GENERATOR,
                now.through,
                words,
                now.way,
            ),
        )
    return tuple(points)


def _cored(block: ChainBlock, lit: str | None, turned: frozenset[str]) -> ChainBlock:
    cores = tuple(replace(c, lit=c.key == lit, done=c.key in turned) for c in block.cores)
    return replace(block, cores=cores)


def _blocks(facts: ReceiverFacts, band: BandFacts | None, now: SetUp) -> list[ChainBlock]:
    stages = facts.circuit.stages
    blocks = [ChainBlock(AERIAL, ChainKind.AERIAL, _aerial(facts))]
    aerial = (band.aerial_adjuster, band.aerial_low_adjuster) if band else ()
    blocks.append(_tuned("aerial-circuit", facts, aerial, now))
    circuits = _rf_circuits(band)
    for n, stage in enumerate(s for s in stages if s.role is Role.RF):
        blocks.append(_amplifier(facts, stage, ""))
        adjusters = circuits.pop(0) if circuits else ()
        blocks.append(_tuned(f"rf-circuit-{n + 1}", facts, adjusters, now))
    # coupled to the one before, without a stage between
    blocks += [_tuned(f"coupled-{n}", facts, keys, now) for n, keys in enumerate(circuits, 1)]
    if band is not None and band.tracked.fixed_first_hz:
        blocks.append(ChainBlock(FIRST_MIXER, ChainKind.MIXER, "first mixer"))
    cans = list(facts.transformers)
    mixer = next((s for s in stages if s.role is Role.MIXER), None)
    if mixer is not None:
        gain = _gain(facts, mixer, cans[0] if cans else None)
        blocks.append(_stage_block(facts, mixer, MIXER, ChainKind.MIXER, "mixer", gain))
    blocks += _second_conversion(facts)
    blocks += [_can(facts, can) for can in cans[:1]]
    if facts.circuit.if_filter is not None:
        tuned = khz(facts.intermediate_frequency_hz)
        blocks.append(ChainBlock("if-filter", ChainKind.FILTER, "filter", tuned))
    rest = cans[1:]
    for stage in (s for s in stages if s.role in (Role.IF, Role.LIMITER)):
        can = rest.pop(0) if rest else None
        blocks.append(_amplifier(facts, stage, _gain(facts, stage, can)))
        blocks += [_can(facts, can)] if can else []
    blocks += [_can(facts, can) for can in rest]
    detector = next((s for s in stages if s.role is Role.DETECTOR), None)
    device = device_of(facts, detector) if detector else ""
    blocks.append(ChainBlock(DETECTOR, ChainKind.DETECTOR, _named("detector", device)))
    if detector is not None:
        blocks.append(ChainBlock("audio", ChainKind.AMPLIFIER, _named("audio", device)))
    for stage in (s for s in stages if s.role in (Role.DECODER, Role.OUTPUT)):
        blocks.append(_amplifier(facts, stage, ""))
    blocks.append(ChainBlock(SPEAKER, ChainKind.SPEAKER, "loudspeaker"))
    return blocks


def _aerial(facts: ReceiverFacts) -> str:
    kind = facts.circuit.aerial.kind
    return "aerial" if kind is AerialKind.WIRE else kind.value


def _tuned(
    key: str, facts: ReceiverFacts, adjusters: tuple[str | None, ...], now: SetUp
) -> ChainBlock:
    cores = tuple(ChainCore(a, facts.adjuster(a).name) for a in adjusters if a)
    # at the mixer's grid nothing before it is in use
    tuned = khz(now.signal_hz) if now.generator_at != MIXER else ""
    return ChainBlock(key, ChainKind.TUNED, "", tuned, cores=cores)


def _rf_circuits(band: BandFacts | None) -> list[tuple[str | None, ...]]:
    """The adjusters of a band's circuits between aerial and mixer, circuit by circuit."""
    if band is None or band.rf_adjuster is None:
        return []
    return [(band.rf_adjuster, band.rf_low_adjuster), *((k,) for k in band.more_rf_adjusters)]


def _second_conversion(facts: ReceiverFacts) -> list[ChainBlock]:
    double = facts.circuit.conversion
    if double is None:
        return []
    first = khz(double.first_intermediate_hz)
    return [
        ChainBlock("first-if", ChainKind.FILTER, "first IF", first),
        ChainBlock("second-mixer", ChainKind.MIXER, "second mixer"),
    ]


def _oscillators(
    facts: ReceiverFacts, band: BandFacts | None, now: SetUp
) -> tuple[tuple[str, ...], tuple[ChainBlock, ...]]:
    """Each oscillator with the block that it feeds."""
    own = next((s for s in facts.circuit.stages if s.role is Role.OSCILLATOR), None)
    tuned = ""
    if band is not None and not now.oscillator_stopped:
        tuned = khz(abs(now.signal_hz + band.tracked.offset_hz))
    keys = (band.high_adjuster, band.low_adjuster) if band else ()
    first = ChainBlock(
        "oscillator",
        ChainKind.OSCILLATOR,
        _named("oscillator", device_of(facts, own) if own else ""),
        tuned,
        cores=tuple(ChainCore(k, facts.adjuster(k).name) for k in keys if k),
        stopped=now.oscillator_stopped,
    )
    if band is not None and band.tracked.fixed_first_hz:
        fixed = ChainBlock(
            "fixed-oscillator",
            ChainKind.OSCILLATOR,
            "crystal",
            khz(band.tracked.fixed_first_hz),
        )
        return (FIRST_MIXER, MIXER), (fixed, first)
    double = facts.circuit.conversion
    if double is None:
        return (MIXER,), (first,)
    second = ChainBlock(
        "second-oscillator",
        ChainKind.OSCILLATOR,
        "second oscillator",
        khz(double.second_oscillator_hz),
    )
    return (MIXER, "second-mixer"), (first, second)


def _can(facts: ReceiverFacts, can: IfTransformer) -> ChainBlock:
    cores = tuple(ChainCore(key, facts.adjuster(key).name) for key in can.cores)
    tuned = khz(facts.intermediate_frequency_hz)
    return ChainBlock(can.key, ChainKind.CAN, can.key.upper(), tuned, cores=cores)


def _amplifier(facts: ReceiverFacts, stage: AmplifierStage, gain: str) -> ChainBlock:
    name = NAMES.get(stage.role, stage.role.value)
    return _stage_block(facts, stage, stage.name, ChainKind.AMPLIFIER, name, gain)


def _stage_block(
    facts: ReceiverFacts, stage: AmplifierStage, key: str, kind: ChainKind, name: str, gain: str
) -> ChainBlock:
    label = _named(name, device_of(facts, stage))
    return ChainBlock(key, kind, label, gain=gain, controlled=stage.on_avc)


def _named(name: str, device: str) -> str:
    return f"{name} {device}" if device else name


def _gain(facts: ReceiverFacts, stage: AmplifierStage, can: IfTransformer | None) -> str:
    """Gain without control, into a can tuned right: slope times transimpedance (Terman, Radio
    Engineers' Handbook, coupled-circuit amplifiers). Only of a circuit that the sheet gives."""
    if can is None or len(can.cores) != 2 or not facts.circuit.stages_given:
        return ""
    hz = facts.intermediate_frequency_hz
    henry = resonating_inductance_h(frequency_hz=hz, capacitance_f=can.capacitance_f)
    first = TunedCircuit(henry, can.capacitance_f, can.primary_q)
    second = TunedCircuit(henry, can.capacitance_f, can.secondary_q)
    critical = CoupledPair(first, second, 1e-3).critical_coupling
    pair = CoupledPair(first, second, can.coupling_of_critical * critical)
    ohm = float(np.abs(pair.transimpedance_ohm(np.array([hz])))[0])
    return f"{db_voltage(stage.typical.transconductance_s * ohm):+.0f} dB"
