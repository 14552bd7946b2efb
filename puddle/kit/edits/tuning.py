"""Tuning in the document: layers moved by an interval, and a note brought to the octave wanted."""

from __future__ import annotations

from collections.abc import Collection
from typing import Literal

from puddle.errors import EditError
from puddle.kit.model.document import Layer, Sound
from puddle.parameter import changed, parameter

Octave = Literal["nearest", "as typed", "an octave down", "an octave up"]
OCTAVES: tuple[Octave, ...] = ("nearest", "as typed", "an octave down", "an octave up")


def tune_of(layer: Layer) -> float:
    """A layer's tuning in semitones, cents as its fraction."""
    return layer.tune_st + layer.tune_ct / 100.0


def tuned_by(layer: Layer, semitones: float) -> Layer:
    """A layer moved by an interval. Raises EditError where its gauge does not reach so far."""
    whole = parameter(Layer, "tune_st")
    steps = tune_of(layer) + semitones
    st = round(steps)
    if not whole.low <= st <= whole.high:
        raise EditError(
            f"{layer.name} would have to be tuned by {steps:+.1f} st; "
            f"its gauge goes from {whole.low:.0f} to {whole.high:+.0f} st."
        )
    return changed(layer, tune_st=float(st), tune_ct=round(100.0 * (steps - st), 2))


def moved_by(sound: Sound, layer_ids: Collection[str], semitones: float) -> Sound:
    """The sound with some of its layers moved by one interval. Raises EditError."""
    layers = tuple(tuned_by(k, semitones) if k.id in layer_ids else k for k in sound.layers)
    return changed(sound, layers=layers)


def at_octave(target: float, own: float, octave: Octave) -> float:
    """A note, as a MIDI number with its fraction, in the octave wanted for what sounds `own`."""
    if octave == "as typed":
        return target
    nearest = target + 12.0 * round((own - target) / 12.0)
    return nearest + {"nearest": 0.0, "an octave down": -12.0, "an octave up": 12.0}[octave]
