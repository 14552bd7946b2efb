"""How the mix is listened to: in mono, through a small speaker. Nothing of it is exported."""

from __future__ import annotations

from PyQt6.QtCore import QObject, pyqtSignal

from puddle.window.session.player import Player


class Listening(QObject):
    """Two switches of the monitor."""

    changed = pyqtSignal()

    def __init__(self, player: Player) -> None:
        super().__init__()
        self._player = player
        self.mono = self.small_speaker = False

    def switch_mono(self) -> None:
        """Both sides as one, or apart again."""
        self.mono = not self.mono
        self._apply()

    def switch_small_speaker(self) -> None:
        """As a small speaker plays it, or as it is again."""
        self.small_speaker = not self.small_speaker
        self._apply()

    def _apply(self) -> None:
        self._player.monitoring.set_switches(mono=self.mono, small_speaker=self.small_speaker)
        self.changed.emit()
