"""One-shots: a file for each strength, turn and alternate of each pad."""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterator
from functools import partial

from puddle.deliver.ends import ended, lift_db
from puddle.deliver.making import Making
from puddle.deliver.plan import Planned, turn_of
from puddle.deliver.sound_files import estimated_bytes, sound_file
from puddle.deliver.strikes import Strike, strikes_of, with_alternates
from puddle.formats.sampler_chunks import SamplerFacts
from puddle.kit.model.document import Pad
from puddle.tasks import check_cancelled
from puddle.units import gain_from_db

FOLDER = "one-shots/"


def one_shots(making: Making, folder: str = FOLDER) -> Iterator[Planned]:
    """The files of all pads, pad by pad, soft to hard."""
    options = making.options
    for pad in making.pads():
        check_cancelled()
        frames = making.frames_about(pad)
        variants = list(with_alternates(pad))
        chosen = variants if options.alternates else [("", pad)]
        for alternate, one in chosen:
            strikes = list(strikes_of(one, each=options.strengths == "each", turns=options.turns))
            turns = Counter(strike.strength for strike in strikes)
            loud = Loudness(making, one, strikes[-1])
            for strike in strikes:
                stem = making.name_of(one, alternate, strike, turns[strike.strength])
                path = making.taken.free(f"{folder}{stem}{options.suffix}")
                size = estimated_bytes(frames, 2, options)
                work = partial(_made, making, one, strike, loud)
                turn = turn_of(pad.place)
                yield Planned(path, "one-shots", size, work, pad.dye, turn=turn)


class Loudness:
    """By how much the files of a pad are made louder, measured once, at full strength."""

    def __init__(self, making: Making, pad: Pad, hardest: Strike) -> None:
        self._making, self._pad = making, pad
        self._hardest = Strike(hardest.strength, 0, 0)
        self._found: float | None = None

    def db(self) -> float:
        """The same for all of the pad's files."""
        if self._found is None:
            options = self._making.options
            if options.loudness == "as it is":
                self._found = 0.0
            else:
                audio = self._making.heard().audio(self._pad, self._hardest)
                rate = self._making.takes.rate_hz
                self._found = lift_db(audio, rate, self._pad, options)
        return self._found


def _made(making: Making, pad: Pad, strike: Strike, loud: Loudness) -> bytes:
    options, rate = making.options, making.takes.rate_hz
    audio = making.heard().audio(pad, strike)
    lift = loud.db()
    if lift != 0.0:
        audio = audio * gain_from_db(lift)
    audio = ended(audio, rate, options.tail_db, options.fade_ms)
    return sound_file(audio, rate, options, facts_of(making, pad))


def facts_of(making: Making, pad: Pad) -> SamplerFacts:
    """The key that plays the sound as it is: the pad's root where it follows keys, else its pitch.

    No key where neither is known.
    """
    if pad.tracking > 0.0:
        return SamplerFacts(note=pad.root)
    pitch = making.pitch(pad)
    if pitch is None:
        return SamplerFacts()
    whole = round(pitch)
    return SamplerFacts(note=whole, cents=100.0 * (pitch - whole))
