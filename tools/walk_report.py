"""What came of a walk."""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterator
from dataclasses import dataclass, field


@dataclass
class Report:
    """What came of a walk."""

    actions: Counter[str] = field(default_factory=Counter)
    tracebacks: list[str] = field(default_factory=list)
    warnings: list[str] = field(default_factory=list)
    # Work of the window's own thread at the machine's usual speed, by the clock, and by what.
    turns: list[tuple[float, float, str]] = field(default_factory=list)
    memory: list[tuple[float, float]] = field(default_factory=list)  # s, MiB
    widgets: list[int] = field(default_factory=list)

    @property
    def worst(self) -> list[tuple[float, float, str]]:
        """The turns that held the window longest, by its own work."""
        return sorted(self.turns, reverse=True)[:8]

    def growth_mib(self, after_s: float = 300.0) -> float:
        """MiB by which the later half after some seconds lies over the earlier one, by medians."""
        late = [mib for at, mib in self.memory if at >= after_s]
        half = len(late) // 2
        if half < 3:
            return 0.0
        first, second = sorted(late[:half]), sorted(late[half:])
        return second[len(second) // 2] - first[half // 2]

    def lines(self) -> Iterator[str]:
        """What is told."""
        yield f"{sum(self.actions.values())} actions: " + ", ".join(
            f"{count} {name}" for name, count in self.actions.most_common()
        )
        yield f"{len(self.tracebacks)} tracebacks, {len(self.warnings)} Qt warnings"
        yield from self.tracebacks[:5]
        yield from self.warnings[:5]
        for work, clock, what in self.worst:
            yield f"held for {1000 * work:.0f} ms of work, {1000 * clock:.0f} by the clock: {what}"
        every = max(1, len(self.memory) // 12)
        told = (f"{at:.0f} s {mib:.0f}" for at, mib in self.memory[::every])
        yield "MiB: " + ", ".join(told)
        yield f"widgets: {self.widgets[:: max(1, len(self.widgets) // 12)]}"
        yield f"growth after five minutes: {self.growth_mib():.1f} MiB"
