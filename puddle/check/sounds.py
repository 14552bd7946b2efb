"""Rules about one sound: how it begins, how loud it is, how it ends."""

from __future__ import annotations

from collections.abc import Iterator

import numpy as np

from puddle.check.finding import Finding, Level
from puddle.check.heard import Heard
from puddle.check.limits import BY_ID, Limits
from puddle.kit.edits.levels import role_lufs
from puddle.kit.model.document import Kit, Layer, Pad, Sample
from puddle.kit.model.roles import with_article
from puddle.kit.model.tonality import place_in
from puddle.kit.playing.key_tracking import pad_tune_st
from puddle.measure.agreement import agreement
from puddle.render.take import Takes, heard_layers
from puddle.units import db_from_gain, note_from_hz, note_name, plain

PITCHED = frozenset({"bass", "tom", "kick"})
_SURE = 0.8
_SWELLS_MS = 2.0  # what rises slower than that does not begin with a jump by its nature
_LOW_HZ = 150.0
_HEARD_LOW_DB = -30.0  # under the whole: less low end is no one's concern


def _about(
    heard: Heard, rule: str, message: str, figure: float, *, mend: str = "", layer: str = ""
) -> Finding:
    pad, level = heard.pad, BY_ID[rule].level
    return Finding(
        rule, level, pad.name, message, pad=pad.id, layer=layer, figure=figure, mend=mend
    )


def sound_findings(kit: Kit, heard: Heard, takes: Takes, limits: Limits) -> Iterator[Finding]:
    """What the rules say of a pad's sound at full strength."""
    peak_db = db_from_gain(heard.hardest.peak) if heard.hardest.peak > 0.0 else -200.0
    if limits.on("silent") and peak_db < limits.of("silent"):
        yield _about(heard, "silent", "plays nothing that can be heard", peak_db)
        return
    yield from _peak(heard, limits)
    yield from _start(heard, limits)
    yield from _end(kit, heard, limits)
    if limits.on("dc") and 100.0 * heard.mean > limits.of("dc"):
        share = 100.0 * heard.mean
        message = f"stands {share:.1f} % off zero on average"
        yield _about(heard, "dc", message, share, mend="Cut the bottom")
    yield from _pitch(kit, heard, limits)
    yield from _layers(heard, takes, limits)
    if limits.on("mono-low"):
        lost = low_lost_in_mono_db(heard.audio, heard.rate_hz)
        if lost > limits.of("mono-low"):
            message = f"loses {lost:.1f} dB under 150 Hz in mono"
            yield _about(heard, "mono-low", message, lost, mend="Mono below")
    if limits.on("loudness"):
        yield from _loudness(heard, limits)


def _peak(heard: Heard, limits: Limits) -> Iterator[Finding]:
    if not limits.on("clips"):
        return
    ceiling = limits.of("clips")
    level = heard.true_peak_dbtp + heard.pad.level_db
    if level <= ceiling + 0.005:
        return
    what = "clips" if level > 0.0 else "comes close to clipping"
    pad, over = heard.pad, level - ceiling
    yield Finding(
        "clips", "error" if level > 0.0 else "warning", pad.name,
        f"{what}: its true peak is {plain(level, 1)} dBTP, {over:.1f} dB over the ceiling",
        pad=pad.id, figure=level, mend="Lower it",
    )  # fmt: skip


def _start(heard: Heard, limits: Limits) -> Iterator[Finding]:
    if limits.on("late") and heard.onset_ms > limits.of("late"):
        message = f"starts {heard.onset_ms:.1f} ms late"
        yield _about(heard, "late", message, heard.onset_ms, mend="Trim")
    swells = heard.rises_ms > _SWELLS_MS
    if limits.on("start-click") and swells and heard.first_db > limits.of("start-click"):
        message = f"begins with a jump: its first sample is {-heard.first_db:.0f} dB under its peak"
        yield _about(heard, "start-click", message, heard.first_db, mend="Fade in")


def _end(kit: Kit, heard: Heard, limits: Limits) -> Iterator[Finding]:
    if limits.on("cut-off") and heard.end_db > limits.of("cut-off"):
        message = f"is cut off: {-heard.end_db:.0f} dB under its peak where it ends"
        mend = "Extend" if shortened(kit, heard.pad) else "Fade out"
        yield _about(heard, "cut-off", message, heard.end_db, mend=mend)
    silent = heard.silent_end_ms
    if limits.on("end-silence") and silent > limits.of("end-silence"):
        message = f"has {silent / 1000.0:.1f} s of silence at its end"
        yield _about(heard, "end-silence", message, silent)


def shortened(kit: Kit, pad: Pad) -> list[Layer]:
    """The layers of a pad whose samples go on after the end of their regions."""
    found = []
    for layer in pad.sound.layers:
        source = layer.source
        content = kit.content(source.content) if isinstance(source, Sample) else None
        if not isinstance(source, Sample) or content is None or source.loop:
            continue
        if source.end_ms < content.length_ms - 1.0:
            found.append(layer)
    return found


def _pitch(kit: Kit, heard: Heard, limits: Limits) -> Iterator[Finding]:
    found = heard.pitch
    if found is None or found.hz is None or found.confidence < _SURE or not limits.on("off-key"):
        return
    place = place_in(kit.key, note_from_hz(found.hz) + pad_tune_st(heard.pad))
    if abs(place.cents) <= limits.of("off-key"):
        return
    side = "over" if place.cents > 0.0 else "under"
    key = "" if kit.key.scale == "chromatic" else ", the nearest note of the kit's key"
    message = f"is {abs(place.cents):.0f} ct {side} {note_name(place.note)}{key}"
    level: Level = "warning" if heard.pad.role == "bass" else "note"
    pad = heard.pad
    yield Finding(
        "off-key", level, pad.name, message, pad=pad.id, figure=place.cents, mend="Tune"
    )  # fmt: skip


def _layers(heard: Heard, takes: Takes, limits: Limits) -> Iterator[Finding]:
    sound = heard.pad.sound
    layers = [k for k in heard_layers(sound) if k.hardest == 127 and k.turn in (0, 1)]
    if len(layers) < 2 or not limits.on("cancelling"):
        return
    names = {layer.id: layer.name for layer in layers}
    found = agreement({k.id: takes.placed(sound, k) for k in layers}, takes.rate_hz)
    worst = found.worst if found is not None else None
    if worst is None or worst.lost_db <= limits.of("cancelling"):
        return
    message = (
        f"{names[worst.first]} and {names[worst.second]} lose {worst.lost_db:.1f} dB "
        f"of each other around {worst.hz:.0f} Hz"
    )
    yield _about(heard, "cancelling", message, worst.lost_db, layer=worst.second)


def low_lost_in_mono_db(audio: np.ndarray, rate_hz: float) -> float:
    """How much of the energy under 150 Hz of float32 (frames, 2) the mono sum lacks, in dB.

    0 where the sides are alike, and where hardly anything lies there.
    """
    if np.array_equal(audio[:, 0], audio[:, 1]):
        return 0.0
    spectra = np.fft.rfft(audio.astype(np.float64), axis=0)
    low = spectra[np.fft.rfftfreq(audio.shape[0], 1.0 / rate_hz) < _LOW_HZ]
    stereo = float(np.sum(np.abs(low) ** 2)) / 2.0
    whole = float(np.sum(np.abs(spectra) ** 2)) / 2.0
    if stereo <= whole * 10.0 ** (_HEARD_LOW_DB / 10.0):
        return 0.0
    mono = float(np.sum(np.abs(low.mean(axis=1)) ** 2))
    return 10.0 * float(np.log10(stereo / max(mono, 1e-12 * stereo)))


def _loudness(heard: Heard, limits: Limits) -> Iterator[Finding]:
    pad = heard.pad
    wanted = role_lufs(pad.role, limits.role_lufs)
    off = heard.hardest.loudness_lufs + pad.level_db - wanted
    if abs(off) > limits.of("loudness"):
        side = "louder" if off > 0.0 else "softer"
        message = f"is {abs(off):.1f} dB {side} than {with_article(pad.role)} usually is here"
        lifted = heard.true_peak_dbtp + pad.level_db - off
        fits = off > 0.0 or lifted <= limits.of("clips")
        if not fits:
            message += ", and has no room to be louder"
        yield _about(heard, "loudness", message, off, mend="Level" if fits else "")
