"""What is complained of, as a starting point of fault tracing: what is looked for, what is likelier
than by its rate alone, and in which order evidence is collected. The engine is the same for all."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field

from glowdial.core.model.blocks import Block, BlockDiagram, BlockKind, PartFamily
from glowdial.core.tracing.failures import Symptom
from glowdial.core.tracing.trials import TrialKind

K, P = BlockKind, PartFamily


@dataclass(frozen=True, slots=True)
class Complaint:
    """A complaint: its words, what is looked for, how much likelier kinds of blocks and families of
    parts are, which kinds of test are taken first (as if they cost that share of their minutes),
    how the evidence is collected, and whether a working AVC hides it."""

    words: str
    symptom: Symptom
    order: tuple[str, ...]
    blocks: Mapping[BlockKind, float] = field(default_factory=dict)
    parts: Mapping[PartFamily, float] = field(default_factory=dict)
    sooner: Mapping[TrialKind, float] = field(default_factory=dict)
    hidden_by_avc: bool = False

    def weight(self, block: Block) -> float:
        """How much likelier a block is than by its rate alone."""
        held = {part for part, _ in block.parts}
        by_part = max((w for part, w in self.parts.items() if part in held), default=1.0)
        return self.blocks.get(block.kind, 1.0) * by_part

    def weights(self, diagram: BlockDiagram) -> dict[str, float]:
        """The same of every block whose rate it changes."""
        found = {b.key: self.weight(b) for b in diagram.blocks}
        return {key: weight for key, weight in found.items() if weight != 1.0}


RADIO = {K.TUNED: 3.0, K.SWITCH: 3.0, K.OSCILLATOR: 2.0}
COMPLAINTS: tuple[Complaint, ...] = (
    Complaint(
        "dead",
        Symptom.SIGNAL,
        ("Look, and reseat what can be reseated.", "Supply first, then halves of the chain."),
        {K.SUPPLY: 2.0, K.REGULATOR: 2.0, K.CONNECTOR: 1.5, K.OUTPUT: 1.5},
        sooner={TrialKind.LOOK: 0.5, TrialKind.RESEAT: 0.5},
    ),
    Complaint(
        "weak everywhere",
        Symptom.SIGNAL,
        (
            "Clamp the AVC, or a loss ahead of the detector hides behind it.",
            "Levels along the chain against what is expected.",
        ),
        {K.AMPLIFIER: 1.5, K.MIXER: 1.5, K.CONTROL_LINE: 2.0},
        hidden_by_avc=True,
    ),
    Complaint(
        "weak on some bands",
        Symptom.SIGNAL,
        ("What only those bands use: coils and their contacts.", "Then the oscillator there."),
        RADIO,
        sooner={TrialKind.FUNCTION: 0.5, TrialKind.OHMS: 0.7},
        hidden_by_avc=True,
    ),
    Complaint(
        "dies on a band",
        Symptom.SIGNAL,
        (
            "Is the oscillator alive over that band? It often stops at the low end.",
            "Then that band's coils and contacts.",
        ),
        {K.OSCILLATOR: 4.0, K.TUNED: 2.0, K.SWITCH: 2.0},
        sooner={TrialKind.OSCILLATION: 0.4},
        hidden_by_avc=True,
    ),
    Complaint(
        "intermittent",
        Symptom.SIGNAL,
        (
            "Trace it while it is down; if it comes back on a touch, that was the place.",
            "Tap, wiggle, heat, cool; contact by contact, what was touched last first.",
        ),
        {K.SWITCH: 2.0, K.CONNECTOR: 3.0, K.RELAY: 2.0},
        {P.CONNECTOR: 2.0, P.CONTACT: 2.0},
        {TrialKind.TAP: 0.4, TrialKind.RESEAT: 0.5, TrialKind.COOL: 0.6, TrialKind.HEAT: 0.6},
    ),
    Complaint(
        "hum at the line's frequency",
        Symptom.HUM,
        (
            "A tube that leaks from heater to cathode, an open grid, a lead beside the heaters.",
            "Silence the grids one after the other from the back.",
        ),
        parts={P.TUBE: 5.0},
    ),
    Complaint(
        "hum at twice the line's frequency",
        Symptom.HUM,
        ("The filter first: its ripple tells which capacitor.", "Then decoupling of the stages."),
        {K.SUPPLY: 6.0, K.REGULATOR: 3.0},
        {P.ELECTROLYTIC: 2.0},
    ),
    Complaint(
        "hum only with a station tuned in",
        Symptom.HUM,
        (
            "Modulation hum: mains bypass, earth, rectifier; another aerial tells.",
            "Then the stages ahead of the detector.",
        ),
        {K.SUPPLY: 3.0, K.MIXER: 2.0, K.OSCILLATOR: 2.0, K.CONTROL_LINE: 2.0},
    ),
    Complaint(
        "mechanical hum",
        Symptom.HUM,
        ("Loudspeaker off: if it still hums, it is iron or a loose can; tighten, do not trace.",),
        {K.SUPPLY: 4.0},
        sooner={TrialKind.TAP: 0.3, TrialKind.LOOK: 0.3},
    ),
    Complaint(
        "distorted",
        Symptom.DISTORTION,
        (
            "Volts of the output stage first: a leaking coupling capacitor ruins it.",
            "A clean tone in from the back forward.",
        ),
        {K.OUTPUT: 3.0, K.DETECTOR: 1.5, K.CONTROL_LINE: 1.5},
        {P.PAPER: 2.0},
        {TrialKind.VOLTS: 0.5},
    ),
    Complaint(
        "distorted when hot",
        Symptom.DISTORTION,
        (
            "Volts cold and again hot: what moved is near.",
            "Warm one part alone, then cool it: coupling capacitors, the output, its bias.",
        ),
        {K.OUTPUT: 3.0, K.AMPLIFIER: 1.5},
        {P.PAPER: 3.0, P.SEMICONDUCTOR: 2.0},
        {TrialKind.VOLTS: 0.5, TrialKind.HEAT: 0.4, TrialKind.COOL: 0.5},
    ),
    Complaint(
        "squeal near a band's end",
        Symptom.SQUEAL,
        (
            "Shields and cabinet on? A bypass, neutralising, a drifting trimmer.",
            "Bridge bypasses with a good one, radio side first.",
        ),
        {K.AMPLIFIER: 2.0, K.MIXER: 2.0, K.CONTROL_LINE: 3.0, K.TUNED: 2.0},
        sooner={TrialKind.LOOK: 0.4},
    ),
    Complaint(
        "motor-boating",
        Symptom.SQUEAL,
        ("A common feed: the last filter and the decouplings, bridged with a good one.",),
        {K.SUPPLY: 4.0, K.REGULATOR: 2.0},
        {P.ELECTROLYTIC: 3.0},
    ),
    Complaint(
        "crackle",
        Symptom.NOISE,
        (
            "Work every control and switch; then tap.",
            "Silence the grids from the back: what still crackles is behind.",
        ),
        parts={P.POTENTIOMETER: 3.0, P.CONTACT: 2.0, P.CONNECTOR: 2.0},
        sooner={TrialKind.TAP: 0.4},
    ),
    Complaint(
        "drift",
        Symptom.DRIFT,
        ("Warm and cool the oscillator's parts one by one, and watch the dial.",),
        {K.OSCILLATOR: 5.0, K.TUNED: 2.0, K.CONTROL_LINE: 2.0, K.REGULATOR: 2.0},
        sooner={TrialKind.HEAT: 0.5, TrialKind.COOL: 0.4},
    ),
    Complaint(
        "wrong side effects",
        Symptom.SIGNAL,
        (
            "What happens together shares something: a supply, a switch, a relay, a board.",
            "Try every function once: the matrix tells most.",
        ),
        {K.SWITCH: 3.0, K.RELAY: 3.0, K.CONNECTOR: 3.0, K.SUPPLY: 2.0, K.REGULATOR: 2.0},
        sooner={TrialKind.FUNCTION: 0.5},
    ),
)
NOTHING = "nothing"
# before anybody has said what is wrong
UNTOLD = Complaint("", Symptom.SIGNAL, ())


def complaint_of(words: str) -> Complaint | None:
    """The complaint of those words."""
    return next((c for c in COMPLAINTS if c.words == words), None)
