"""What is drawn and measured of the selected sound, on workers, while somebody looks."""

from __future__ import annotations

from functools import partial

from PyQt6.QtCore import QObject, pyqtSignal

from puddle.kit.model.document import Pad, Sound
from puddle.measure.pitch import Pitch
from puddle.render.cache import RenderCache
from puddle.tasks import asked
from puddle.views.sound import Pitches, SoundView, pitches, sound_view
from puddle.window.session.background import Background
from puddle.window.session.renders import Renders
from puddle.window.session.timing import once_after

_REST_MS = 120
_VIEW_MS = 40  # the eye follows a moving control in 25 steps a second, the ear in all of them


class Looks(QObject):
    """The view and the pitches of one sound."""

    view_ready = pyqtSignal(object)
    pitches_ready = pyqtSignal(object)

    def __init__(self, background: Background, renders: Renders) -> None:
        super().__init__()
        self._background = background
        self._renders = renders
        self.view: SoundView | None = None
        self.pitches: Pitches | None = None
        self._shown: Sound | None = None
        self._offered: Pad | None = None  # whose view would be asked for
        self._wants_view = False
        self._shown_pad = ""
        self._asked: Sound | None = None  # the last sound that a view was asked of
        self._known_pitches: RenderCache[Pitch] = RenderCache(256, lambda _: 1)
        self._measure = once_after(self, _REST_MS, self._ask_for_pitches)
        self._looking = once_after(self, _VIEW_MS, self._ask_for_view)
        renders.restarted.connect(self._forget)

    def _forget(self) -> None:
        self.view = self._asked = None
        self.view_ready.emit(None)

    def close(self) -> None:
        """Cancels pending measurements."""
        self._measure.stop()
        self._looking.stop()

    def want_view(self, on: bool) -> None:
        """Whether somebody looks: else no edit is drawn or measured."""
        begins = on and not self._wants_view
        self._wants_view = on
        if begins:
            self.show(self._offered)

    def show(self, pad: Pad | None) -> None:
        """Asks for the view of a pad's sound, once somebody looks."""
        self._offered = pad
        if not self._wants_view:
            return
        self._shown = pad.sound if pad is not None else None
        if self._shown is None:
            self.view = self._asked = None
            self._background.tasks.cancel("view")
            self.view_ready.emit(None)
            return
        if pad is not None and pad.id != self._shown_pad:
            self._shown_pad = pad.id
            self._looking.stop()  # what comes of another pad is not to be shown as this one
        if not self._looking.isActive():
            self._ask_for_view()

    @property
    def to_be_seen(self) -> bool:
        """Whether a view of what is shown has still to be asked for."""
        seen = self.view is not None and self.view.sound is self._shown
        return self._shown is not None and self._shown is not self._asked and not seen

    def _ask_for_view(self) -> None:
        """Requests the view now; if one is pending, again with the newest sound when it returns."""
        takes, sound = self._renders.takes, self._shown
        if sound is None or sound is self._asked:
            return
        self._asked = sound
        if self.view is not None and self.view.sound is sound:
            self._background.tasks.cancel("view")
            self._measure.start()
            return
        self._looking.start()
        pad_id, before, renders = self._shown_pad, self.view, self._renders

        def work() -> SoundView:  # which holds nothing of this object: it ends on another thread
            with asked(partial(renders.stretches, pad_id), renders.stretched.emit):
                return sound_view(takes, sound, before)

        self._background.start(work, self._show_view, key="view")

    def _show_view(self, view: SoundView) -> None:
        there = self.view is not None and self.view.sound is self._shown
        if self._shown is not None and (view.sound is self._shown or not there):
            self.view = view
            self.view_ready.emit(view)
            # Pitches take longest and change least: they wait until the hand rests.
            self._measure.start()

    def _ask_for_pitches(self) -> None:
        view, takes, known = self.view, self._renders.takes, self._known_pitches
        found = self.pitches
        if view is not None and found is not None and found.sound is view.sound:
            self.pitches_ready.emit(found)  # dragged away and back: they are known
        elif view is not None:
            self._background.start(
                lambda: pitches(takes, view, known), self._show_pitches, key="pitch"
            )

    def _show_pitches(self, found: Pitches) -> None:
        if found.sound is self._shown:
            self.pitches = found
            self.pitches_ready.emit(found)
        elif self.view is not None and self.view.sound is self._shown:
            self._measure.start()  # what was measured is no longer shown
