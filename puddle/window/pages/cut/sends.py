"""What the buttons of Cut do: groups and hits are sent, their timing is kept, files are written."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial

from puddle.kit import edits
from puddle.kit.model.document import Likes
from puddle.window.files.cut_files import CutFiles
from puddle.window.session.cutter import Cutter
from puddle.window.session.sender import Sender
from puddle.window.session.session import Session


class Sends:
    """Sends what the panels show, where they say."""

    def __init__(
        self,
        session: Session,
        cutter: Cutter,
        sending: Sender,
        files: CutFiles,
        show_slots: Callable[[], None],
    ) -> None:
        self._session, self._cutter, self._sending = session, cutter, sending
        self._files, self._show_slots = files, show_slots

    @property
    def groups(self) -> list[Likes]:
        """The groups that are sent."""
        return [group for group in self._cutter.kept_groups if group.sent]

    def send(self) -> None:
        """Every group to its pad."""
        self._sending.send_groups(self.groups)

    def send_in_order(self) -> None:
        """Each hit on a pad of its own, with a pattern; its slices are shown then."""
        self._sending.send_in_order()
        self._show_slots()

    def ask_midi(self) -> None:
        """Asks where the timing goes as a MIDI file."""
        self._files.ask_midi()

    def ask_write(self) -> None:
        """Asks where the hits go as files."""
        self._files.ask_hits()

    def _take_tempo(self) -> None:
        bpm = min(300.0, max(20.0, self._cutter.tempo.bpm))
        self._session.edit(f"Tempo {bpm:.2f} bpm", lambda kit: edits.set_kit(kit, tempo_bpm=bpm))

    def do(self, name: str) -> None:
        """What a button asks for."""
        does: dict[str, Callable[[], None]] = {
            "send": self.send,
            "order": self.send_in_order,
            "pattern": self._sending.keep_pattern,
            "steps": partial(self._sending.keep_pattern, on_steps=True),
            "feel": self._sending.keep_feel,
            "midi": self.ask_midi,
            "write": self.ask_write,
            "tempo": self._take_tempo,
        }
        does[name]()
