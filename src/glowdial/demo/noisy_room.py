"""A communications receiver measured over its bands in a room of lamps and adapters, by somebody
who reads a needle that wanders."""

from __future__ import annotations

import math

from glowdial.core.journey.level_path import PARTS, PATH_STEP, TABLE
from glowdial.core.journey.proof_conditions import NOTED, conditions_key
from glowdial.core.journey.sensitivity_figure import FOUND
from glowdial.core.language.quantities import khz
from glowdial.core.stages.proof.places import ANYWHERE
from glowdial.demo.entered import entered
from glowdial.workshop.base.jobs import job_page
from glowdial.workshop.base.workshop import Workshop

# where ten decibels stand on each band, with the mode and switch position that it was taken in
TEN_DB_V = (4.2e-6, 5.5e-6, 7.8e-6, 14e-6)
MODES = ("AM wide", "CW narrow")
# narrower by so much, and so far does the needle wander to either side, in dB
NARROW_DB, WANDERS_DB = 6.0, 0.8
NOISE_V = 0.11
# a short cable and a small pad, by its resistors
THROUGH = "cable 2 m, 0.3, 0.1\npad, series 15 across 68 series 15, 1 %, 50 to 50\n"


def measure_in_a_noisy_room(workshop: Workshop, job_id: int) -> None:
    """What the level comes through, conditions, own noise against the room's, and two modes of
    every band."""
    entered(workshop, job_id, PATH_STEP, PARTS, **{TABLE: THROUGH})
    entered(workshop, job_id, conditions_key(FOUND), NOTED, "in working on 0.5 V filters out")
    entered(workshop, job_id, f"proof.{FOUND}.noise", "noise", "0.47 0.14")
    facts = job_page(workshop, job_id).facts
    for band, ten_db_v in zip(facts.bands, TEN_DB_V, strict=False):
        key = f"proof.{FOUND}.{band.key}.answers"
        for mode in MODES:
            own_v = ten_db_v * 10.0 ** (-NARROW_DB / 20.0) if "narrow" in mode else ten_db_v
            for ratio in (1.6, 1.05):
                line = _pair(band.low_mark_hz, own_v, ratio * own_v, mode)
                ask = next(
                    a.name
                    for a in job_page(workshop, job_id).journey.standing(key).others
                    if a.key.startswith(ANYWHERE)
                )
                entered(workshop, job_id, key, ask, line)


def _pair(frequency_hz: float, ten_db_v: float, level_v: float, mode: str) -> str:
    """A line as it is typed: the ends that the needle wandered between."""
    on_v = NOISE_V * math.hypot(1.0, 3.0 * level_v / ten_db_v)
    ends = [v * 10.0 ** (s * WANDERS_DB / 20.0) for v in (on_v, NOISE_V) for s in (-1.0, 1.0)]
    swung = "{:.3f}-{:.3f} {:.3f}-{:.3f}".format(*ends)
    return f"{khz(frequency_hz).split()[0]} {level_v * 1e6:.2f} {swung} {mode}"
