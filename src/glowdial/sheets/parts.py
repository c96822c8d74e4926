"""The parts and windings of a data sheet: what may be changed, and what a meter should find.

Values are SI. A can of several sections is a row for each section, with the can's name.
"""

from __future__ import annotations

from typing import Self

from pydantic import Field, model_validator

from glowdial.core.model.facts import WindingFact
from glowdial.core.model.parts import Part, PartKind, PartUse
from glowdial.sheets.section import Key, Resistance, Section, Source, Volts, Words, refuse

AREAS = ("supply", "if", "oscillator", "aerial", "audio")


class PartSheet(Section):
    """A capacitor (value_f) or a resistor (value_ohm), one row for each section of a can."""

    ref: str = Field(pattern=r"^[A-Za-z]{1,3}[0-9]{1,4}[a-z]?$", examples=["C12"])
    name: Words = Field(examples=["first filter"])
    kind: PartKind
    use: PartUse
    value_f: float | None = Field(default=None, gt=0, le=1.0, examples=[32e-6])
    value_ohm: float | None = Field(default=None, gt=0, le=1e9, examples=[47e3])
    volts: Volts | None = None
    watts: float | None = Field(default=None, gt=0, le=200)
    can: Words = ""
    area: str = Field(default="", pattern="^(|supply|if|oscillator|aerial|audio)$")
    dissipation_w: float | None = Field(default=None, ge=0, le=100)
    most_f: float | None = Field(
        default=None,
        gt=0,
        le=1.0,
        description="largest first filter permitted",
    )

    @model_validator(mode="after")
    def _one_value(self) -> Self:
        resistor = self.kind is PartKind.RESISTOR
        wanted, other = (
            (self.value_ohm, self.value_f) if resistor else (self.value_f, self.value_ohm)
        )
        if wanted is None or other is not None:
            name = "value_ohm" if resistor else "value_f"
            raise refuse(f"part {self.ref} needs {name}, and that alone", f'"{name}": 4.7e-8')
        if resistor != (self.use is PartUse.RESISTANCE):
            raise refuse(
                f"part {self.ref} is a {self.kind.value} used as {self.use.value}",
                '"kind": "resistor", "use": "resistor"',
            )
        return self

    @property
    def part(self) -> Part:
        """As the core wants it."""
        return Part(
            ref=self.ref,
            name=self.name,
            kind=self.kind,
            use=self.use,
            value=self.value_f or self.value_ohm or 0.0,
            volts=self.volts,
            watts=self.watts,
            can=self.can,
            area=self.area,
            dissipation_w=self.dissipation_w,
            most_f=self.most_f,
        )


class WindingSheet(Section):
    """A winding with its resistance at 20 degrees."""

    source: Source
    key: Key
    name: Words = Field(examples=["output transformer, primary"])
    resistance_ohm: Resistance
    area: str = Field(default="audio", pattern="^(supply|if|oscillator|aerial|audio)$")

    @property
    def fact(self) -> WindingFact:
        """As the core wants it."""
        return WindingFact(self.key, self.name, self.resistance_ohm, self.area)
