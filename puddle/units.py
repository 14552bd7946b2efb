"""Conversions between the trade's units, and how values are written and read by people.

Numbers are shown with a real minus sign and a thin space before the unit. What a person types is
understood generously: ``-6``, ``1.2k``, ``A#1``, ``18 ms``, ``0.4 s``.
"""

from __future__ import annotations

import math
import re

from puddle.errors import ParameterError

MINUS = "\N{MINUS SIGN}"
THIN = "\N{THIN SPACE}"
SILENCE_DB = -120.0

_NAMES = ("C", "C♯", "D", "D♯", "E", "F", "F♯", "G", "G♯", "A", "A♯", "B")
_STEPS = {"C": 0, "D": 2, "E": 4, "F": 5, "G": 7, "A": 9, "B": 11}
_NUMBER = re.compile(r"^([+-]?(?:\d+\.?\d*|\.\d+)(?:e[+-]?\d+)?)\s*(k?)\s*(.*)$", re.IGNORECASE)
_NOTE = re.compile(r"^([A-Ga-g])([#♯b♭]?)(-?\d{1,2})\s*(?:([+-]?\d+(?:\.\d+)?)\s*(?:ct|cents?)?)?$")


def gain_from_db(level_db: float) -> float:
    """Linear gain of a level in dB (0 dB is exactly 1)."""
    return 10.0 ** (level_db / 20.0) if level_db != 0.0 else 1.0


def db_from_gain(gain: float) -> float:
    """Level in dB of a linear gain; silence is `SILENCE_DB`."""
    return 20.0 * math.log10(gain) if gain > 1e-6 else SILENCE_DB


def ratio_from_semitones(semitones: float) -> float:
    """Frequency ratio of an interval in equal temperament."""
    return float(2.0 ** (semitones / 12.0)) if semitones != 0.0 else 1.0


def hz_from_note(note: float) -> float:
    """Frequency in Hz of a MIDI note number (69 is 440 Hz; fractions are cents / 100)."""
    return 440.0 * ratio_from_semitones(note - 69.0)


def note_from_hz(hz: float) -> float:
    """MIDI note number of a frequency in Hz, with its fraction."""
    return 69.0 + 12.0 * math.log2(hz / 440.0)


class Octaves:
    """Which octave the window says that middle C (MIDI 60) lies in; files and scripts say 4."""

    middle = 4


def note_name(note: int) -> str:
    """Name of a MIDI note number, C4 = 60 unless a person prefers otherwise."""
    return f"{_NAMES[note % 12]}{note // 12 - 5 + Octaves.middle}"


def ascii_note_name(note: int) -> str:
    """Name with ``#`` and C4 = 60, for files and scripts."""
    return f"{_NAMES[note % 12]}{note // 12 - 1}".replace("♯", "#")


def parsed_note(text: str) -> float | None:
    """MIDI note number, with cents as its fraction, of a typed note; None if it is not one."""
    match = _NOTE.match(text.strip().replace(MINUS, "-"))
    if match is None:
        return None
    letter, accidental, octave, cents = match.groups()
    step = _STEPS[letter.upper()] + (1 if accidental in ("#", "♯") else 0)
    step -= 1 if accidental in ("b", "♭") else 0
    return 12.0 * (int(octave) + 5 - Octaves.middle) + step + float(cents or 0.0) / 100.0


def pitch_text(hz: float) -> str:
    """A pitch as note, cents and Hz: ``F1 +6 ct (43.8 Hz)``."""
    note = note_from_hz(hz)
    nearest = round(note)
    cents = round(100.0 * (note - nearest))
    sign = "+" if cents > 0 else MINUS if cents < 0 else "±"
    return f"{note_name(nearest)} {sign}{abs(cents)}{THIN}ct ({plain(hz, 1)}{THIN}Hz)"


def plain(value: float, decimals: int) -> str:
    """A number with a real minus sign, and no minus before a rounded zero."""
    text = f"{value:.{decimals}f}"
    if float(text) == 0.0:
        text = text.lstrip("-")
    return text.replace("-", MINUS)


def with_unit(value: float, unit: str, decimals: int) -> str:
    """A value as it is shown: ``−6.0 dB``, ``1.20 kHz``, ``18 ms``, ``1.40 s``."""
    if unit == "Hz":
        if abs(value) >= 1000.0:
            return f"{plain(value / 1000.0, 2)}{THIN}kHz"
        return f"{plain(value, 1 if abs(value) < 100.0 else 0)}{THIN}Hz"
    if unit == "ms":
        if abs(value) >= 1000.0:
            return f"{plain(value / 1000.0, 2)}{THIN}s"
        fine = 2 if abs(value) < 10.0 else 1 if abs(value) < 100.0 else 0
        return f"{plain(value, min(fine, max(decimals, 1)))}{THIN}ms"
    if unit == ":1":
        return f"{plain(value, decimals)}{THIN}:{THIN}1"
    if unit == "note":
        return note_name(round(value))
    if unit == "pan":
        if abs(value) < 0.5:
            return "center"
        return f"{'R' if value > 0 else 'L'}{THIN}{abs(value):.0f}"
    sign = "+" if unit in ("dB", "st", "ct") and float(f"{value:.{decimals}f}") > 0.0 else ""
    text = sign + plain(value, decimals)
    return f"{text}{THIN}{unit}" if unit else text


def is_bare(text: str) -> bool:
    """Whether a number was typed without a unit: then that of what is shown is meant."""
    match = _NUMBER.match(_cleaned(text))
    return match is not None and not match.group(2) and not match.group(3).strip()


def _cleaned(text: str) -> str:
    return text.strip().replace(MINUS, "-").replace(THIN, " ").replace(",", ".")


def parsed(text: str, unit: str) -> float:
    """The value that a person typed for a parameter of this unit.

    Notes are understood where the unit is Hz, ``s`` where it is ms, ``L 20``, ``20 L`` and
    ``R 20`` where it is a pan. Raises ParameterError when the text is not a number.
    """
    cleaned = _cleaned(text)
    if unit == "Hz":
        note = parsed_note(cleaned)
        if note is not None:
            return hz_from_note(note)
    if unit == "note":
        note = parsed_note(cleaned)
        if note is not None:
            return round(note)
    if unit == "pan":
        if cleaned.lower() in ("c", "center"):
            return 0.0
        for side, sign in (("L", -1.0), ("R", 1.0)):
            upper = cleaned.upper()
            if upper.startswith(side) or upper.endswith(side):
                return sign * parsed(upper.strip(f"{side} "), "")
    match = _NUMBER.match(cleaned)
    if match is None:
        example = {
            "Hz": "120, 1.2k or A1",
            "ms": "18 or 0.4 s",
            "pan": "L 20",
            "note": "A1 or 33",
        }.get(unit, "-6")
        raise ParameterError(f"“{text.strip()}” is not a value: type a number such as {example}.")
    number, thousand, suffix = match.groups()
    value = float(number) * (1000.0 if thousand else 1.0)
    if unit == "ms" and suffix.strip().lower() in ("s", "sec"):
        value *= 1000.0
    if not math.isfinite(value):
        raise ParameterError(f"“{text.strip()}” is too large.")
    return value


def pan_gains(pan: float) -> tuple[float, float]:
    """Gains for left and right of a pan of -100 to 100: the side that it goes to stays at 1.

    The sides stand to each other as equal power has it, cos to sin; nothing is louder than in the
    middle, so that no panned sound clips that did not before.
    """
    if pan == 0.0:
        return 1.0, 1.0
    away = math.tan((1.0 - abs(pan) / 100.0) * math.pi / 4.0)
    return (away, 1.0) if pan > 0.0 else (1.0, away)
