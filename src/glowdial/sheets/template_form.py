"""The template as a form: every figure as the service data prints it, empty where it says nothing.

Reading the form gives the template's request in SI; what cannot be right is refused by the name of
its field.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import Annotated

from pydantic import Field

from glowdial.core.language.errors import BadInput
from glowdial.core.language.quantities import (
    AC_VOLTS,
    CURRENT,
    DC_VOLTS,
    FILTER_CAPACITANCE,
    FREQUENCY,
    INTERMEDIATE_FREQUENCY,
    LEVEL,
    RESISTANCE,
    Quantity,
    khz,
    parse,
)
from glowdial.core.physics.supply.circuit import RectifierKind, Topology
from glowdial.sheets.receiver import (
    Chassis,
)
from glowdial.sheets.section import Section
from glowdial.sheets.template import TemplateBand, TemplateRequest, TemplateSupply

Written = Annotated[str, Field(max_length=60)]
MOST_BANDS = 6
# what the template's circuit can be built for
TEMPLATE_CHASSIS = (Chassis.MAINS_TRANSFORMER, Chassis.TRANSFORMERLESS, Chassis.BATTERY)
TEMPLATE_RECTIFIERS = (
    RectifierKind.VACUUM,
    RectifierKind.SILICON,
    RectifierKind.SELENIUM,
    RectifierKind.GAS,
)
TEMPLATE_TOPOLOGIES = tuple(Topology)


@dataclass(frozen=True, slots=True)
class FormField:
    """A field of the form as a page asks for it: the group it stands in, its label, an example."""

    group: str
    name: str
    label: str
    example: str


MODEL, SUPPLY, BAND = "model", "supply", "band"
FORM_FIELDS = (
    FormField(MODEL, "maker", "Maker", "Orlwick"),
    FormField(MODEL, "model", "Model", "Slipway Five"),
    FormField(MODEL, "intermediate_frequency", "IF (kHz)", "455"),
    FormField(BAND, "name", "Band", "Broadcast"),
    FormField(BAND, "low", "From (kHz)", "540"),
    FormField(BAND, "high", "To (kHz)", "1600"),
    FormField(BAND, "low_mark", "Low mark", "600"),
    FormField(BAND, "high_mark", "High mark", "1400"),
    FormField(SUPPLY, "mains", "Mains (V)", "230"),
    FormField(SUPPLY, "secondary", "To the rectifier, unloaded (V)", "290"),
    FormField(SUPPLY, "b_plus", "B+ at the last capacitor (V)", "235"),
    FormField(SUPPLY, "b_plus_current", "B+ current (mA)", "60"),
    FormField(SUPPLY, "tap_current", "of it at the first filter (mA)", "32"),
    FormField(SUPPLY, "b_plus_resistance", "B+ to chassis, cold", "150k"),
    FormField(SUPPLY, "reservoir", "First filter (uF)", "16"),
    FormField(SUPPLY, "filter_resistance", "Filter resistor or choke", "1k2"),
    FormField(SUPPLY, "filter_capacitor", "Second filter (uF)", "16"),
    FormField(SUPPLY, "rectifier_drop", "Rectifier drop (V)", "55"),
    FormField(SUPPLY, "rectifier_drop_current", "at (mA)", "125"),
    FormField(SUPPLY, "sensitivity", "Sensitivity, 10 dB (uV EMF)", "25"),
)


class BandForm(Section):
    """A band as its dial and alignment table print it; a bare number is in kHz."""

    name: Written = Field(examples=["Broadcast"])
    low: Written = Field(examples=["540"])
    high: Written = Field(examples=["1600"])
    low_mark: Written = ""
    high_mark: Written = ""
    padder: bool = True


class TemplateForm(Section):
    """What the service data gives. Maker, model, IF and one band are enough to begin.

    The supply is described when its unloaded winding voltage, B+ and B+ current are given; what
    else is left empty there takes the commonest value.
    """

    maker: Written = Field(examples=["Orlwick"])
    model: Written = Field(examples=["Slipway Five"])
    chassis: Chassis = Chassis.MAINS_TRANSFORMER
    intermediate_frequency: Written = Field(examples=["455"])
    bands: list[BandForm] = Field(min_length=1, max_length=MOST_BANDS)
    mains: Written = Field(default="", examples=["230"])
    secondary: Written = Field(default="", examples=["290"])
    source_resistance: Written = ""
    topology: Topology = Topology.CENTRE_TAP
    rectifier: RectifierKind = RectifierKind.VACUUM
    tap_current: Written = ""
    rectifier_drop: Written = ""
    rectifier_drop_current: Written = ""
    reservoir: Written = ""
    filter_resistance: Written = ""
    filter_capacitor: Written = ""
    b_plus: Written = Field(default="", examples=["235"])
    b_plus_current: Written = Field(default="", examples=["60"])
    b_plus_resistance: Written = ""
    sensitivity: Written = Field(default="", examples=["25 uV"])


def read_form(form: TemplateForm) -> TemplateRequest:
    """The form's figures in SI.

    Raises BadInput naming the field as the form labels it, and pydantic's ValidationError for what
    is out of a section's limits.
    """
    for label, text in (("maker", form.maker), ("model", form.model)):
        if not text.strip():
            raise BadInput(label, text, "is empty, and the sheet is found by it", "Orlwick")
    return TemplateRequest(
        maker=form.maker,
        model=form.model,
        chassis=form.chassis,
        intermediate_frequency_hz=parse(form.intermediate_frequency, INTERMEDIATE_FREQUENCY, "IF"),
        bands=[_band(band) for band in form.bands],
        mains_v=_given(form.mains, AC_VOLTS, "mains voltage"),
        supply=_supply(form),
        b_plus_resistance_ohm=_given(form.b_plus_resistance, RESISTANCE, "B+ to chassis"),
        sensitivity_emf_v=_given(form.sensitivity, LEVEL, "sensitivity"),
    )


def _given(text: str, quantity: Quantity, label: str) -> float | None:
    return parse(text, quantity, label) if text.strip() else None


def _band(form: BandForm) -> TemplateBand:
    name = form.name.strip() or "Broadcast"
    low_hz = parse(form.low, FREQUENCY, f"{name}, low end")
    high_hz = parse(form.high, FREQUENCY, f"{name}, high end")
    if high_hz <= low_hz:
        wanted = f"must lie above the low end, {khz(low_hz)}"
        raise BadInput(f"{name}, high end", form.high, wanted, "540 to 1600")
    return TemplateBand(
        name=name,
        low_hz=low_hz,
        high_hz=high_hz,
        low_mark_hz=_given(form.low_mark, FREQUENCY, f"{name}, low mark"),
        high_mark_hz=_given(form.high_mark, FREQUENCY, f"{name}, high mark"),
        padder=form.padder,
    )


def _supply(form: TemplateForm) -> TemplateSupply | None:
    needed = {
        "winding, unloaded": form.secondary,
        "B+": form.b_plus,
        "B+ current": form.b_plus_current,
        "mains voltage": form.mains,
    }
    if not (form.secondary.strip() or form.b_plus.strip() or form.b_plus_current.strip()):
        return None
    for label, text in needed.items():
        if not text.strip():
            raise BadInput(
                label, "", "is wanted too when the supply is described", _EXAMPLES[label]
            )
    optional = {
        "source_ohm": _given(form.source_resistance, RESISTANCE, "source resistance"),
        "rectifier_drop_v": _given(form.rectifier_drop, DC_VOLTS, "rectifier drop"),
        "rectifier_drop_current_a": _given(
            form.rectifier_drop_current, CURRENT, "rectifier drop current"
        ),
        "reservoir_f": _given(form.reservoir, FILTER_CAPACITANCE, "first filter capacitor"),
        "filter_ohm": _given(form.filter_resistance, RESISTANCE, "filter resistor"),
        "filter_f": _given(form.filter_capacitor, FILTER_CAPACITANCE, "second filter capacitor"),
    }
    required = {
        "secondary_v": parse(form.secondary, AC_VOLTS, "winding, unloaded"),
        "b_plus_v": parse(form.b_plus, DC_VOLTS, "B+"),
        "b_plus_current_a": parse(form.b_plus_current, CURRENT, "B+ current"),
    }
    tap_a = _given(form.tap_current, CURRENT, "current at the first filter") or 0.0
    if tap_a >= required["b_plus_current_a"]:
        raise BadInput(
            "current at the first filter",
            form.tap_current,
            "is part of the B+ current, and smaller than it",
            "32",
        )
    # what the last node feeds is the rest
    required["b_plus_current_a"] -= tap_a
    required["tap_a"] = tap_a
    figures = required | {name: value for name, value in optional.items() if value is not None}
    kinds = {"rectifier": form.rectifier, "topology": form.topology}
    return TemplateSupply.model_validate({**kinds, **figures})


_EXAMPLES = {
    "winding, unloaded": "290",
    "B+": "235",
    "B+ current": "60",
    "mains voltage": "230",
}
