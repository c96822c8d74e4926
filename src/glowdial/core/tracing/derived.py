"""The block diagram of a set whose sheet has none: from its line-up, bands and circuit.

What each stage should do to a signal is the bench's own norm where the circuit does not say: the
gains of the commonest tubes in broadcast receivers.
"""

from __future__ import annotations

from dataclasses import dataclass, field

from glowdial.core.model.blocks import (
    Block,
    BlockDiagram,
    BlockKind,
    Link,
    LinkKind,
    PartFamily,
    Position,
    TestPoint,
)
from glowdial.core.model.circuit import AerialKind
from glowdial.core.model.facts import BandFacts, ReceiverFacts
from glowdial.core.physics.operating_point import AmplifierStage, Device, Role
from glowdial.core.tracing.failures import usual_parts

AERIAL, SUPPLY, HEATERS, SPEAKER, DETECTOR = (
    "aerial",
    "b-plus",
    "heaters",
    "loudspeaker",
    "detector",
)
AVC, VOLUME, BEAT = "avc", "volume", "beat-oscillator"
GRAMOPHONE = "gramophone"
# what a stage with its tuned circuit does to a signal where the sheet does not say, in dB
NORM_GAINS_DB = {
    BlockKind.AERIAL: 0.0,
    BlockKind.SWITCH: 0.0,
    BlockKind.TUNED: 8.0,
    BlockKind.AMPLIFIER: 24.0,
    BlockKind.MIXER: 30.0,
    BlockKind.FILTER: -4.0,
    BlockKind.DETECTOR: -10.0,
    BlockKind.VOLUME: 0.0,
    BlockKind.OUTPUT: 16.0,
    BlockKind.SPEAKER: -30.0,
    BlockKind.DECODER: 0.0,
}
NORM_IF_GAIN_DB, NORM_AUDIO_GAIN_DB = 38.0, 32.0
# how a line-up names what a stage does, by the role that it has in a circuit
FUNCTIONS = {
    Role.RF: ("rf ",),
    Role.MIXER: ("converter", "mixer", "frequency changer"),
    Role.OSCILLATOR: ("oscillator",),
    Role.IF: ("if ",),
    Role.DETECTOR: ("detector",),
    Role.LIMITER: ("limiter",),
    Role.DECODER: ("decoder",),
    Role.OUTPUT: ("output",),
}
CHASSIS_MIN, COIL_MIN = 2.0, 4.0


def device_of(facts: ReceiverFacts, stage: AmplifierStage) -> str:
    """What stands in a stage: by the sheet's circuit, else by its line-up; "" where neither
    says."""
    if facts.circuit.stages_given:
        return stage.name
    words = FUNCTIONS[stage.role]
    return next(
        (t.position for t in facts.tubes if any(w in f"{t.function.lower()} " for w in words)), ""
    )


def position_key(band: str, mode: str) -> str:
    """The key of a band in a mode."""
    return f"{band} {mode}"


def modes_of(facts: ReceiverFacts) -> tuple[str, ...]:
    """The modes that a set's circuit says it has."""
    fm = facts.circuit.fm
    modes = ["FM"] if fm else ["AM"]
    modes += ["CW"] if facts.circuit.beat_oscillator else []
    modes += ["stereo"] if fm and fm.stereo else []
    return tuple(modes)


def diagram_of(facts: ReceiverFacts) -> BlockDiagram:
    """The sheet's block diagram; where it has none, what its line-up, bands and circuit say."""
    return facts.diagram if facts.diagram is not None else _Builder(facts).built()


@dataclass
class _Builder:
    """Puts blocks one behind the other as it goes; ``ends`` are those that the signal is at now."""

    facts: ReceiverFacts
    blocks: list[Block] = field(default_factory=list)
    links: list[Link] = field(default_factory=list)
    points: list[TestPoint] = field(default_factory=list)
    ends: list[tuple[str, tuple[str, ...]]] = field(default_factory=list)

    @property
    def solid(self) -> bool:
        return self.facts.device_word == "transistor"

    def built(self) -> BlockDiagram:
        facts = self.facts
        positions = tuple(
            Position(position_key(b.key, mode), f"{b.name}, {mode}")
            for b in facts.bands
            for mode in modes_of(facts)
        )
        self._front()
        self._mixer()
        self._intermediate()
        self._audio()
        self._needs()
        held = {b.key for b in self.blocks}
        if any(GRAMOPHONE in c.lower() for c in facts.controls) and VOLUME in held:
            positions = (*positions, Position(GRAMOPHONE, GRAMOPHONE, VOLUME))
        return BlockDiagram(
            tuple(self.blocks),
            tuple(self.links),
            tuple(self.points),
            positions,
            AERIAL,
            SPEAKER,
            derived=True,
        )

    def add(
        self,
        key: str,
        name: str,
        kind: BlockKind,
        *,
        gain_db: float | None = None,
        stages: tuple[str, ...] = (),
        used_in: tuple[str, ...] = (),
        effort_min: float = CHASSIS_MIN,
        parts: tuple[tuple[PartFamily, int], ...] = (),
        joined: bool = True,
    ) -> None:
        """One block behind what the signal is at now."""
        gain = NORM_GAINS_DB.get(kind) if gain_db is None else gain_db
        self.blocks.append(
            Block(
                key,
                name,
                kind,
                parts or usual_parts(kind, solid=self.solid),
                effort_min=effort_min,
                gain_db=gain,
                stages=stages,
                used_in=used_in,
                high=not self.solid and kind in HIGH_KINDS,
            )
        )
        if joined:
            self.links += [Link(end, key, used_in=used) for end, used in self.ends]
            self.ends = [(key, used_in)]

    def point(self, name: str, at: str) -> None:
        """A place to clip on, at the input of a block."""
        self.points.append(TestPoint(at, name, at))

    def grid(self, stage: AmplifierStage, what: str) -> str:
        """What the input of a stage is called: by its device, else by what it does."""
        solid = self.solid
        if self.facts.circuit.stages_given:
            solid = stage.device is Device.TRANSISTOR
        return f"{self.shown(stage) or what} {'base' if solid else 'grid'}"

    def in_band(self, band: BandFacts) -> tuple[str, ...]:
        """The positions of a band."""
        return tuple(position_key(band.key, mode) for mode in modes_of(self.facts))

    def roles(self, *roles: Role) -> list[AmplifierStage]:
        """The circuit's stages of some roles, in order."""
        return [s for s in self.facts.circuit.stages if s.role in roles]

    def switched(self, *parts: tuple[PartFamily, int]) -> tuple[tuple[PartFamily, int], ...]:
        """Some parts, with the switch's contacts where the set has more than one band."""
        return (*parts, (PartFamily.CONTACT, 2)) if len(self.facts.bands) > 1 else parts

    def _per_band(self, key: str, name: str) -> None:
        """A coil for each band with its contacts; the signal then runs on in common."""
        before, after = self.ends, []
        for band in self.facts.bands:
            self.ends = before
            used = self.in_band(band)
            self.add(
                f"{key}-{band.key}",
                f"{name} {band.name}",
                BlockKind.TUNED,
                used_in=used,
                effort_min=COIL_MIN,
                parts=self.switched((PartFamily.COIL, 1), (PartFamily.SMALL_CAPACITOR, 2)),
            )
            after += self.ends
        self.ends = after

    def _front(self) -> None:
        kind = self.facts.circuit.aerial.kind
        name = "aerial" if kind is AerialKind.WIRE else kind.value
        self.add(AERIAL, name, BlockKind.AERIAL)
        self._per_band("aerial-coil", "aerial coil")
        for n, stage in enumerate(self.roles(Role.RF), 1):
            self.add(
                stage.name, f"RF {self.shown(stage)}", BlockKind.AMPLIFIER, stages=(stage.name,)
            )
            self.point(self.grid(stage, "RF"), stage.name)
            self._per_band(f"rf-coil-{n}", "RF coil")

    def shown(self, stage: AmplifierStage) -> str:
        """A stage's device, as far as the sheet tells it."""
        return device_of(self.facts, stage)

    def _mixer(self) -> None:
        stages = self.roles(Role.MIXER)
        mixer = stages[0] if stages else None
        name = f"mixer {self.shown(mixer)}".strip() if mixer else "mixer"
        named = (mixer.name,) if mixer else ()
        self.add("mixer", name, BlockKind.MIXER, stages=named)
        at = f"mixer {'base' if self.solid else 'grid'}"
        self.point(at, "mixer")
        own = self.roles(Role.OSCILLATOR)
        self.add(
            "oscillator",
            f"oscillator {self.shown(own[0])}".strip() if own else "oscillator",
            BlockKind.OSCILLATOR,
            stages=(own[0].name,) if own else (),
            joined=False,
        )
        self.links.append(Link("oscillator", "mixer", LinkKind.OSCILLATOR))
        for band in self.facts.bands:
            used = self.in_band(band)
            key = f"oscillator-coil-{band.key}"
            self.add(
                key,
                f"oscillator coil {band.name}",
                BlockKind.TUNED,
                used_in=used,
                effort_min=COIL_MIN,
                parts=self.switched((PartFamily.COIL, 1), (PartFamily.SMALL_CAPACITOR, 3)),
                joined=False,
            )
            self.links.append(Link(key, "oscillator", LinkKind.OSCILLATOR, used))
        if self.facts.circuit.conversion is not None:
            self.add("first-if", "first IF", BlockKind.FILTER, gain_db=-4.0)
            self.add("second-mixer", "second mixer", BlockKind.MIXER)
            self.point("second mixer's input", "second-mixer")
            self.add("second-oscillator", "second oscillator", BlockKind.OSCILLATOR, joined=False)
            self.links.append(Link("second-oscillator", "second-mixer", LinkKind.OSCILLATOR))

    def _intermediate(self) -> None:
        cans = list(self.facts.transformers)
        for can in cans[:1]:
            self._can(can.key, can.name)
        if self.facts.circuit.if_filter is not None:
            self.add(
                "if-filter",
                "IF filter",
                BlockKind.FILTER,
                parts=((PartFamily.CRYSTAL, 1), (PartFamily.SMALL_CAPACITOR, 2)),
            )
        rest = cans[1:]
        for stage in self.roles(Role.IF, Role.LIMITER):
            word = "limiter" if stage.role is Role.LIMITER else "IF"
            gain = 0.0 if stage.role is Role.LIMITER else NORM_IF_GAIN_DB
            self.add(
                stage.name,
                f"{word} {self.shown(stage)}".strip(),
                BlockKind.AMPLIFIER,
                gain_db=gain,
                stages=(stage.name,),
            )
            self.point(self.grid(stage, word), stage.name)
            if rest:
                can = rest.pop(0)
                self._can(can.key, can.name)
        for can in rest:
            self._can(can.key, can.name)

    def _can(self, key: str, name: str) -> None:
        self.add(key, name, BlockKind.FILTER, gain_db=0.0, effort_min=COIL_MIN)

    def _audio(self) -> None:
        first = self.roles(Role.DETECTOR)
        self.add(DETECTOR, "detector", BlockKind.DETECTOR)
        self.point("last IF winding", DETECTOR)
        if self.roles(Role.DECODER):
            stereo = tuple(position_key(b.key, "stereo") for b in self.facts.bands)
            before = list(self.ends)
            self.add("decoder", "stereo decoder", BlockKind.DECODER, used_in=stereo)
            other = tuple(
                position_key(b.key, mode)
                for b in self.facts.bands
                for mode in modes_of(self.facts)
                if mode != "stereo"
            )
            self.ends += [(end, other) for end, _ in before]
        self.add(VOLUME, "volume control", BlockKind.VOLUME)
        self.point("top of the volume control", VOLUME)
        if first:
            self.add(
                "first-audio",
                f"first audio {self.shown(first[0])}".strip(),
                BlockKind.AMPLIFIER,
                gain_db=NORM_AUDIO_GAIN_DB,
                stages=(first[0].name,),
            )
            self.point(self.grid(first[0], "first audio"), "first-audio")
        outputs = self.roles(Role.OUTPUT)
        for stage in outputs:
            self.add(
                stage.name,
                f"output {self.shown(stage)}".strip(),
                BlockKind.OUTPUT,
                stages=(stage.name,),
            )
            self.point(self.grid(stage, "output"), stage.name)
        if not outputs:
            self.add("output", "output stage", BlockKind.OUTPUT)
            self.point("the output's input", "output")
        self.add(SPEAKER, "loudspeaker", BlockKind.SPEAKER)
        self.point("loudspeaker", SPEAKER)

    def _needs(self) -> None:
        """Supply, heaters, AVC and beat oscillator: what the others lean on."""
        amplifying = [b for b in self.blocks if b.kind in LEANING]
        self.add(
            SUPPLY,
            "supply",
            BlockKind.SUPPLY,
            joined=False,
            parts=usual_parts(BlockKind.SUPPLY, solid=self.solid),
        )
        self.links += [Link(SUPPLY, b.key, LinkKind.SUPPLY) for b in amplifying]
        given = self.facts.circuit.stages if self.facts.circuit.stages_given else ()
        if given and any(s.device is not Device.TRANSISTOR for s in given):
            self.add(
                HEATERS,
                "heater supply",
                BlockKind.CONNECTOR,
                joined=False,
                parts=((PartFamily.CONNECTOR, 1), (PartFamily.RESISTOR, 1)),
            )
            tubes = {s.name for s in given if s.device is not Device.TRANSISTOR}
            heated = [b for b in amplifying if set(b.stages) & tubes]
            self.links += [Link(HEATERS, b.key, LinkKind.SUPPLY) for b in heated]
        held = {s.name for s in self.facts.circuit.stages if s.on_avc}
        controlled = [b for b in self.blocks if set(b.stages) & held]
        if controlled:
            self.add(AVC, "AVC line", BlockKind.CONTROL_LINE, joined=False)
            self.links.append(Link(DETECTOR, AVC))
            self.links += [Link(AVC, b.key, LinkKind.CONTROL) for b in controlled]
        if self.facts.circuit.beat_oscillator:
            used = tuple(position_key(b.key, "CW") for b in self.facts.bands)
            self.add(BEAT, "beat oscillator", BlockKind.OSCILLATOR, used_in=used, joined=False)
            self.links.append(Link(BEAT, DETECTOR, LinkKind.OSCILLATOR, used))


LEANING = (
    BlockKind.AMPLIFIER,
    BlockKind.MIXER,
    BlockKind.OSCILLATOR,
    BlockKind.OUTPUT,
    BlockKind.DECODER,
)
# where the plate supply is at hand
HIGH_KINDS = (BlockKind.SUPPLY, BlockKind.OUTPUT)
