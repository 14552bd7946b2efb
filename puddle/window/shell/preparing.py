"""The first start on a machine: kernels are compiled, which is said once and shown."""

from __future__ import annotations

import threading

from PyQt6.QtCore import QObject, QTimer

from puddle.kernels.warmth import is_warm, share_done
from puddle.window.widgets.busy import BusyStrip

_LOOK_MS = 300
_TEXT = "The sound engine is compiled, once on this machine: pads sound when that is done"


class Preparing(QObject):
    """A strip with how far it is; nothing where all has been compiled before."""

    def __init__(self, parent: QObject) -> None:
        super().__init__(parent)
        self.strip = BusyStrip(_TEXT, "")
        self.strip.stop.hide()
        self._look = QTimer(self)
        self._look.setInterval(_LOOK_MS)
        self._look.timeout.connect(self._show_share)
        self._thread: threading.Thread | None = None
        self._done = False

    def begin(self) -> None:
        """Once the window is seen: from here on it is told."""
        if not is_warm():
            self._show_share()
            self._look.start()

    def compile_rest(self) -> None:
        """Once the engine is there: the rest, so that no page waits for it later."""
        if self._look.isActive() and self._thread is None:
            self._thread = threading.Thread(target=self._warm, name="puddle-warm", daemon=True)
            self._thread.start()

    def _warm(self) -> None:
        from puddle.engine.warm import warm

        try:
            warm()
        finally:
            self._done = True

    def stop(self) -> None:
        """Nothing is told any more; what is on its way goes on until the process ends."""
        self._look.stop()

    @property
    def busy(self) -> bool:
        """Whether kernels are being compiled."""
        return self._thread is not None and self._thread.is_alive()

    def _show_share(self) -> None:
        if self._done:
            self._look.stop()
        self.strip.show_share(self, 1.0 if self._done else share_done())
