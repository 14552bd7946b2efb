"""Work that takes longer than a blink, with its progress and a way to stop it."""

from __future__ import annotations

import logging
import threading
from collections.abc import Callable
from typing import Any

from PyQt6.QtCore import QTimer
from PyQt6.QtWidgets import (
    QDialog,
    QDialogButtonBox,
    QProgressBar,
    QVBoxLayout,
    QWidget,
)

from puddle.errors import CancelledError, PuddleError
from puddle.wanted import UnwantedError
from puddle.window.session.background import Background
from puddle.window.widgets.controls import label
from puddle.window.widgets.passing import answer_buttons

log = logging.getLogger(__name__)


class Working(QDialog):
    """Work on a thread of its own, with its progress and a way to stop it."""

    def __init__(
        self,
        background: Background,
        title: str,
        work: Callable[[Callable[[float], bool]], Any],
        done: Callable[[str | None], None],
        parent: QWidget | None = None,
    ) -> None:
        """`work` is given what takes its progress and tells whether to go on; `done` is told None,
        why it failed, or "" where it was stopped."""
        super().__init__(parent)
        self.setWindowTitle(title)
        self.setMinimumWidth(360)
        self._title = title.rstrip(" …")
        self._share = 0.0
        self._ended = threading.Event()
        self._error: str | None = None
        self._done = done
        column = QVBoxLayout(self)
        column.addWidget(label(title))
        self._bar = QProgressBar()
        self._bar.setRange(0, 1000)
        column.addWidget(self._bar)
        column.addWidget(answer_buttons(self, QDialogButtonBox.StandardButton.Cancel))
        self._timer = QTimer(self)
        self._timer.timeout.connect(self._look)
        self._timer.start(40)
        self._cancel = background.run_beside(lambda wanted: self._run(work, wanted))

    def _run(
        self, work: Callable[[Callable[[float], bool]], Any], wanted: Callable[[], bool]
    ) -> None:
        def progress(share: float) -> bool:
            self._share = share
            return wanted()

        try:
            work(progress)
        except (CancelledError, UnwantedError):
            self._error = ""
        except PuddleError as error:
            self._error = str(error)
        except Exception as error:
            log.exception("work with its progress shown failed")
            self._error = f"{self._title} failed: {error or type(error).__name__}."
        finally:
            self._ended.set()

    def _look(self) -> None:
        self._bar.setValue(int(1000 * self._share))
        if self._ended.is_set():
            self._timer.stop()
            self.accept()
            self.deleteLater()
            self._done(self._error)

    def reject(self) -> None:
        """Closing the box stops the work."""
        self._cancel()
