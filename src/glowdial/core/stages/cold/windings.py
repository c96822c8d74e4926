"""A winding's resistance against the sheet's, brought to 20 degrees, leads taken off."""

from __future__ import annotations

from dataclasses import dataclass

from glowdial.core.language.errors import BadInput, require_positive
from glowdial.core.physics.copper import copper_ohm

WINDING_TOLERANCE = 0.20
ZERO_LEADS_BELOW_OHM = 10.0


@dataclass(frozen=True, slots=True)
class WindingVerdict:
    """A winding's resistance brought to 20 degrees, against its sheet."""

    corrected_ohm: float
    expected_ohm: float
    open: bool
    inside: bool
    words: str


def winding(
    measured_ohm: float, sheet_ohm: float, *, temperature_c: float = 20.0, leads_ohm: float = 0.0
) -> WindingVerdict:
    """A winding as measured at a temperature, leads taken off. Raises BadInput for leads that are
    more than the reading, or a temperature outside -30 to 100 degrees."""
    require_positive(sheet_ohm=sheet_ohm)
    if not -30.0 <= temperature_c <= 100.0:
        raise BadInput("temperature", f"{temperature_c:g}", "must be -30 to 100 C", "21")
    if measured_ohm < leads_ohm:
        raise BadInput(
            "reading", f"{measured_ohm:g} ohm", f"is less than the leads ({leads_ohm:g})", "3.2"
        )
    corrected = (measured_ohm - leads_ohm) / copper_ohm(1.0, temperature_c)
    is_open = corrected > 100.0 * sheet_ohm
    inside = abs(corrected / sheet_ohm - 1.0) <= WINDING_TOLERANCE
    if is_open:
        words = "Open: a broken wire, or a corroded end at the tag."
    elif inside:
        words = "As the sheet says. A few shorted turns would hardly show: ring it if in doubt."
    elif corrected < sheet_ohm:
        words = "Low: shorted turns, or something else still across it."
    else:
        words = "High: a bad joint in the path, or another wire than the sheet's."
    if sheet_ohm < ZERO_LEADS_BELOW_OHM and leads_ohm == 0.0:
        words += " Below 10 ohm zero the leads first."
    return WindingVerdict(corrected, sheet_ohm, is_open, inside, words)
