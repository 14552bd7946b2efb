"""What is rendered of the open kit for the ear, on workers. What is drawn of it is in `looks`.

The full-strength take of an edited pad comes first, then the one of the strength that it was last
struck with; what Shape draws, pitches, other strengths and other turns follow once the hand rests.
"""

from __future__ import annotations

import threading
from collections.abc import Hashable, Mapping, Sequence
from functools import partial

import numpy as np
from PyQt6.QtCore import QObject, pyqtSignal

from puddle.kit.edits.own_values import Varied
from puddle.kit.model.document import Kit, Layer, Pad, Sample, Sound, Source
from puddle.kit.model.tonality import NO_NOTE
from puddle.kit.playing.key_tracking import pad_tune_st, shift_of, zone_at, zones_of
from puddle.kit.playing.response import strength_of
from puddle.kit.playing.velocity import lows_of, step_of, turns_of
from puddle.kit.playing.voice_levels import HEARD_LUFS, lift_db
from puddle.render.samples import Samples
from puddle.render.take import Takes
from puddle.render.takeset import Key, TakeSet, first_wanted, take_of, wanted
from puddle.tasks import asked, post
from puddle.units import gain_from_db
from puddle.window.session.background import Background
from puddle.window.session.timing import once_after

_REST_MS = 120
_PUT_BY = 12
_NONE_STRUCK: Mapping[str, frozenset[float]] = {}
_GATHER_MS = 100


class Renders(QObject):
    """Takes by pad."""

    takes_came = pyqtSignal()  # once for all that have come by then
    auditioned = pyqtSignal(object)
    restarted = pyqtSignal()  # for another kit or rate: nothing of before is kept
    stretched = pyqtSignal(object, float)  # `Sample.stretching`, how much of it is done, 0 to 1

    def __init__(self, background: Background, samples: Samples, rate_hz: float) -> None:
        super().__init__()
        self._background = background
        self._samples = samples
        self.takes = Takes(samples, rate_hz)
        self.audio: dict[str, np.ndarray] = {}  # full strength, by pad, tuned as it plays
        self._sounds: dict[str, Sound] = {}  # what was asked for, by pad
        self._put: list[tuple[str, Sound, TakeSet]] = []  # what was played lately, newest first
        self._sets: dict[str, tuple[Sound, TakeSet]] = {}
        self._struck: dict[str, tuple[float, int]] = {}  # the last strength and zone, by pad
        self._zones: dict[str, tuple[int, ...]] = {}
        self._velocities: Mapping[str, frozenset[float]] = _NONE_STRUCK
        self._tunes: dict[str, float] = {}  # semitones that each pad is tuned by
        self._hand_rests = threading.Event()  # else what can wait leaves the cores alone
        self._sending = once_after(self, 0, self.takes_came.emit)
        self._gathering = once_after(self, _GATHER_MS, self.takes_came.emit)
        self._rest = once_after(self, _REST_MS, self._ask_for_others)

    def restart(self, rate_hz: float, samples: Samples | None = None) -> None:
        """Restarts with another sample store or rate, and drops all takes."""
        self._samples = samples if samples is not None else self._samples
        self.takes = Takes(self._samples, rate_hz)
        self.audio, self._sounds, self._sets = {}, {}, {}
        self._zones, self._tunes = {}, {}
        self._put = []
        self.restarted.emit()

    def close(self) -> None:
        """Cancels pending renders."""
        for timer in (self._sending, self._gathering, self._rest):
            timer.stop()
        self._sounds = {}
        self._hand_rests.set()

    # Takes.

    @property
    def sets(self) -> dict[str, TakeSet]:
        """What can be struck, by pad."""
        return {pad_id: found for pad_id, (_, found) in self._sets.items()}

    def can_play(self, pad: Pad) -> bool:
        """Whether the take of a pad's very sound is there."""
        return pad.id in self._sets and self._sets[pad.id][0] is pad.sound

    def ready(self, kit: Kit) -> bool:
        """Whether every pad that has layers has its take."""
        return all(pad.id in self.audio for pad in kit.pads if pad.sound.layers)

    def follow(
        self,
        kit: Kit,
        first: str,
        varied: Sequence[Varied] = (),
        struck: Mapping[str, frozenset[float]] = _NONE_STRUCK,
    ) -> None:
        """Asks for the takes of every pad whose sound is another, of one pad first.

        Pads with own values of hits are rendered for the velocities at which they are struck.
        """
        pads = (*kit.pads, *(one.pad for one in varied))
        self._velocities = struck
        for pad in sorted(pads, key=lambda p: p.id != first):
            self._follow_zones(pad)
            self._follow_tune(pad)
            if self._sounds.get(pad.id) is not pad.sound:
                self._hand_rests.clear()
                self._rest.start()
                self._put_by(pad.id)
                self._sounds[pad.id] = pad.sound
                if not self._take_back(pad.id, pad.sound):
                    self._ask_for_take(pad.id, pad.sound)
        known = {pad.id for pad in pads}
        for gone in [key for key in self._sounds if key not in known]:
            del self._sounds[gone]
            self.audio.pop(gone, None)
            self._sets.pop(gone, None)
            self._zones.pop(gone, None)
            self._tunes.pop(gone, None)

    def _follow_zones(self, pad: Pad) -> None:
        """A pad that follows other keys needs other takes of the same sound."""
        zones = zones_of(pad)
        if zones == self._zones.get(pad.id, (0,)):
            return
        self._zones[pad.id] = zones
        if self.can_play(pad):
            found = self._sets[pad.id][1]
            ready = {key: take for key, take in found.ready.items() if key[2] in zones}
            made = TakeSet(found.lows, found.turns, zones, ready, found.tuned_st)
            self._sets[pad.id] = (pad.sound, made)
            self._rest.start()

    def _follow_tune(self, pad: Pad) -> None:
        """While a pad's tuning moves its takes are read faster or slower; then they are tuned."""
        tune = pad_tune_st(pad)
        if tune != self._tunes.get(pad.id, 0.0):
            self._tunes[pad.id] = tune
            if self.can_play(pad):
                self._rest.start()

    def _put_by(self, pad_id: str) -> None:
        """Keeps recently used takes for switching back and forth."""
        if pad_id in self._sets:
            self._put = [(pad_id, *self._sets[pad_id]), *self._put][:_PUT_BY]

    def _take_back(self, pad_id: str, sound: Sound) -> bool:
        """Restores takes from that cache; whether they were there."""
        for key, known, found in self._put:
            if key == pad_id and known is sound and found.zones == self._zones.get(pad_id, (0,)):
                self._background.tasks.cancel(("take", pad_id))
                self._sets[pad_id] = (sound, found)
                self.audio[pad_id] = found.ready[first_wanted(sound)]
                return True
        return False

    def _ask_for_take(self, pad_id: str, sound: Sound) -> None:
        takes, first, tuned_st = self.takes, first_wanted(sound), self._tunes.get(pad_id, 0.0)
        then = partial(self._take_in, takes, pad_id, sound, first, tuned_st)

        def work() -> np.ndarray:
            with asked(partial(self.stretches, pad_id), self.stretched.emit):
                return take_of(takes, sound, first, tuned_st)

        self._background.start(work, then, key=("take", pad_id))

    def stretches(self, pad_id: str, work: Hashable) -> bool:
        """Whether a pad's sound as it is now still needs a sample stretched that way."""
        sound = self._sounds.get(pad_id)
        sources = [layer.source for layer in sound.layers] if sound else []
        return any(isinstance(k, Sample) and k.stretching == work for k in sources)

    def note_strike(self, pad: Pad, velocity: float, note: int = NO_NOTE) -> None:
        """After the next edit that strength, at that key, is rendered first."""
        zones = zones_of(pad)
        zone = zones[zone_at(zones, shift_of(pad, note))]
        self._struck[pad.id] = (strength_of(pad.response, velocity), zone)

    def _ask_for_struck(self, pad_id: str, sound: Sound, tuned_st: float) -> None:
        """Requests the take of the velocity step that was struck, at once."""
        strength, zone = self._struck.get(pad_id, (127.0, 0))
        key = step_of(strength, lows_of(sound)), 0, zone
        if key != first_wanted(sound):
            takes = self.takes
            then = partial(self._take_in, takes, pad_id, sound, key, tuned_st)
            self._background.start(
                lambda: take_of(takes, sound, key, tuned_st), then, key=("struck", pad_id)
            )

    def _ask_for_others(self) -> None:
        """Softer strikes and other turns, once the hand rests: one after another, at leisure."""
        self._hand_rests.set()
        for pad_id, (sound, found) in self._sets.items():
            if found.tuned_st != self._tunes.get(pad_id, 0.0):
                self._ask_for_tuned(pad_id, sound, found)
                continue
            needed = self._wanted(pad_id, sound, found.zones)
            missing = [key for key in needed if key not in found.ready]
            if missing:
                struck = self._struck.get(pad_id, (127.0, 0))[1]
                missing.sort(key=lambda key: abs(key[2] - struck))
                self._ask_for(pad_id, sound, missing, found.tuned_st)

    def _ask_for_tuned(self, pad_id: str, sound: Sound, found: TakeSet) -> None:
        """The takes that there are, resampled to where the pad's tuning has come to rest."""
        takes, tuned_st, keys = self.takes, self._tunes.get(pad_id, 0.0), list(found.ready)

        def work() -> dict[Key, np.ndarray]:
            return {key: take_of(takes, sound, key, tuned_st) for key in keys}

        def then(ready: dict[Key, np.ndarray]) -> None:
            current, now = self._sets.get(pad_id, (None, found))
            if takes is not self.takes or current is not sound or now.tuned_st != found.tuned_st:
                return
            made = TakeSet(found.lows, found.turns, found.zones, ready, tuned_st)
            self._sets[pad_id] = (sound, made)
            self.audio[pad_id] = ready[first_wanted(sound)]
            self._sending.start()
            self._rest.start()

        self._background.start(work, then, key=("others", pad_id))

    def _ask_for(self, pad_id: str, sound: Sound, missing: list[Key], tuned_st: float) -> None:
        takes = self.takes

        def work() -> None:
            for key in missing:
                # The threads are for the hand: once it rests the rest is asked for again.
                if not self._hand_rests.is_set() or self._sounds.get(pad_id) is not sound:
                    return
                then = partial(self._take_in, takes, pad_id, sound, key, tuned_st)
                post(then, take_of(takes, sound, key, tuned_st))

        quick = _is_quick(sound)
        self._background.start(work, key=("others", pad_id), priority="low" if not quick else "now")

    @property
    def complete(self) -> bool:
        """Whether every take of every pad is there."""
        return all(
            pad_id in self._sets
            and self._sets[pad_id][0] is sound
            and self._sets[pad_id][1].tuned_st == self._tunes.get(pad_id, 0.0)
            and self._has_all(pad_id, sound)
            for pad_id, sound in self._sounds.items()
        )

    def _has_all(self, pad_id: str, sound: Sound) -> bool:
        found = self._sets[pad_id][1]
        return all(key in found.ready for key in self._wanted(pad_id, sound, found.zones))

    def _wanted(self, pad_id: str, sound: Sound, zones: tuple[int, ...]) -> list[Key]:
        """Every take of a pad; with own values of hits those that are struck, and the first."""
        every = wanted(sound, zones)
        struck = self._velocities.get(pad_id)
        if struck is None:
            return every
        lows = lows_of(sound)
        steps = {step_of(velocity, lows) for velocity in struck}
        return [key for key in every if key[0] in steps or key == every[0]]

    def _take_in(
        self,
        takes: Takes,
        pad_id: str,
        sound: Sound,
        key: Key,
        tuned_st: float,
        audio: np.ndarray,
    ) -> None:
        if takes is not self.takes or self._sounds.get(pad_id) is not sound:
            return
        known, found = self._sets.get(pad_id, (None, TakeSet()))
        if known is not sound:
            zones = self._zones.get(pad_id, (0,))
            found = TakeSet(lows_of(sound), turns_of(sound), zones, {}, tuned_st)
            self._sets[pad_id] = (sound, found)
        elif found.tuned_st != tuned_st:
            self._rest.start()  # tuned otherwise meanwhile: asked for again
            return
        self._sets[pad_id] = sound, found.with_take(key, audio)
        if key == first_wanted(sound):
            self.audio[pad_id] = audio
            self._ask_for_struck(pad_id, sound, tuned_st)
            self._rest.start()
            self._sending.start()
        elif key[2] == self._struck.get(pad_id, (127.0, 0))[1] and not self._hand_rests.is_set():
            self._sending.start()
        elif not self._gathering.isActive():  # what can wait goes to the engine by the handful
            self._gathering.start()

    def audition(self, source: Source) -> None:
        """A source by itself, without touching the kit; the newest wins.

        Voices are heard at one loudness, recordings as they are.
        """
        takes = self.takes
        sound = Sound(layers=(Layer(id="layer1", name="", source=source),))

        def heard(audio: np.ndarray) -> None:
            if takes is self.takes:
                self.auditioned.emit(audio)

        def work() -> np.ndarray:
            audio = takes.sound(sound).audio
            if isinstance(source, Sample):
                return audio
            return audio * np.float32(gain_from_db(lift_db(source, HEARD_LUFS)))

        self._background.start(work, heard, key="audition")


def _is_quick(sound: Sound) -> bool:
    """Whether the sound is unprocessed samples, whose takes render in milliseconds."""
    return not sound.stages and all(
        isinstance(k.source, Sample) and k.source.longer == 1.0 and not k.stages
        for k in sound.layers
    )
