"""History: the kits before, each with the name of the step that left it.

A drag is one step: edits that carry the same mark, and come one after another, are taken together
until `settle` is called at the end of the drag.
"""

from __future__ import annotations

from collections.abc import Callable

import msgspec

from puddle.kit.model.document import Kit

MOST_STEPS = 1000


class Beside(msgspec.Struct, frozen=True):
    """What changed beside the kit: how it is taken back, and how it is done again."""

    back: Callable[[], None]
    again: Callable[[], None]


class Step(msgspec.Struct, frozen=True):
    """What a person did, and the kit that it made."""

    name: str
    kit: Kit
    beside: Beside | None = None


class History:
    """The kit now, with what can be undone and redone."""

    def __init__(self, kit: Kit) -> None:
        self._steps = [Step("", kit)]
        self._now = 0
        self._mark: object = None
        self._cancelled: object = None  # the mark of a drag that was taken back and still goes on
        self._saved: Kit | None = kit

    @property
    def kit(self) -> Kit:
        """The kit as it is now."""
        return self._steps[self._now].kit

    @property
    def edited(self) -> bool:
        """Whether the kit differs from what was last saved."""
        return self.kit is not self._saved

    def mark_saved(self, kit: Kit | None) -> None:
        """Remembers which kit is on disk; None for one that is nowhere."""
        self._saved = kit

    def rename(self, name: str) -> None:
        """Another name for the kit, through all of its steps: no step of its own."""
        saved = self._saved
        for n, step in enumerate(self._steps):
            kit = msgspec.structs.replace(step.kit, name=name)
            self._saved = kit if step.kit is saved else self._saved
            self._steps[n] = Step(step.name, kit, step.beside)

    def push(self, name: str, kit: Kit, mark: object = None) -> None:
        """The kit after a step; with a mark, the step goes on while the mark stays the same."""
        if kit is self.kit:
            return
        if mark is not None and mark == self._cancelled:
            return
        self._cancelled = None
        goes_on = mark is not None and mark == self._mark and self._now == len(self._steps) - 1
        if goes_on and self._now > 0:
            self._steps[self._now] = Step(name, kit)
        else:
            self._append(Step(name, kit))
        self._mark = mark

    def push_beside(self, name: str, beside: Beside) -> None:
        """A step that leaves the kit as it is, and changed something beside it."""
        self._append(Step(name, self.kit, beside))
        self._mark = self._cancelled = None

    def _append(self, step: Step) -> None:
        del self._steps[self._now + 1 :]
        self._steps.append(step)
        if len(self._steps) > MOST_STEPS + 1:
            del self._steps[0]
        self._now = len(self._steps) - 1

    def settle(self) -> None:
        """Ends a drag: the next edit is a step of its own."""
        self._mark = self._cancelled = None

    def cancel(self) -> bool:
        """Takes a drag back that goes on, and all that still comes of it; whether there was one."""
        if self._mark is None or self._now == 0:
            return False
        del self._steps[self._now :]
        self._now -= 1
        self._mark, self._cancelled = None, self._mark
        return True

    @property
    def undo_name(self) -> str | None:
        """What undo would take back."""
        return self._steps[self._now].name if self._now > 0 else None

    @property
    def redo_name(self) -> str | None:
        """What redo would bring back."""
        return self._steps[self._now + 1].name if self._now + 1 < len(self._steps) else None

    def undo(self) -> Kit:
        """The kit before the last step; the same kit where there is none."""
        self._mark = None
        beside = self._steps[self._now].beside
        self._now = max(0, self._now - 1)
        if beside is not None:
            beside.back()
        return self.kit

    def redo(self) -> Kit:
        """The kit after the step that was undone."""
        self._mark = None
        if self._now + 1 < len(self._steps):
            self._now += 1
            beside = self._steps[self._now].beside
            if beside is not None:
                beside.again()
        return self.kit
