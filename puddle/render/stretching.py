"""Time without pitch: a phase vocoder that leaves attacks as they are.

Two libraries, tried on made hits, took 2 to 7 dB of the attack's peak. Here each attack is cut out
under a window, laid down untouched where it belongs, and only what lies between attacks is
stretched, its phases taken up from the attack. Lows and highs have frames of their own length.
"""

from __future__ import annotations

from collections.abc import Callable

import msgspec
import numpy as np

from puddle.kernels.vocoder import turn

_BANDS = ((0.085, 8), (0.021, 4))  # lows, highs: seconds of a frame, and how often it overlaps
_SPLIT_HZ, _SPLIT_OCTAVES = 700.0, 0.25
_MOST_GAIN = 2.0
_AT_ONCE = 256  # frames of a spectrum: memory stays small however long the sound is
_BEFORE_S = 0.002  # an attack's window begins so long before its onset


class TimeMap(msgspec.Struct, frozen=True):
    """Which frame of what is read sounds at which frame of what is written: straight pieces."""

    read: np.ndarray
    written: np.ndarray

    def reads(self, frames: np.ndarray) -> np.ndarray:
        """Where frames that are written are read."""
        found: np.ndarray = np.interp(frames, self.written, self.read)
        return found

    def writes(self, frames: np.ndarray) -> np.ndarray:
        """Where frames that are read are written."""
        found: np.ndarray = np.interp(frames, self.read, self.written)
        return found


class Attack(msgspec.Struct, frozen=True):
    """Frames that are left as they are: from `onset - before` to `onset + kept`."""

    onset: int
    before: int
    kept: int

    @property
    def start(self) -> int:
        """The first of them."""
        return self.onset - self.before

    @property
    def end(self) -> int:
        """The first that is none of them."""
        return self.onset + self.kept


def attacks_at(
    onsets: list[int], length: int, ratio: float, rate_hz: float, kept_ms: float
) -> list[Attack]:
    """The attacks at rising onsets; none takes more than half the time that a hit has."""
    before, kept = round(_BEFORE_S * rate_hz), round(kept_ms / 1000.0 * rate_hz)
    found = []
    room = float(length)
    for n, onset in enumerate(onsets):
        following = onsets[n + 1] if n + 1 < len(onsets) else length
        own = (following - onset) * min(1.0, ratio)
        room = onset * min(1.0, ratio) if n == 0 else room
        attack = Attack(onset, int(min(before, room / 2)), int(min(kept, own / 2)))
        room = own - attack.kept
        if attack.kept > 0:
            found.append(attack)
    return found


def time_map(length: int, ratio: float, attacks: list[Attack]) -> TimeMap:
    """Every onset, and the end, `ratio` times as late as it was; attacks at their own pace."""
    read, written = [0.0], [0.0]
    for attack in attacks:
        place = ratio * attack.onset
        if attack.start > read[-1]:
            read.append(attack.start)
            written.append(place - attack.before)
        read.append(attack.end)
        written.append(place + attack.kept)
    read.append(length)
    written.append(ratio * length)
    return TimeMap(np.array(read), np.array(written))


def stretched(
    audio: np.ndarray,
    rate_hz: float,
    ratio: float,
    onsets: list[int],
    kept_ms: float,
    go_on: Callable[[float], None] = lambda share: None,
) -> np.ndarray:
    """Float32 (frames, 2), `ratio` times as long; its pitch, and its attacks, stay.

    `onsets` are frames at which attacks begin, of which `kept_ms` are left as they are. `go_on`
    is told how much is done, 0 to 1, and may raise.
    """
    length = audio.shape[0]
    if ratio == 1.0 or length < 2:
        return audio
    attacks = attacks_at(onsets, length, ratio, rate_hz, kept_ms)
    ways = time_map(length, ratio, attacks)
    frames = max(1, round(ratio * length))
    weights = [_weight(attack) for attack in attacks]
    body = audio.astype(np.float64)
    for attack, weight in zip(attacks, weights, strict=True):
        body[attack.start : attack.end] *= (1.0 - weight)[:, None]
    out = np.zeros((frames, 2))
    low = _lows(body, rate_hz)
    # The higher band has shorter frames, and takes most of the time.
    shares = (lambda done: go_on(0.2 * done), lambda done: go_on(0.2 + 0.8 * done))
    for part, (seconds, overlap), tell in zip((low, body - low), _BANDS, shares, strict=True):
        size = _even_power(seconds * rate_hz)
        made = _vocoded(part, frames, ways, size, size // overlap, attacks, tell)
        out += made * _gains(part, made, ways, size, size // overlap)[:, None]
    for attack, weight in zip(attacks, weights, strict=True):
        start = round(ratio * attack.onset) - attack.before
        room = out[start : start + weight.size]
        room += audio[attack.start : attack.end][: len(room)] * weight[: len(room), None]
    go_on(1.0)
    return out.astype(np.float32)


def _weight(attack: Attack) -> np.ndarray:
    """Up before the onset, whole for half of what is kept, then down."""
    half = attack.kept // 2
    return np.concatenate([_rise(attack.before), np.ones(half), _rise(attack.kept - half)[::-1]])


def _rise(count: int) -> np.ndarray:
    return 0.5 - 0.5 * np.cos(np.pi * (np.arange(count) + 0.5) / max(1, count))


def _lows(body: np.ndarray, rate_hz: float) -> np.ndarray:
    """What lies under the split, without a shift; the rest is what is left."""
    size = 1 << (2 * body.shape[0] - 1).bit_length()
    hz = np.fft.rfftfreq(size, 1.0 / rate_hz)
    place = np.log2(np.maximum(hz, 1e-3) / _SPLIT_HZ) / _SPLIT_OCTAVES + 0.5
    gain = 0.5 + 0.5 * np.cos(np.pi * np.clip(place, 0.0, 1.0))
    spectrum = np.fft.rfft(body, size, axis=0) * gain[:, None]
    return np.fft.irfft(spectrum, size, axis=0)[: body.shape[0]]


def _even_power(frames: float) -> int:
    found: int = 1 << max(6, round(np.log2(frames)))
    return found


def _vocoded(
    part: np.ndarray,
    frames: int,
    ways: TimeMap,
    size: int,
    hop: int,
    attacks: list[Attack],
    tell: Callable[[float], None],
) -> np.ndarray:
    """One band, read along the map in windowed frames, each a synthesis hop after the other."""
    centers = np.arange(0, frames + size // 2, hop)
    reads = np.round(ways.reads(np.minimum(centers, frames))).astype(np.int64)
    reads += np.maximum(0, centers - frames)
    window = np.hanning(size + 1)[:-1]
    padded = np.pad(part, ((size + hop, 2 * size), (0, 0)))
    reads = np.minimum(reads, padded.shape[0] - 2 * size - hop)
    locked = _locked(reads, attacks)
    both = np.sum(part[:, 0] * part[:, 1])
    polarity = -1.0 if both < 0.0 else 1.0  # sides of opposite polarity do not cancel what is heard
    mixed = padded[:, 0] + polarity * padded[:, 1]
    out = np.zeros((frames + 2 * size, 2))
    share = window * (hop / (0.375 * size))  # Hann twice, overlapped, sums to 3/8 of the size
    last = np.ones((2, size // 2 + 1), np.complex128)
    for first in range(0, reads.size, _AT_ONCE):
        some = slice(first, first + _AT_ONCE)
        tell(first / reads.size)
        starts = reads[some] + size // 2
        lefts, rights = (
            np.fft.rfft(_cut(padded[:, channel], starts + hop, size) * window)
            for channel in range(2)
        )
        earlier = np.fft.rfft(_cut(mixed, starts, size) * window)
        turns = np.empty_like(lefts)
        turn(lefts + polarity * rights, earlier, locked[some], last, turns)
        for side, spectra in enumerate((lefts, rights)):
            pieces = np.fft.irfft(spectra * turns, size) * share
            for center, piece in zip(centers[some].tolist(), pieces, strict=True):
                out[center : center + size, side] += piece
    return out[size // 2 : size // 2 + frames]


def _gains(part: np.ndarray, made: np.ndarray, ways: TimeMap, size: int, hop: int) -> np.ndarray:
    """What makes a band as loud over time as it was, for each frame that is written.

    Frames of noise meet out of phase and lose 1 to 4 dB; tones lose nothing.
    """
    frames = made.shape[0]
    places = np.round(ways.reads(np.arange(frames))).astype(np.int64)
    power = np.square(part).sum(axis=1)[np.clip(places, 0, part.shape[0] - 1)]
    wanted, found = (_smoothed(p, size, hop) for p in (power, np.square(made).sum(axis=1)))
    least = 1e-9 * max(float(wanted.max()), 1e-30)
    gains = np.sqrt((wanted + least) / (found + least))
    centers = hop * (np.arange(gains.size) + 0.5)
    result: np.ndarray = np.interp(np.arange(frames), centers, np.clip(gains, 0.5, _MOST_GAIN))
    return result


def _smoothed(power: np.ndarray, size: int, hop: int) -> np.ndarray:
    """By hops, under a window as long as a frame."""
    count = -(-power.size // hop)
    blocks = np.pad(power, (0, count * hop - power.size)).reshape(count, hop).sum(axis=1)
    overlap = size // hop
    whole = np.convolve(blocks, np.hanning(overlap + 3)[1:-1])
    return whole[overlap // 2 : overlap // 2 + count]


def _cut(line: np.ndarray, starts: np.ndarray, size: int) -> np.ndarray:
    """Pieces of a line: (count, size)."""
    return line[starts[:, None] + np.arange(size)]


def _locked(reads: np.ndarray, attacks: list[Attack]) -> np.ndarray:
    """Which frames are left as they are: those that stand in an attack."""
    locked = np.zeros(reads.size, np.bool_)
    locked[0] = True  # nothing was written before it
    for attack in attacks:
        locked |= (reads >= attack.start) & (reads < attack.end)
    return locked
