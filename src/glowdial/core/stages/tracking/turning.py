"""How far to turn: what the last move did, or what the sheet says that a turn does."""

from __future__ import annotations

from dataclasses import dataclass

SMALLEST_TURN = 1.0 / 16.0
TEST_NUDGE_TURNS = 1.0 / 8.0
LARGEST_MOVE_TURNS = 1.0
LEARN_FROM_TURNS = 1.0 / 64.0


@dataclass(frozen=True, slots=True)
class TurnEffect:
    """One move at a mark: turns made, and what the frequency there did (Hz)."""

    turns: float
    shift_hz: float


@dataclass(frozen=True, slots=True)
class TurnAdvice:
    """How far to turn (clockwise positive), from what, and whether it is only a test."""

    turns: float
    hz_per_turn: float | None
    basis: str


def advise_turn(
    error_hz: float, model_hz_per_turn: float | None, moves: tuple[TurnEffect, ...]
) -> TurnAdvice:
    """Turn that takes ``error_hz`` (true less mark) away.

    The last move that shifted the frequency clearly tells the effect of a turn; before any, the
    sheet's figure; without either a small test move is proposed. Rounded to a sixteenth of a turn
    unless that would overshoot what is wanted, and limited to one turn.
    """
    learned = next(
        (m for m in reversed(moves) if abs(m.turns) >= LEARN_FROM_TURNS and m.shift_hz != 0.0), None
    )
    if learned is not None:
        rate, basis = learned.shift_hz / learned.turns, "learned from the last move"
    elif model_hz_per_turn:
        rate, basis = model_hz_per_turn, "computed from the sheet"
    else:
        return TurnAdvice(
            TEST_NUDGE_TURNS, None, "not known yet: a small test move, whose effect tells the rest"
        )
    turns = min(max(-error_hz / rate, -LARGEST_MOVE_TURNS), LARGEST_MOVE_TURNS)
    rounded = round(turns / SMALLEST_TURN) * SMALLEST_TURN
    return TurnAdvice(rounded if rounded else turns, rate, basis)
