"""The sixteen places as notes of the kit's scale, played on the selected pad."""

from __future__ import annotations

import msgspec
from PyQt6.QtCore import QObject, pyqtSignal

from puddle.kit import edits
from puddle.kit.model.document import PADS_PER_BANK, Pad
from puddle.kit.model.tonality import ROOTS, SCALES, Key
from puddle.units import note_name
from puddle.window.session.measuring import measured_root
from puddle.window.session.session import Session

_MOST_OCTAVES = 4
_HIGHEST = 127


def scale_notes(key: Key, root: int, octave: int) -> list[int | None]:
    """Sixteen notes of a key upwards from its root at or under a note; None above 127."""
    tonic = ROOTS.index(key.root)
    first = root - (root - tonic) % 12 + 12 * octave
    steps = SCALES[key.scale]
    notes = [first + 12 * (n // len(steps)) + steps[n % len(steps)] for n in range(PADS_PER_BANK)]
    return [n if 0 <= n <= _HIGHEST else None for n in notes]


class ScaleLayout(QObject):
    """Whether it is on, how many octaves it is moved, and what each place plays."""

    changed = pyqtSignal()

    def __init__(self, session: Session) -> None:
        super().__init__()
        self._session = session
        self.on = False
        self.octave = 0
        self._unmeasured = ""  # the pad that follows keys since before its pitch was known
        session.looks.pitches_ready.connect(lambda _: self._root_from_pitch())

    def set_on(self, on: bool) -> None:
        """Shows the scale, or the pads again. A pad of one pitch follows keys from then on."""
        pad = self._session.pad
        self.on = on and pad is not None
        if self.on and pad is not None and pad.tracking == 0.0:
            session, found = self._session, measured_root(self._session)
            root = pad.root if found is None else found
            session.edit(
                f"{pad.name} follows keys",
                lambda kit: edits.set_pad(kit, pad.id, tracking=100.0, root=root),
                ("follows keys", pad.id),
            )
            self._unmeasured = pad.id if found is None else ""
            self._session.told.emit(f"{pad.name} follows keys now, so that the scale is heard.")
        self.changed.emit()

    def _root_from_pitch(self) -> None:
        """The root of a pad whose pitch was not known yet when it began to follow keys."""
        session, pad, found = self._session, self._session.pad, measured_root(self._session)
        if pad is None or pad.id != self._unmeasured or found is None:
            return
        self._unmeasured = ""
        session.edit(
            f"{pad.name} follows keys",
            lambda kit: edits.set_pad(kit, pad.id, root=found),
            ("follows keys", pad.id),
        )
        self.changed.emit()

    def shift(self, octaves: int) -> None:
        """Higher or lower."""
        self.octave = min(_MOST_OCTAVES, max(-_MOST_OCTAVES, self.octave + octaves))
        self.changed.emit()

    def notes(self) -> list[int | None]:
        """What the places play; nothing while it is off."""
        pad = self._session.pad
        if not self.on or pad is None:
            return [None] * PADS_PER_BANK
        return scale_notes(self._session.kit.key, pad.root, self.octave)

    def shown(self, note: int) -> Pad | None:
        """The selected pad, called as the note."""
        pad = self._session.pad
        return msgspec.structs.replace(pad, name=note_name(note)) if pad is not None else None

    def told(self) -> str:
        """In words."""
        key, sign = self._session.kit.key, "+" if self.octave > 0 else ""
        moved = f", {sign}{self.octave} oct" if self.octave else ""
        return f"{key.root} {key.scale}{moved}"
