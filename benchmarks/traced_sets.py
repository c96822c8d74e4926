"""The three kinds of receivers that faults are traced in."""

from __future__ import annotations

import json
from typing import Any

from glowdial.core.model.blocks import BlockDiagram
from glowdial.core.tracing.derived import diagram_of
from glowdial.demo.fill import demo_sheet
from glowdial.sheets.facts import receiver_facts
from glowdial.workshop.base.sheets import read_sheet


def traced_sets() -> tuple[tuple[str, BlockDiagram], ...]:
    """A table set and a communications receiver as derived, and the portable of the demo."""
    return (
        ("table set", _diagram(json.loads(demo_sheet("tidewater-six")))),
        ("communications", _diagram(communications_sheet())),
        ("portable", _diagram(json.loads(demo_sheet("causeway-portable")))),
    )


def _diagram(sheet: dict[str, Any]) -> BlockDiagram:
    return diagram_of(receiver_facts(read_sheet(json.dumps(sheet))))


def communications_sheet() -> dict[str, Any]:
    """The table set grown to four bands, an RF stage, two conversions, a crystal filter and a beat
    oscillator."""
    sheet = json.loads(demo_sheet("tidewater-six"))
    sheet["model"] = "Signal Nine"
    first = sheet["bands"][0]
    bands = []
    for n, (low, high) in enumerate(((0.55e6, 1.5e6), (1.5e6, 2.9e6), (4e6, 9e6), (9e6, 20e6))):
        marks = [low * 1.1, (low * high) ** 0.5, high * 0.95]
        bands.append(
            first
            | {
                "key": f"b{n + 1}",
                "name": f"Band {n + 1}",
                "low_hz": low,
                "high_hz": high,
                "low_mark_hz": marks[0],
                "high_mark_hz": marks[2],
                "dial_marks_hz": marks,
                "tracking_points_hz": None,
            }
        )
    sheet["bands"], sheet["sensitivity"] = bands, []
    sheet["circuit"] = {
        "source": "service manual",
        "stages": [_stage(name, role) for name, role in STAGES],
        "conversion": {"first_intermediate_hz": 3.2e6, "second_oscillator_hz": 3.665e6},
        "if_filter": {"kind": "crystal", "resonance_hz": 465e3},
        "beat_oscillator": True,
        "rf_stage": True,
    }
    return sheet


STAGES = (
    ("V1", "RF amplifier"),
    ("V2", "mixer"),
    ("V3", "oscillator"),
    ("V4", "IF amplifier"),
    ("V5", "IF amplifier"),
    ("V6", "detector and first audio"),
    ("V7", "output"),
)


def _stage(name: str, role: str) -> dict[str, Any]:
    triode = role in ("detector and first audio", "oscillator")
    return {
        "name": name,
        "role": role,
        "device": "triode" if triode else "pentode",
        "typical": {
            "plate_v": 200.0,
            "plate_a": 0.005,
            "control_v": -2.5,
            "transconductance_s": 2e-3,
            "screen_v": 0.0 if triode else 90.0,
            "screen_a": 0.0 if triode else 0.0015,
        },
        "cathode_ohm": 390.0,
        "screen_ohm": 0.0 if triode else 47e3,
        "on_avc": role in ("RF amplifier", "IF amplifier"),
    }
