"""A finding: what is wrong, where, and what could be done about it."""

from __future__ import annotations

from typing import Literal

import msgspec

Level = Literal["error", "warning", "note"]
LEVELS: tuple[Level, ...] = ("error", "warning", "note")


class Finding(msgspec.Struct, frozen=True):
    """One sentence about one thing of a kit.

    `pad` and `layer` are ids, empty where it is about the kit; `figure` is what was measured, in
    the unit of its rule.
    """

    rule: str
    level: Level
    where: str
    message: str
    pad: str = ""
    layer: str = ""
    content: str = ""  # the hash of a sample
    figure: float = 0.0
    velocities: tuple[int, int] = (0, 0)  # from and to; none where it is about no strengths
    page: str = ""  # where it can be changed, if it is not about a pad
    mend: str = ""  # what would mend it, as a button says it; empty where nothing does by itself


def ordered(findings: list[Finding]) -> list[Finding]:
    """Errors first, then warnings and notes; each level as the kit goes."""
    return sorted(findings, key=lambda one: LEVELS.index(one.level))
