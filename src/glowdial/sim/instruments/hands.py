"""A person's hands as an instrument: clip, turn, tune, switch, and upset other instruments."""

from __future__ import annotations

from collections.abc import Mapping

from glowdial.core.language.errors import GlowDialError
from glowdial.core.physics.noise import Site
from glowdial.sim.instruments.generator import setter
from glowdial.sim.instruments.multimeter import HEATER
from glowdial.sim.room import SimulatedRoom
from glowdial.sim.scpi import (
    MISSING,
    NOT_A_NUMBER,
    OUT_OF_RANGE,
    Mood,
    ScpiInstrument,
    number,
    switch,
)

LONGEST_DELAY_S = 30.0


def hands(room: SimulatedRoom, others: Mapping[str, ScpiInstrument]) -> ScpiInstrument:
    """The hands in a room."""
    facts = room.receiver.facts
    points = {"", "resistance", *(p.key for p in facts.circuit.points)}
    points |= {f"{h.tube}{HEATER}" for h in room.receiver.power.heaters}
    cores = {key for can in facts.transformers for key in can.cores}
    clips = {"", "aerial", "mixer grid", *(f"{s.name} grid" for s in facts.circuit.stages)}

    def turn(text: str) -> None:
        adjuster, _, amount = text.partition(",")
        turns = number(amount, low=-40.0, high=40.0)
        with room.lock:
            try:
                room.state = room.receiver.turn(room.now(), adjuster.strip(" \"'"), turns)
            except GlowDialError:
                raise OUT_OF_RANGE from None

    def tune(text: str) -> None:
        band, _, dial = text.partition(",")
        name = _one_of(band, {b.key for b in facts.bands}, OUT_OF_RANGE)
        dial_hz = number(dial, low=1e4, high=1.5e8)
        with room.lock:
            room.state = room.receiver.tune(room.now(), name, dial_hz)

    def probe(text: str) -> None:
        room.probe = _one_of(text, points)

    def clamp(text: str) -> None:
        off = text.strip().upper() == "OFF"
        room.change(avc_clamp_v=None if off else number(text, low=0.0, high=100.0))

    def damp(text: str) -> None:
        room.change(damped=tuple(n for n in [_one_of(text, {"", *cores})] if n))

    def stand(text: str) -> None:
        room.change(place=_one_of(text, {str(p) for p in Site}))

    def wait(text: str) -> None:
        seconds = number(text, low=0.0, high=3600.0)
        with room.lock:
            room.state = room.receiver.advance(room.now(), seconds)

    def mood(text: str) -> None:
        name, _, how = text.partition(",")
        instrument = others.get(_one_of(name, set(others)))
        assert instrument is not None
        word, _, amount = how.strip().partition(" ")
        delay = number(amount, low=0.0, high=LONGEST_DELAY_S) if word.lower() == "late" else 0.0
        known = {"well", "late", "silent", "garbage", "units"}
        instrument.mood = Mood(_one_of(word.lower(), known), delay)

    return ScpiInstrument(
        "GLOW DIAL,SIMULATED HANDS,0,2",
        {
            "TURN": setter(turn),
            "TUNE": setter(tune),
            "PROBe": setter(probe),
            "PROBe?": lambda _: f'"{room.probe}"',
            "INJect": setter(lambda text: room.change(injection=_one_of(text, clips))),
            "CLIP": setter(lambda text: room.change(oscillator_stopped=switch(text))),
            "CLAMp": setter(clamp),
            "DAMP": setter(damp),
            "BEAT": setter(lambda text: room.change(beat_on=switch(text))),
            "CABinet": setter(lambda text: room.change(in_cabinet=switch(text))),
            "PLACe": setter(stand),
            "WAIT": setter(wait),
            "MOOD": setter(mood),
        },
    )


def _one_of(text: str, allowed: set[str], refusal: Exception = NOT_A_NUMBER) -> str:
    if not text.strip():
        raise MISSING
    wanted = text.strip().strip("\"'")
    if wanted not in allowed:
        raise refusal
    return wanted
