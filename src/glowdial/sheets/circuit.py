"""The circuit section of a data sheet: stages, IF filter, detection, AVC, aerial, heaters, points.

All of it may be left out: the norms of the commonest circuit then stand in.
"""

from __future__ import annotations

from typing import Annotated, Literal

from pydantic import Field, model_validator

from glowdial.core.model.circuit import AerialKind, FmKind
from glowdial.core.model.measurands import ELECTRODES
from glowdial.core.physics.operating_point import Device, Role
from glowdial.sheets.section import (
    Frequency,
    HeaterAmperes,
    HeaterVolts,
    Key,
    Resistance,
    Section,
    Source,
    Volts,
    Words,
    refuse,
)

StageName = Annotated[str, Field(pattern=r"^[A-Za-z0-9]{1,12}$", examples=["V2"])]
MaybeOhm = Annotated[float, Field(ge=0, le=1e9)]
WinQ = Annotated[float, Field(gt=1, le=2000)]


class TypicalSheet(Section):
    """The device's data-sheet point; a transistor gives its base volts and current gain."""

    plate_v: Volts
    plate_a: Annotated[float, Field(gt=0, le=5)]
    control_v: float = Field(ge=-200, le=5, examples=[-2.5])
    transconductance_s: float = Field(gt=0, le=5, examples=[1.6e-3])
    screen_v: float = Field(default=0.0, ge=0, le=2000)
    screen_a: float = Field(default=0.0, ge=0, le=1)
    current_gain: float = Field(default=80.0, gt=1, le=2000)


class StageSheet(Section):
    """A tube or transistor with the resistors around it; 0 where there is none."""

    name: StageName
    role: Role
    device: Device
    typical: TypicalSheet
    plate_ohm: MaybeOhm = 0.0
    screen_ohm: MaybeOhm = 0.0
    cathode_ohm: MaybeOhm = 0.0
    grid_leak_ohm: MaybeOhm = 0.0
    fixed_bias_v: float = Field(default=0.0, ge=0, le=200)
    upper_ohm: MaybeOhm = 0.0
    lower_ohm: MaybeOhm = 0.0
    coupled_from: StageName | None = None
    feed: int = Field(default=-1, ge=-1, le=4, description="filter node, 0 the reservoir, -1 last")
    on_avc: bool = False
    screen_lower_ohm: MaybeOhm = Field(default=0.0, description="a divider's, screen to chassis")
    direct_from: StageName | None = Field(
        default=None, description="whose plate or collector this grid or base is joined to"
    )
    screen_with: StageName | None = Field(default=None, description="whose screen this one shares")

    @model_validator(mode="after")
    def _is_whole(self) -> StageSheet:
        if self.device is Device.PENTODE and self.typical.screen_v <= 0.0:
            raise refuse(f"stage {self.name}: a pentode needs screen_v", '"screen_v": 90')
        undivided = self.direct_from is None and min(self.upper_ohm, self.lower_ohm) <= 0.0
        if self.device is Device.TRANSISTOR and undivided:
            raise refuse(
                f"stage {self.name}: a transistor needs its base divider",
                '"upper_ohm": 47000, "lower_ohm": 8200',
            )
        return self


class CrystalFilterSheet(Section):
    """A single crystal with its phasing."""

    kind: Literal["crystal"]
    resonance_hz: Frequency
    q: float = Field(default=4000.0, gt=10, le=200_000)
    unbalance: float = Field(default=0.0, ge=-0.5, le=0.5)


class MechanicalFilterSheet(Section):
    """A mechanical filter."""

    kind: Literal["mechanical"]
    centre_hz: Frequency
    width_hz: float = Field(gt=50, le=100_000)
    resonators: int = Field(default=7, ge=2, le=15)
    ripple_db: float = Field(default=1.0, gt=0, le=6)
    loss_db: float = Field(default=8.0, ge=0, le=40)


class ConversionSheet(Section):
    """A first conversion ahead of the tuned IF."""

    first_intermediate_hz: Frequency
    second_oscillator_hz: Frequency
    first_q: WinQ = 80.0


class AvcSheet(Section):
    """The AVC's law."""

    control_v_per_neper: float = Field(default=3.1, gt=0, le=50)
    delay_v: float = Field(default=0.0, ge=0, le=50)
    time_constant_s: float = Field(default=0.1, gt=0, le=10)
    source_ohm: Resistance = 1.2e6


class AerialSheet(Section):
    """What it listens with."""

    kind: AerialKind = AerialKind.WIRE
    turns: int = Field(default=18, ge=1, le=200)
    area_m2: float = Field(default=0.06, gt=0, le=2)
    height_m: float = Field(default=0.5, gt=0, le=10)


class FmSheet(Section):
    """Limiter, discriminator, de-emphasis and stereo."""

    limiter_v: float = Field(default=0.5, gt=0, le=50)
    separation_hz: float = Field(default=240e3, gt=1e4, le=2e6)
    q: WinQ = 35.0
    deemphasis_s: float = Field(default=50e-6, gt=1e-6, le=1e-3)
    stereo: bool = False
    kind: FmKind = FmKind.DISCRIMINATOR
    primary: Key | None = Field(default=None, description="adjuster of the detector's primary")
    secondary: Key | None = Field(default=None, description="adjuster of the detector's secondary")
    of_critical: float = Field(default=1.5, gt=0.2, le=4)


class HeaterSheet(Section):
    """One heater."""

    tube: StageName
    volts: HeaterVolts
    amperes: HeaterAmperes
    direct: bool = False


class HeatersSheet(Section):
    """All heaters, in series across the line with a dropper or ballast, or in parallel."""

    heaters: list[HeaterSheet] = Field(min_length=1, max_length=40)
    in_series: bool = False
    dropper_ohm: MaybeOhm = 0.0


class PointSheet(Section):
    """A named connection point on a node, perhaps behind a resistor."""

    key: Key
    name: Words
    node: Words = Field(examples=["V2 plate"])
    series_ohm: MaybeOhm = 0.0


class CircuitSheet(Section):
    """The circuit."""

    source: Source
    stages: list[StageSheet] = Field(default_factory=list, max_length=40)
    aerial: AerialSheet = AerialSheet()
    avc: AvcSheet = AvcSheet()
    conversion: ConversionSheet | None = None
    if_filter: CrystalFilterSheet | MechanicalFilterSheet | None = Field(
        default=None, discriminator="kind"
    )
    beat_oscillator: bool = False
    fm: FmSheet | None = None
    heaters: HeatersSheet | None = None
    points: list[PointSheet] = Field(default_factory=list, max_length=100)
    aerial_q: WinQ = 75.0
    rf_stage: bool = False

    @model_validator(mode="after")
    def _hangs_together(self) -> CircuitSheet:
        names = [s.name for s in self.stages]
        twice = sorted({n for n in names if names.count(n) > 1})
        if twice:
            raise refuse(f"stage {twice[0]!r} stands twice", "each stage once")
        for stage in self.stages:
            if stage.coupled_from is not None and stage.coupled_from not in names:
                raise refuse(
                    f"stage {stage.name} is coupled from {stage.coupled_from!r}, which is not "
                    "listed",
                    names[0],
                )
            for other in (stage.direct_from, stage.screen_with):
                if other is not None and (other not in names or other == stage.name):
                    raise refuse(
                        f"stage {stage.name} hangs on {other!r}, which is no other stage listed",
                        names[0],
                    )
        keys = [p.key for p in self.points]
        doubled = sorted({k for k in keys if keys.count(k) > 1})
        if doubled:
            raise refuse(f"point {doubled[0]!r} stands twice", "each point once")
        nodes = nodes_of(names)
        for point in self.points:
            if point.node not in nodes:
                raise refuse(
                    f"point {point.key} sits on {point.node!r}, which is no node of the circuit",
                    f"{names[0]} plate" if names else "b-plus",
                )
        return self


# what an FM detector adds: its output, and the level across its diodes
FM_NODES = ("discriminator", "fm level")
COMMON_NODES = ("aerial", "mixer grid", "avc", "detector", "audio", "b-plus", "reservoir", "line")


def nodes_of(stage_names: list[str]) -> set[str]:
    """Every node that a point may sit on."""
    return {*COMMON_NODES, *FM_NODES, *(f"{name} {e}" for name in stage_names for e in ELECTRODES)}
