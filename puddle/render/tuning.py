"""Tuning by measurement: a sound is moved, rendered and measured again until it is in tune."""

from __future__ import annotations

import msgspec

from puddle.errors import EditError
from puddle.kit.edits.tuning import moved_by
from puddle.kit.model.document import Sound
from puddle.kit.playing.velocity import hardest
from puddle.measure.pitch import Pitch, fundamental
from puddle.render.take import Takes, heard_layers
from puddle.units import note_from_hz, pitch_text

_ROUNDS = 3
_FOLLOWS_ST = 0.1
_IN_TUNE_ST = 0.005  # half a cent
_SAME_ST = 0.8  # a correction over that is another partial: the measure has jumped


class Tuned(msgspec.Struct, frozen=True):
    """A sound that was tuned, and what it measures now."""

    sound: Sound
    pitch: Pitch


def layer_pitch(takes: Takes, sound: Sound, layer_id: str) -> Pitch:
    """The settled pitch of a layer by itself."""
    layer = next(k for k in sound.layers if k.id == layer_id)
    return fundamental(takes.layer(sound, layer).audio, takes.rate_hz)


def sound_pitch(takes: Takes, sound: Sound) -> Pitch:
    """The settled pitch of the whole sound."""
    return fundamental(takes.sound(hardest(sound)).audio, takes.rate_hz)


def tuned_layer(takes: Takes, sound: Sound, layer_id: str, note: float, now: Pitch) -> Tuned:
    """A layer tuned to a note (a MIDI number with its fraction). Raises EditError."""
    return _tuned(takes, sound, [layer_id], note, now, layer_id)


def tuned_sound(takes: Takes, sound: Sound, note: float, now: Pitch) -> Tuned:
    """The whole sound tuned to a note: its layers with a pitch move, noise and clicks stay.

    Where its pitch does not follow them, all layers move. Raises EditError where it does not
    follow those either.
    """
    heard = [k.id for k in heard_layers(hardest(sound))]
    pitched = [k for k in heard if layer_pitch(takes, sound, k).hz is not None]
    for moving in (pitched, heard):
        if moving:
            found = _tuned(takes, sound, moving, note, now, None)
            if found.pitch.hz and abs(note - note_from_hz(found.pitch.hz)) <= _FOLLOWS_ST:
                return found
    raise EditError("Its pitch does not follow the tuning of its layers, so nothing was tuned.")


def _tuned(
    takes: Takes, sound: Sound, moving: list[str], note: float, now: Pitch, of: str | None
) -> Tuned:
    """Moves layers until the pitch of one of them, or of the whole, is the note."""
    if now.hz is None:
        raise EditError("There is no settled pitch to tune.")
    found = Tuned(sound, now)
    for n in range(_ROUNDS):
        if found.pitch.hz is None:
            break
        missing = note - note_from_hz(found.pitch.hz)
        if abs(missing) <= _IN_TUNE_ST or (n > 0 and abs(missing) > _SAME_ST):
            break
        made = moved_by(found.sound, moving, missing)
        pitch = layer_pitch(takes, made, of) if of else sound_pitch(takes, made)
        found = Tuned(made, pitch)
    return found


def measured_text(found: Tuned) -> str:
    """What a tuned sound measures, in words."""
    return f"measures {pitch_text(found.pitch.hz)}" if found.pitch.hz else "has no pitch any more"
