"""How a bench is set, named once: the same settings for recipes, ports and the simulated set."""

from __future__ import annotations

from dataclasses import dataclass, field, fields, replace
from typing import Any, TypeVar

from glowdial.core.language.errors import BadInput


@dataclass(frozen=True, slots=True)
class Settings:
    """Everything that a hand or an instrument sets, SI, levels in V EMF.

    ``injection`` is where the generator is clipped ("aerial", "mixer grid", a stage's grid, or "").
    ``lamp_w`` is a limiter lamp, 0 for none. ``lifted`` names leads taken off for a reading
    ("load", "coupling"). With a ``series_ohm`` the rectifier is silicon, and that much resistance
    is ahead of the reservoir, or ``series_behind`` it. ``damped`` are IF windings, by their
    adjusters, with a resistor across them. ``chain`` is which IF is switched in, by its mode; ""
    is the sheet's own. ``spread_hz`` is the figure that a bandspread stands on, 0 for open.
    """

    line_v: float = 0.0
    injection: str = ""
    generator_hz: float = 465e3
    generator_emf_v: float = 0.0
    tone_on: bool = False
    band: str = ""
    dial_hz: float = 0.0
    oscillator_stopped: bool = False
    in_cabinet: bool = False
    lamp_w: float = 0.0
    lifted: tuple[str, ...] = ()
    series_ohm: float | None = None
    series_behind: bool = False
    # a needle's unrest is told by how a setting is written: those of old read as they did
    damped: tuple[str, ...] = field(default=(), repr=False)
    chain: str = field(default="", repr=False)
    spread_hz: float = field(default=0.0, repr=False)


State = TypeVar("State", bound=Settings)
NAMES = frozenset(f.name for f in fields(Settings))


@dataclass(frozen=True, slots=True)
class SettingsChange:
    """Some settings by name; all others stay as they are."""

    values: tuple[tuple[str, Any], ...] = ()

    def __contains__(self, name: str) -> bool:
        return any(name == known for known, _ in self.values)

    def get(self, name: str) -> Any:
        """The value that it sets, or None where it leaves it alone."""
        return dict(self.values).get(name)

    def but(self, **values: Any) -> SettingsChange:
        """The same with some settings more, or others; raises BadInput for an unknown name."""
        return setting(**{**dict(self.values), **values})

    def applied(self, state: State) -> State:
        """A state with these set."""
        return replace(state, **dict(self.values))


def setting(**values: Any) -> SettingsChange:
    """A change of the settings named; raises BadInput with a name that is none."""
    for name in values:
        if name not in NAMES:
            raise BadInput("setting", name, f"is one of {', '.join(sorted(NAMES))}", "line_v")
    return SettingsChange(tuple(sorted(values.items())))


NO_CHANGE = SettingsChange()
