"""The version of the rules: kept with everything that is told, to be told apart later."""

from __future__ import annotations

RULES_VERSION = "3"
