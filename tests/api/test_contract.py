"""Nothing that is not described, and no error of ours, whatever is asked."""

from __future__ import annotations

from pathlib import Path

from benchmarks.contract import described, tried


def test_every_call_keeps_to_its_description(tmp_path: Path) -> None:
    assert tried(described(tmp_path), examples=10) > 400
