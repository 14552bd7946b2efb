"""Loudness while it plays: momentary, short-term and integrated, true peak, and correlation.

ITU-R BS.1770-4 and EBU Tech 3341: powers of the K-weighted channels in blocks of 100 ms; momentary
over 400 ms, short-term over 3 s, integrated over all 400 ms blocks, each 100 ms later, above the
gates at -70 LUFS and 10 LU under their mean. Correlation is that of the last 300 ms.
"""

from __future__ import annotations

import math
from collections import deque

import msgspec
import numpy as np

from puddle.measure.levels import k_weighting
from puddle.units import db_from_gain

_BLOCK_S = 0.1
_MOMENTARY, _SHORT = 4, 30  # blocks
_OFFSET, _ABSOLUTE, _RELATIVE = -0.691, -70.0, -10.0
_FIRST_GATED = 4096  # blocks: 7 minutes
_OVERLAP = 192  # frames that two parts share when their peaks are looked for
_TAPER = 64  # frames at each end that are faded: what is cut off there would ring between samples
_CORRELATED = 3  # blocks
_FADE = (0.5 - 0.5 * np.cos(np.pi * np.arange(_TAPER) / _TAPER)).astype(np.float32)


class Loudness(msgspec.Struct, frozen=True):
    """In LUFS and dBTP; None for silence, or before there is enough."""

    momentary: float | None = None
    short_term: float | None = None
    integrated: float | None = None
    true_peak: float | None = None
    correlation: float | None = None  # -1 to 1


class RunningLoudness:
    """Fed with what plays, float32 (frames, 2), in parts of any length."""

    def __init__(self, rate_hz: float) -> None:
        self._sections = k_weighting(rate_hz)
        self._block = round(_BLOCK_S * rate_hz)
        self.reset()

    def reset(self) -> None:
        """Begins anew."""
        self._state = np.zeros((2, 4))
        self._rest = np.zeros((0, 2), np.float32)  # weighted, of the block that is not full
        self._plain = np.zeros((0, 2), np.float32)
        self._powers: deque[float] = deque(maxlen=_SHORT)
        self._moments: deque[tuple[float, float, float]] = deque(maxlen=_CORRELATED)
        self._gated = np.empty(_FIRST_GATED)  # powers over the absolute gate
        self._gated_count = 0
        self._before = np.zeros((0, 2), np.float32)
        self._peak = 0.0

    def feed(self, audio: np.ndarray) -> None:
        """More of it."""
        from puddle.kernels.filters import cascade
        from puddle.kernels.true_peak import true_peak

        if not audio.shape[0]:
            return
        part = np.ascontiguousarray(audio, np.float32)
        joined = np.concatenate([self._before, part])
        self._before = joined[-_OVERLAP:].copy()
        if joined.shape[0] >= 2 * _TAPER:
            joined[:_TAPER] *= _FADE[:, None]
            joined[-_TAPER:] *= _FADE[::-1, None]
            self._peak = max(self._peak, float(true_peak(joined)))
        weighted = part.copy()
        cascade(self._state, self._sections, weighted, weighted.shape[0])
        self._rest = np.concatenate([self._rest, weighted])
        self._plain = np.concatenate([self._plain, part])
        while self._rest.shape[0] >= self._block:
            self._end_block()

    def _end_block(self) -> None:
        block, self._rest = self._rest[: self._block], self._rest[self._block :]
        plain, self._plain = self._plain[: self._block], self._plain[self._block :]
        self._powers.append(float(np.sum(np.square(block, dtype=np.float64))) / self._block)
        left, right = plain[:, 0].astype(np.float64), plain[:, 1].astype(np.float64)
        self._moments.append((float(left @ right), float(left @ left), float(right @ right)))
        if len(self._powers) >= _MOMENTARY:
            power = self._mean(_MOMENTARY)
            if power is not None and _lufs(power) > _ABSOLUTE:
                self._gate(power)

    def _gate(self, power: float) -> None:
        if self._gated_count == self._gated.size:
            self._gated = np.concatenate([self._gated, np.empty(self._gated.size)])
        self._gated[self._gated_count] = power
        self._gated_count += 1

    def _mean(self, blocks: int) -> float | None:
        if len(self._powers) < blocks:
            return None
        return sum(list(self._powers)[-blocks:]) / blocks

    def told(self) -> Loudness:
        """What it is by now."""
        momentary, short = self._mean(_MOMENTARY), self._mean(_SHORT)
        return Loudness(
            _heard(momentary),
            _heard(short),
            self._integrated(),
            db_from_gain(self._peak) if self._peak > 0.0 else None,
            self._correlation(),
        )

    def _integrated(self) -> float | None:
        if not self._gated_count:
            return None
        powers = self._gated[: self._gated_count]
        kept = (powers > float(powers.mean()) * 10.0 ** (_RELATIVE / 10.0)).astype(np.float64)
        return _lufs(float(powers @ kept / kept.sum()))

    def _correlation(self) -> float | None:
        both = sum(one[0] for one in self._moments)
        left = sum(one[1] for one in self._moments)
        right = sum(one[2] for one in self._moments)
        return both / math.sqrt(left * right) if left * right > 1e-20 else None


def _lufs(power: float) -> float:
    return _OFFSET + 10.0 * math.log10(max(power, 1e-30))


def _heard(power: float | None) -> float | None:
    return _lufs(power) if power is not None and power > 1e-13 else None
