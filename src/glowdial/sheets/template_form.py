"""The template as a form: every figure as the service data prints it, empty where it says nothing.

Reading the form gives the template's request in SI; what cannot be right is refused by the name of
its field.
"""

from __future__ import annotations

from dataclasses import dataclass
from enum import StrEnum
from typing import Annotated

from pydantic import Field

from glowdial.core.language.errors import BadInput
from glowdial.core.language.quantities import (
    AC_VOLTS,
    CURRENT,
    DC_VOLTS,
    FILTER_CAPACITANCE,
    FM_INTERMEDIATE,
    FREQUENCY,
    HERTZ,
    INDUCTANCE,
    INTERMEDIATE_FREQUENCY,
    LEVEL,
    RESISTANCE,
    SOURCE_OHM,
    Quantity,
    khz,
    parse,
)
from glowdial.core.model.circuit import AerialKind
from glowdial.core.model.facts import Microvolts
from glowdial.core.physics.supply.circuit import RectifierKind, Topology, Waveform
from glowdial.core.safety.cautions import Trait
from glowdial.sheets.line_up import LINE_EXAMPLE, LineUp, read_line_up
from glowdial.sheets.receiver import (
    Chassis,
    Devices,
)
from glowdial.sheets.section import Section
from glowdial.sheets.template import (
    LowEnd,
    TemplateBand,
    TemplateRequest,
    TemplateSupply,
    TunedBy,
)

Written = Annotated[str, Field(max_length=60)]
MOST_BANDS = 10
NORM_FM_IF_HZ = 10.7e6
# heaters of a string may add up to a little more than the line's nominal volts
STRING_SLACK = 1.1
NORM_REED_HZ = 100.0
# what the template's circuit can be built for
TEMPLATE_CHASSIS = (Chassis.MAINS_TRANSFORMER, Chassis.TRANSFORMERLESS, Chassis.BATTERY)
TEMPLATE_RECTIFIERS = (
    RectifierKind.VACUUM,
    RectifierKind.SILICON,
    RectifierKind.SELENIUM,
    RectifierKind.GAS,
)


class Feed(StrEnum):
    """Where B+ comes from."""

    AS_CHASSIS = "what it runs from"
    VIBRATOR = "a vibrator"
    BATTERY = "a high-tension battery"


class OscillatorSide(StrEnum):
    """Where the oscillator stands."""

    ABOVE = "above"
    BELOW = "below"


class Plates(StrEnum):
    """The gang's oscillator plates."""

    ALIKE = "like the others"
    CUT = "cut for the band"


class BeforeMixer(StrEnum):
    """The tuned circuits before the mixer."""

    ONE = "aerial circuit"
    TWO = "aerial and RF"
    THREE = "aerial and two RF"


class Heating(StrEnum):
    """How the heaters hang."""

    PARALLEL = "in parallel"
    STRING = "in a string"


# what a sheet is asked about that decides cautions, in a person's words
TICKED_TRAITS = {
    Trait.TRANSMIT: "can transmit",
    Trait.HIGH_TENSION_OUTSIDE: "high tension on outside terminals",
    Trait.TUNING_EYE: "tuning eye or cathode-ray tube",
    Trait.LUMINOUS: "luminous paint on the dial",
}


@dataclass(frozen=True, slots=True)
class FormField:
    """A field of the form as a page asks for it: the group it stands in, its label, an example."""

    group: str
    name: str
    label: str
    example: str


@dataclass(frozen=True, slots=True)
class FormChoice:
    """A choice of the form, and what may be chosen, the usual first."""

    group: str
    name: str
    label: str
    options: tuple[str, ...]


MODEL, SUPPLY, BAND, HEATERS = "model", "supply", "band", "heaters"
FORM_CHOICES = (
    FormChoice(MODEL, "chassis", "Runs from", TEMPLATE_CHASSIS),
    FormChoice(MODEL, "devices", "Works with", tuple(Devices)),
    FormChoice(MODEL, "tuned_by", "Tuned by", tuple(TunedBy)),
    FormChoice(MODEL, "listens_with", "Listens with", tuple(AerialKind)),
    FormChoice(BAND, "oscillator", "Oscillator", tuple(OscillatorSide)),
    FormChoice(BAND, "low_end", "Its low end by", tuple(LowEnd)),
    FormChoice(BAND, "plates", "Its plates", tuple(Plates)),
    FormChoice(BAND, "before_mixer", "Before the mixer", tuple(BeforeMixer)),
    FormChoice(SUPPLY, "feed", "B+ comes from", tuple(Feed)),
    FormChoice(
        SUPPLY,
        "topology",
        "Feeds the rectifier",
        (Topology.CENTRE_TAP, *(t for t in Topology if t is not Topology.CENTRE_TAP)),
    ),
    FormChoice(SUPPLY, "rectifier", "Rectifier", TEMPLATE_RECTIFIERS),
    FormChoice(SUPPLY, "sensitivity_told_in", "Its microvolts are", tuple(Microvolts)),
    FormChoice(HEATERS, "heating", "Heaters hang", tuple(Heating)),
)
FORM_FIELDS = (
    FormField(MODEL, "maker", "Maker", "Orlwick"),
    FormField(MODEL, "model", "Model", "Slipway Five"),
    FormField(MODEL, "intermediate_frequency", "IF (kHz)", "455"),
    FormField(MODEL, "first_intermediate", "First IF of two (kHz)", "none"),
    FormField(MODEL, "fm_intermediate_frequency", "FM IF, if it has FM (MHz)", "10.7"),
    FormField(BAND, "name", "Band", "Broadcast"),
    FormField(BAND, "low", "From (kHz)", "540"),
    FormField(BAND, "high", "To (kHz)", "1600"),
    FormField(BAND, "low_mark", "Low mark", "600"),
    FormField(BAND, "high_mark", "High mark", "1400"),
    FormField(BAND, "first_oscillator", "Fixed oscillator ahead (kHz)", "none"),
    FormField(HEATERS, "dropper", "Dropper or ballast (ohm)", "120"),
    FormField(SUPPLY, "mains", "Mains or battery (V)", "230"),
    FormField(SUPPLY, "mains_frequency", "Mains or reed (Hz)", "50"),
    FormField(SUPPLY, "secondary", "To the rectifier, unloaded (V)", "290"),
    FormField(SUPPLY, "b_plus", "B+ at the last capacitor (V)", "235"),
    FormField(SUPPLY, "b_plus_current", "B+ current (mA)", "60"),
    FormField(SUPPLY, "tap_current", "of it at the first filter (mA)", "32"),
    FormField(SUPPLY, "b_plus_resistance", "B+ to chassis, cold", "150k"),
    FormField(SUPPLY, "reservoir", "First filter (uF)", "16"),
    FormField(SUPPLY, "other_half", "Doubler's other (uF)", "16"),
    FormField(SUPPLY, "input_choke", "Choke ahead of it (H)", "none"),
    FormField(SUPPLY, "filter_choke", "Filter choke, if one (H)", "none"),
    FormField(SUPPLY, "filter_resistance", "Filter resistor or choke (ohm)", "1k2"),
    FormField(SUPPLY, "filter_capacitor", "Second filter (uF)", "16"),
    FormField(SUPPLY, "rectifier_drop", "Rectifier drop (V)", "55"),
    FormField(SUPPLY, "rectifier_drop_current", "at (mA)", "125"),
    FormField(SUPPLY, "sensitivity", "Sensitivity, 10 dB (uV)", "25"),
    FormField(SUPPLY, "sensitivity_source", "Told of a source of (ohm)", "300"),
)


class BandForm(Section):
    """A band as its dial and alignment table print it; a bare number is in kHz."""

    name: Written = Field(examples=["Broadcast"])
    low: Written = Field(examples=["540"])
    high: Written = Field(examples=["1600"])
    low_mark: Written = ""
    high_mark: Written = ""
    first_oscillator: Written = ""
    low_end: LowEnd = LowEnd.PADDER
    oscillator: OscillatorSide = OscillatorSide.ABOVE
    plates: Plates = Plates.ALIKE
    before_mixer: BeforeMixer = BeforeMixer.ONE


class TemplateForm(Section):
    """What the service data gives. Maker, model, IF and one band are enough to begin; of a set
    with nothing but FM the FM's IF is enough.

    The supply is described when its unloaded winding voltage, B+ and B+ current are given; what
    else is left empty there takes the commonest value.
    """

    maker: Written = Field(examples=["Orlwick"])
    model: Written = Field(examples=["Slipway Five"])
    chassis: Chassis = Chassis.MAINS_TRANSFORMER
    tuned_by: TunedBy = TunedBy.GANG
    intermediate_frequency: Written = Field(examples=["455"])
    fm_intermediate_frequency: Written = ""
    first_intermediate: Written = ""
    listens_with: AerialKind = AerialKind.WIRE
    bands: list[BandForm] = Field(min_length=1, max_length=MOST_BANDS)
    mains: Written = Field(default="", examples=["230"])
    secondary: Written = Field(default="", examples=["290"])
    source_resistance: Written = ""
    devices: Devices = Devices.TUBES
    line_up: str = Field(default="", max_length=4000, examples=[LINE_EXAMPLE])
    heating: Heating = Heating.PARALLEL
    dropper: Written = ""
    traits: list[Trait] = Field(default_factory=list, max_length=12)
    feed: Feed = Feed.AS_CHASSIS
    mains_frequency: Written = ""
    other_half: Written = ""
    input_choke: Written = ""
    filter_choke: Written = ""
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
    sensitivity_told_in: Microvolts = Microvolts.EMF
    sensitivity_source: Written = ""


def read_form(form: TemplateForm) -> TemplateRequest:
    """The form's figures in SI.

    Raises BadInput naming the field as the form labels it, and pydantic's ValidationError for what
    is out of a section's limits.
    """
    for label, text in (("maker", form.maker), ("model", form.model)):
        if not text.strip():
            raise BadInput(label, text, "is empty, and the sheet is found by it", "Orlwick")
    line_up = read_line_up(form.line_up)
    bands = [_band(band) for band in form.bands]
    mains_v = _given(form.mains, AC_VOLTS, "mains voltage")
    _check_string(form, line_up, mains_v)
    return TemplateRequest(
        maker=form.maker,
        model=form.model,
        chassis=form.chassis,
        intermediate_frequency_hz=_intermediate_hz(form, bands),
        fm_intermediate_hz=_fm_intermediate_hz(form, bands),
        first_intermediate_hz=_given(form.first_intermediate, FREQUENCY, "first IF") or 0.0,
        bands=bands,
        listens_with=form.listens_with,
        tuned_by=form.tuned_by,
        mains_v=mains_v,
        devices=form.devices,
        line_up=list(line_up.tubes),
        direct=sorted(line_up.direct),
        heaters_in_series=form.heating is Heating.STRING,
        dropper_ohm=_given(form.dropper, RESISTANCE, "dropper") or 0.0,
        traits=form.traits,
        supply=_supply(form, line_up.first_a),
        b_plus_resistance_ohm=_given(form.b_plus_resistance, RESISTANCE, "B+ to chassis"),
        sensitivity_emf_v=_sensitivity_v(form),
        sensitivity_told_in=form.sensitivity_told_in,
        sensitivity_source_ohm=_given(form.sensitivity_source, SOURCE_OHM, "source") or 0.0,
    )


def _sensitivity_v(form: TemplateForm) -> float | None:
    """As EMF, however the maker means his microvolts."""
    given_v = _given(form.sensitivity, LEVEL, "sensitivity")
    if given_v is not None and form.sensitivity_told_in is Microvolts.PD:
        return 2.0 * given_v
    return given_v


def _intermediate_hz(form: TemplateForm, bands: list[TemplateBand]) -> float:
    """The IF; of a set whose every band is FM, that of the FM."""
    only_fm = all(b.is_fm for b in bands)
    if only_fm and (not form.intermediate_frequency.strip() or form.fm_intermediate_frequency):
        return _fm_intermediate_hz(form, bands)
    quantity = FM_INTERMEDIATE if only_fm else INTERMEDIATE_FREQUENCY
    return parse(form.intermediate_frequency, quantity, "IF")


def _fm_intermediate_hz(form: TemplateForm, bands: list[TemplateBand]) -> float:
    """The IF of its FM bands; the usual one where none is given, 0 where it has none."""
    if not any(b.is_fm for b in bands):
        return 0.0
    return _given(form.fm_intermediate_frequency, FM_INTERMEDIATE, "FM IF") or NORM_FM_IF_HZ


def _check_string(form: TemplateForm, line_up: LineUp, mains_v: float | None) -> None:
    """Heaters of a string that want more than the line gives are misread, or hang otherwise."""
    whole_v = sum(t.heater_v or 0.0 for t in line_up.tubes)
    if form.heating is Heating.STRING and mains_v and whole_v > STRING_SLACK * mains_v:
        raise BadInput(
            "tubes",
            f"{whole_v:.0f} V of heaters in a string",
            f"is more than the line's {mains_v:.0f} V",
            LINE_EXAMPLE,
        )


def _waveform(form: TemplateForm) -> Waveform:
    """A set on batteries has a vibrator or a high-tension battery; one on the mains has neither."""
    if form.feed is Feed.VIBRATOR:
        return Waveform.SQUARE
    battery = form.feed is Feed.BATTERY or form.chassis is Chassis.BATTERY
    return Waveform.BATTERY if battery else Waveform.SINE


def _given(text: str, quantity: Quantity, label: str) -> float | None:
    return parse(text, quantity, label) if text.strip() else None


def _band(form: BandForm) -> TemplateBand:
    name = form.name.strip() or "Broadcast"
    low_hz = parse(form.low, FREQUENCY, f"{name}, low end")
    high_hz = parse(form.high, FREQUENCY, f"{name}, high end")
    if high_hz <= low_hz:
        wanted = f"must lie above the low end, {khz(low_hz)}"
        raise BadInput(f"{name}, high end", form.high, wanted, "540 to 1600")
    fixed_hz = _given(form.first_oscillator, FREQUENCY, f"{name}, fixed oscillator") or 0.0
    if fixed_hz >= low_hz:
        wanted = "above its band turns the scale round; enter the tunable IF behind it as the band"
        raise BadInput(f"{name}, fixed oscillator", form.first_oscillator, wanted, "9000")
    return TemplateBand(
        name=name,
        low_hz=low_hz,
        high_hz=high_hz,
        low_mark_hz=_given(form.low_mark, FREQUENCY, f"{name}, low mark"),
        high_mark_hz=_given(form.high_mark, FREQUENCY, f"{name}, high mark"),
        low_end=form.low_end,
        oscillator_above=form.oscillator is OscillatorSide.ABOVE,
        cut_plates=form.plates is Plates.CUT,
        before_mixer=list(BeforeMixer).index(form.before_mixer) + 1,
        first_oscillator_hz=fixed_hz,
    )


def _supply(form: TemplateForm, first_a: float) -> TemplateSupply | None:
    waveform = _waveform(form)
    secondary = (
        form.secondary
        if form.secondary.strip() or waveform is not Waveform.BATTERY
        else (form.mains)
    )
    needed = {
        "winding, unloaded": secondary,
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
        "other_half_f": _given(form.other_half, FILTER_CAPACITANCE, "doubler's other capacitor"),
        "input_choke_h": _given(form.input_choke, INDUCTANCE, "input choke"),
        "filter_choke_h": _given(form.filter_choke, INDUCTANCE, "filter choke"),
        "line_hz": _given(form.mains_frequency, HERTZ, "mains frequency"),
    }
    if waveform is Waveform.SQUARE and optional["line_hz"] is None:
        optional["line_hz"] = NORM_REED_HZ
    required = {
        "secondary_v": parse(secondary, AC_VOLTS, "winding, unloaded"),
        "b_plus_v": parse(form.b_plus, DC_VOLTS, "B+"),
        "b_plus_current_a": parse(form.b_plus_current, CURRENT, "B+ current"),
    }
    # what the lines say of their feeds counts where the sum is not given
    given_a = _given(form.tap_current, CURRENT, "current at the first filter")
    tap_a = given_a if given_a is not None else first_a
    if tap_a >= required["b_plus_current_a"]:
        raise BadInput(
            "current at the first filter",
            form.tap_current or f"{1e3 * first_a:.3g} mA by the lines",
            "is part of the B+ current, and smaller than it",
            "32",
        )
    # what the last node feeds is the rest
    required["b_plus_current_a"] -= tap_a
    required["tap_a"] = tap_a
    figures = required | {name: value for name, value in optional.items() if value is not None}
    kinds = {"rectifier": form.rectifier, "topology": form.topology, "waveform": waveform}
    return TemplateSupply.model_validate({**kinds, **figures})


_EXAMPLES = {
    "winding, unloaded": "290",
    "B+": "235",
    "B+ current": "60",
    "mains voltage": "230",
}
