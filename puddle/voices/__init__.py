"""Synthesis models, one file each. A new voice is a new file and its line in each table here."""

from __future__ import annotations

from collections.abc import Mapping

from puddle.voices import hat, kick, snare
from puddle.voices.hat import Hat
from puddle.voices.kick import Kick
from puddle.voices.snare import Snare
from puddle.voices.voice import Voice

AnyVoice = Kick | Snare | Hat

STARTING_POINTS: dict[type[AnyVoice], Mapping[str, AnyVoice]] = {
    Kick: kick.STARTING_POINTS,
    Snare: snare.STARTING_POINTS,
    Hat: hat.STARTING_POINTS,
}

__all__ = ["STARTING_POINTS", "AnyVoice", "Hat", "Kick", "Snare", "Voice"]
