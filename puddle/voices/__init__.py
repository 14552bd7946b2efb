"""Synthesis models, one file each. A new voice is a new file and its line in each table here."""

from collections.abc import Mapping

from puddle.voices import (
    bar,
    bass,
    bell,
    clap,
    cymbal,
    hat,
    kick,
    membrane,
    noise,
    shaker,
    snare,
    tom,
    tone,
    zap,
)
from puddle.voices.bar import Bar
from puddle.voices.bass import Bass
from puddle.voices.bell import Bell
from puddle.voices.clap import Clap
from puddle.voices.cymbal import Cymbal
from puddle.voices.hat import Hat
from puddle.voices.kick import Kick
from puddle.voices.membrane import Membrane
from puddle.voices.noise import Noise
from puddle.voices.shaker import Shaker
from puddle.voices.snare import Snare
from puddle.voices.tom import Tom
from puddle.voices.tone import Tone
from puddle.voices.voice import Voice
from puddle.voices.zap import Zap

AnyVoice = (
    Kick
    | Snare
    | Clap
    | Hat
    | Cymbal
    | Tom
    | Membrane
    | Bar
    | Shaker
    | Bell
    | Bass
    | Zap
    | Noise
    | Tone
)

STARTING_POINTS: dict[type[AnyVoice], Mapping[str, AnyVoice]] = {
    Kick: kick.STARTING_POINTS,
    Snare: snare.STARTING_POINTS,
    Clap: clap.STARTING_POINTS,
    Hat: hat.STARTING_POINTS,
    Cymbal: cymbal.STARTING_POINTS,
    Tom: tom.STARTING_POINTS,
    Membrane: membrane.STARTING_POINTS,
    Bar: bar.STARTING_POINTS,
    Shaker: shaker.STARTING_POINTS,
    Bell: bell.STARTING_POINTS,
    Bass: bass.STARTING_POINTS,
    Zap: zap.STARTING_POINTS,
    Noise: noise.STARTING_POINTS,
    Tone: tone.STARTING_POINTS,
}

__all__ = [
    "STARTING_POINTS",
    "AnyVoice",
    "Bar",
    "Bass",
    "Bell",
    "Clap",
    "Cymbal",
    "Hat",
    "Kick",
    "Membrane",
    "Noise",
    "Shaker",
    "Snare",
    "Tom",
    "Tone",
    "Voice",
    "Zap",
]
