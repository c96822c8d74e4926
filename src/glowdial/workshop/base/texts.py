"""A person's words as they are kept: stripped, not empty, and of bounded length."""

from __future__ import annotations

from glowdial.core.language.errors import BadInput

LONGEST_TEXT = 2000


def kept_text(field: str, text: str, example: str, *, empty: str = "is empty") -> str:
    """The words to keep; raises BadInput for none (``empty`` says why some are needed) and for
    more than ``LONGEST_TEXT`` characters."""
    cleaned = text.strip()
    if not cleaned:
        raise BadInput(field, text, empty, example)
    if len(cleaned) > LONGEST_TEXT:
        raise BadInput(field, f"{cleaned[:30]}...", f"is over {LONGEST_TEXT} characters", example)
    return cleaned
