"""Work that takes longer than a blink, with its progress and a way to stop it."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

from PyQt6.QtWidgets import (
    QDialog,
    QDialogButtonBox,
    QProgressBar,
    QVBoxLayout,
    QWidget,
)

from puddle.errors import PuddleError
from puddle.window.session.background import Background
from puddle.window.widgets.controls import label
from puddle.window.widgets.passing import answer_buttons


class Working(QDialog):
    """A long task with a box that shows its progress and cancels it."""

    def __init__(
        self,
        background: Background,
        title: str,
        work: Callable[[], Any],
        done: Callable[[str | None], None],
        parent: QWidget | None = None,
        *,
        release: Callable[[], None] | None = None,
    ) -> None:
        """`work` tells its progress by `tasks.report`; `done` is called with None, with why it
        failed, or with "" where it was cancelled; `release` as in `Task`."""
        super().__init__(parent)
        self.setWindowTitle(title)
        self.setMinimumWidth(360)
        self._title = title.rstrip(" …")
        self._error: str | None = ""
        self._done = done
        column = QVBoxLayout(self)
        column.addWidget(label(title))
        self._bar = QProgressBar()
        self._bar.setRange(0, 1000)
        column.addWidget(self._bar)
        column.addWidget(answer_buttons(self, QDialogButtonBox.StandardButton.Cancel))
        self._task = background.start(
            work,
            self._succeed,
            priority="long",
            failed=self._fail,
            progress=lambda share: self._bar.setValue(int(1000 * share)),
            ended=self._end,
            release=release,
        )

    def _succeed(self, _: object) -> None:
        self._error = None

    def _fail(self, error: Exception) -> None:
        known = isinstance(error, PuddleError)
        reason = f"{self._title} failed: {error or type(error).__name__}."
        self._error = str(error) if known else reason

    def _end(self) -> None:
        self.accept()
        self.deleteLater()
        self._done(self._error)

    def reject(self) -> None:
        """Closing the box cancels the work."""
        self._task.cancel()
