"""The name of this stage."""

from __future__ import annotations

STAGE = "dial"
