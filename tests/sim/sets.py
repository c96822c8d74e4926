"""Sets of other kinds for the simulation's tests, each from a sheet document."""

from __future__ import annotations

import json
from functools import cache
from typing import Any

from glowdial.core.model.facts import ReceiverFacts
from glowdial.demo.fill import tidewater_sheet
from glowdial.sheets.facts import receiver_facts
from glowdial.workshop.base.sheets import check_sheet


def altered(**changes: Any) -> ReceiverFacts:
    """The demo's sheet with some sections replaced."""
    return receiver_facts(check_sheet({**json.loads(tidewater_sheet()), **changes}))


def circuit(**more: Any) -> dict[str, Any]:
    """A circuit section."""
    return {"source": "bench's own norm", **more}


@cache
def communications_set() -> ReceiverFacts:
    """RF stage, mechanical filter, beat oscillator."""
    document = json.loads(tidewater_sheet())
    adjusters = [
        *document["adjusters"],
        {"key": "bc-rf-trimmer", "name": "RF trimmer", "kind": "trimmer"},
    ]
    bands = [{**document["bands"][0], "rf_adjuster": "bc-rf-trimmer"}]
    mechanical = {"kind": "mechanical", "centre_hz": 465e3, "width_hz": 3100.0}
    return altered(
        model="Skerry Relay",
        adjusters=adjusters,
        bands=bands,
        circuit=circuit(if_filter=mechanical, beat_oscillator=True),
    )


@cache
def double_set() -> ReceiverFacts:
    """A first IF of 1850 kHz above the short-wave band's needs, and the tuned one at 465."""
    document = json.loads(tidewater_sheet())
    first = {"first_intermediate_hz": 3.2e6, "second_oscillator_hz": 3.665e6}
    return altered(
        model="Double Skerry",
        bands=[document["bands"][1]],
        sensitivity=[],
        circuit=circuit(conversion=first),
    )


@cache
def loop_set(kind: str = "loop") -> ReceiverFacts:
    """The demo's set with a built-in aerial."""
    return altered(model=f"Beach {kind}", circuit=circuit(aerial={"kind": kind}))


@cache
def tuner() -> ReceiverFacts:
    """An FM tuner with transistors, a bridge of selenium, stereo."""
    transistor = {
        "plate_v": 8.0,
        "plate_a": 2e-3,
        "control_v": 0.65,
        "transconductance_s": 0.06,
        "current_gain": 90.0,
    }

    def stage(name: str, role: str) -> dict[str, Any]:
        return {
            "name": name,
            "role": role,
            "device": "transistor",
            "typical": transistor,
            "plate_ohm": 560.0,
            "cathode_ohm": 820.0,
            "upper_ohm": 33e3,
            "lower_ohm": 8.2e3,
        }

    cans = [
        {
            "key": f"t{n}",
            "name": f"IF transformer {n}",
            "primary": f"t{n}-primary",
            "secondary": f"t{n}-secondary",
            "capacitance_f": 68e-12,
            "primary_q": 55.0,
            "secondary_q": 55.0,
            "coupling_of_critical": 1.0,
        }
        for n in (1, 2)
    ]
    document = json.loads(tidewater_sheet())
    cores = [a for a in document["adjusters"] if a["key"].startswith("t")]
    trimmers = [
        {"key": k, "name": k, "kind": "trimmer", "capacitance_per_turn_f": 1e-12}
        for k in ("fm-osc", "fm-aerial")
    ]
    band = {
        "source": "service manual",
        "key": "fm",
        "name": "FM",
        "low_hz": 88e6,
        "high_hz": 108e6,
        "high_mark_hz": 106e6,
        "low_mark_hz": 90e6,
        "high_adjuster": "fm-osc",
        "aerial_adjuster": "fm-aerial",
        "dial_marks_hz": [90e6, 94e6, 98e6, 102e6, 106e6],
    }
    return altered(
        model="Breakwater Tuner",
        intermediate_frequency_hz=10.7e6,
        if_transformers=cans,
        adjusters=cores + trimmers,
        bands=[band],
        gang={"source": "service manual", "minimum_f": 6e-12, "maximum_f": 18e-12},
        sensitivity=[],
        chassis_layout=None,
        line_up=[],
        voltage_chart=None,
        supply={
            "source": "service manual",
            "line_v": 230.0,
            "line_hz": 50.0,
            "topology": "bridge",
            "secondary_v": 18.0,
            "source_ohm": 3.0,
            "rectifier": {"kind": "silicon"},
            "reservoir_f": 1000e-6,
            "filters": [{"resistance_ohm": 100.0, "capacitance_f": 1000e-6}],
            "load_current_a": 0.03,
            "load_nominal_v": 19.0,
        },
        circuit=circuit(
            stages=[
                stage("Q1", "mixer"),
                stage("Q2", "IF amplifier"),
                stage("Q3", "detector and first audio"),
            ],
            fm={"stereo": True},
        ),
    )


@cache
def kitchen_set() -> ReceiverFacts:
    """AC/DC: series heater string with a ballast, half-wave vacuum rectifier."""
    tubes = [("V1", 12.6), ("V2", 12.6), ("V3", 12.6), ("V4", 50.0), ("V5", 35.0)]
    functions = {"V5": "half-wave rectifier"}
    line_up = [
        {"position": p, "function": functions.get(p, "signal tube"), "type": "series tube"}
        for p, _ in tubes
    ]
    heaters = {
        "heaters": [{"tube": p, "volts": v, "amperes": 0.15} for p, v in tubes],
        "in_series": True,
        "dropper_ohm": 0.0,
    }
    return altered(
        model="Pantry Five",
        chassis="transformerless",
        mains_v=122.8,
        chassis_layout=None,
        line_up=line_up,
        supply={
            "source": "service manual",
            "line_v": 122.8,
            "line_hz": 60.0,
            "topology": "half-wave",
            "secondary_v": 122.8,
            "source_ohm": 35.0,
            "rectifier": {"kind": "vacuum", "drop_v": 18.0, "drop_current_a": 0.14},
            "reservoir_f": 40e-6,
            "filters": [{"resistance_ohm": 560.0, "capacitance_f": 40e-6}],
            "load_current_a": 0.05,
            "load_nominal_v": 100.0,
        },
        circuit=circuit(heaters=heaters),
    )
