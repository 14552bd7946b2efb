"""Tuning by measurement in the window: to a note, to another pad, all layers to one."""

from __future__ import annotations

from collections.abc import Callable

import msgspec

from puddle.errors import EditError
from puddle.kit import edits
from puddle.kit.edits.tuning import Octave, at_octave
from puddle.kit.model.document import Kit, Sound
from puddle.measure.pitch import Pitch
from puddle.render.take import Takes, heard_layers
from puddle.render.tuning import (
    Tuned,
    layer_pitch,
    measured_text,
    sound_pitch,
    tuned_layer,
    tuned_sound,
)
from puddle.units import note_from_hz, parsed_note, pitch_text
from puddle.window.session.session import Session

_Done = tuple[Kit, str]  # the kit, and what is said of it


class Tuner:
    """Measures, moves and measures again, on a worker; what comes of it is one step."""

    def __init__(self, session: Session) -> None:
        self._session = session

    def to_note(self, text: str, octave: Octave = "as typed") -> None:
        """The selected layer, or the whole sound, to a typed note."""
        note = parsed_note(text)
        if note is None:
            self._session.told.emit(f"“{text}” is not a note: type one such as A1 or F#2 +6.")
            return
        self._to(lambda takes, own: at_octave(note, own, octave), f"to {text.strip()}")

    def to_pad(self, pad_id: str, octave: Octave = "nearest") -> None:
        """The selected layer, or the whole sound, to what another pad measures."""
        other = self._session.kit.pad(pad_id)
        if other is None:
            return

        def target(takes: Takes, own: float) -> float:
            pitch = sound_pitch(takes, other.sound)
            if pitch.hz is None:
                raise EditError(f"{other.name} has no settled pitch to tune to.")
            return at_octave(note_from_hz(pitch.hz) + other.tune_st, own, octave)

        self._to(target, f"to {other.name}")

    def _to(self, target: Callable[[Takes, float], float], said: str) -> None:
        session, pad, layer = self._session, self._session.pad, self._session.layer
        if pad is None:
            return
        kit, takes, sound = session.kit, session.renders.takes, pad.sound
        name = layer.name if layer else pad.name

        def work() -> _Done:
            now = layer_pitch(takes, sound, layer.id) if layer else sound_pitch(takes, sound)
            note = target(takes, _note_of(name, now) + (0.0 if layer else pad.tune_st))
            if layer:
                found = tuned_layer(takes, sound, layer.id, note, now)
            else:
                found = tuned_sound(takes, sound, note - pad.tune_st, now)
            return _with_sound(kit, pad.id, found.sound), f"{name} {measured_text(found)}."

        self._do(kit, work, f"{name}: tuned {said}")

    def all_to_layer(self, octave: Octave = "nearest") -> None:
        """Every other layer that has a pitch to the selected one's."""
        session, pad, layer = self._session, self._session.pad, self._session.layer
        if pad is None or layer is None:
            return
        kit, takes, sound = session.kit, session.renders.takes, pad.sound

        def work() -> _Done:
            to = _note_of(layer.name, layer_pitch(takes, sound, layer.id))
            made, moved = sound, []
            for other in heard_layers(sound):
                now = layer_pitch(takes, made, other.id)
                if other.id == layer.id or now.hz is None:
                    continue
                note = at_octave(to, note_from_hz(now.hz), octave)
                made = tuned_layer(takes, made, other.id, note, now).sound
                moved.append(other.name)
            if not moved:
                raise EditError("No other layer has a settled pitch: there is nothing to tune.")
            said = f"{' and '.join(moved)} tuned to {layer.name}."
            return _with_sound(kit, pad.id, made), said

        self._do(kit, work, f"{pad.name}: layers tuned to {layer.name}")

    def tune_sounds(self, wanted: list[tuple[str, float]], said: str) -> None:
        """Whole sounds, by pad, to notes: one step. What cannot be tuned is named and left."""
        session = self._session
        kit, takes = session.kit, session.renders.takes
        wanted = [(key, note) for key, note in wanted if kit.pad(key) is not None]
        if not wanted:
            session.told.emit("What was to be tuned has gone from the kit.")
            return

        def work() -> _Done:
            made, tuned, left = kit, [], []
            for pad_id, note in wanted:
                pad = edits.pad_of(made, pad_id)
                try:
                    found: Tuned = tuned_sound(
                        takes, pad.sound, note, sound_pitch(takes, pad.sound)
                    )
                except EditError:
                    left.append(pad.name)
                    continue
                made = _with_sound(made, pad_id, found.sound)
                tuned.append(f"{pad.name} {measured_text(found)}")
            words = [f"{'; '.join(tuned)}."] if tuned else []
            if left:
                words.append(f"{', '.join(left)} would not follow and stays as it is.")
            return made, " ".join(words)

        names = [edits.pad_of(kit, key).name for key, _ in wanted]
        who = names[0] if len(names) == 1 else f"{len(names)} sounds"
        self._do(kit, work, f"{who}: {said}")

    def _do(self, kit: Kit, work: Callable[[], _Done], name: str) -> None:
        session = self._session

        def safely() -> _Done | str:
            try:
                return work()
            except EditError as error:
                return str(error)

        def then(done: _Done | str) -> None:
            if isinstance(done, str):
                session.told.emit(done)
            elif session.kit is not kit:
                session.told.emit("The kit was edited meanwhile: tune again.")
            else:
                session.edit(name, lambda _: done[0])
                session.settle()
                session.told.emit(done[1])

        session.background.start(safely, then, key="tune")


def _note_of(name: str, pitch: Pitch) -> float:
    if pitch.hz is None:
        raise EditError(f"{name} has no settled pitch to tune.")
    return note_from_hz(pitch.hz)


def _with_sound(kit: Kit, pad_id: str, sound: Sound) -> Kit:
    pad = edits.pad_of(kit, pad_id)
    return edits.with_pad(kit, pad, msgspec.structs.replace(pad, sound=sound))


def pitch_words(pitch: Pitch | None) -> str:
    """A pitch as it is shown where it can be clicked."""
    return pitch_text(pitch.hz) if pitch is not None and pitch.hz else "no settled pitch"
