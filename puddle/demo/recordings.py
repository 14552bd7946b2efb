"""The boathouse session: recordings that never were, struck from modes and noise by seed.

Each is a small physical sketch: a body's modes excited at once, the noise of the contact, and a
few early reflections of a wooden room.
"""

from __future__ import annotations

from collections.abc import Callable

import numpy as np

from puddle.formats.sound import wav_bytes

RATE_HZ = 48000
_REFLECTIONS = ((0.0067, 0.22), (0.0113, -0.16), (0.0171, 0.11), (0.0233, -0.08))


def _time(seconds: float) -> np.ndarray:
    return np.arange(round(seconds * RATE_HZ)) / RATE_HZ


def _modes(
    t: np.ndarray, rng: np.random.Generator, hz: list[float], decay_s: list[float], tilt: float
) -> np.ndarray:
    """Damped sines of random sign and slightly random strength, weaker upwards."""
    out = np.zeros_like(t)
    for n, (pitch, decay) in enumerate(zip(hz, decay_s, strict=True)):
        gain = rng.uniform(0.7, 1.0) * rng.choice([-1.0, 1.0]) * tilt**n
        out += gain * np.sin(2.0 * np.pi * pitch * t) * 10.0 ** (-3.0 * t / decay)
    return out


def _hiss(t: np.ndarray, rng: np.random.Generator, low: float, high: float) -> np.ndarray:
    """Noise of a band, by its spectrum, at unit RMS."""
    spectrum = np.fft.rfft(rng.standard_normal(t.shape[0]))
    hz = np.maximum(np.fft.rfftfreq(t.shape[0], 1.0 / RATE_HZ), 1.0)
    spectrum *= 1.0 / np.sqrt((1.0 + (low / hz) ** 4) * (1.0 + (hz / high) ** 4))
    noise = np.fft.irfft(spectrum, t.shape[0])
    return np.asarray(noise / np.sqrt(np.mean(noise**2)))


def _roomy(mono: np.ndarray, rng: np.random.Generator, wet: float) -> np.ndarray:
    """Stereo with early reflections that differ on both sides: float32 (frames, 2)."""
    out = np.stack([mono, mono], axis=1)
    for delay, gain in _REFLECTIONS:
        for side in range(2):
            shift = round(delay * rng.uniform(0.85, 1.2) * RATE_HZ)
            out[shift:, side] += wet * gain * mono[:-shift]
    fade = round(0.01 * RATE_HZ)
    out[-fade:] *= np.linspace(1.0, 0.0, fade)[:, None]
    out[:24] *= np.linspace(0.0, 1.0, 24)[:, None]
    return np.asarray(out / np.abs(out).max() * 0.84, np.float32)


def oak_knock(rng: np.random.Generator) -> np.ndarray:
    """A knuckle on an oak rib."""
    t = _time(0.5)
    base = rng.uniform(165.0, 180.0)
    hz = [base * r for r in (1.0, 1.83, 2.92, 4.41, 6.7, 9.1)]
    body = _modes(t, rng, hz, [0.22, 0.15, 0.1, 0.07, 0.045, 0.03], 0.72)
    contact = _hiss(t, rng, 900.0, 6000.0) * 10.0 ** (-3.0 * t / 0.012)
    return _roomy(body + 0.5 * contact, rng, 0.8)


def plank_drop(rng: np.random.Generator, rebound: float = 0.35) -> np.ndarray:
    """A plank dropped flat, with its rebound."""
    t = _time(0.7)
    base = rng.uniform(205.0, 225.0)
    hz = [base * r for r in (1.0, 2.76, 5.4, 8.93)]
    body = _modes(t, rng, hz, [0.26, 0.16, 0.09, 0.05], 0.7)
    slap = _hiss(t, rng, 500.0, 9000.0) * (
        10.0 ** (-3.0 * t / 0.05)
        + rebound * (t > 0.058) * 10.0 ** (-3.0 * np.abs(t - 0.058) / 0.06)
    )
    return _roomy(0.6 * body + 0.6 * slap, rng, 1.0)


def canvas_slap(rng: np.random.Generator) -> np.ndarray:
    """Wet canvas against a mast: a loose cluster of slaps."""
    t = _time(0.5)
    shape = 0.5 * 10.0 ** (-3.0 * t / 0.28)
    for start in np.cumsum(rng.uniform(0.007, 0.013, 4)) - 0.006:
        late = t - start
        shape += np.where(late > 0.0, 10.0 ** (-3.0 * np.maximum(late, 0.0) / 0.022), 0.0)
    return _roomy(_hiss(t, rng, 750.0, 4200.0) * shape, rng, 0.9)


def chain_rattle(rng: np.random.Generator) -> np.ndarray:
    """A chain let fall: links that strike one another."""
    t = _time(0.8)
    out = np.zeros_like(t)
    for _ in range(26):
        start = round(rng.exponential(0.07) * RATE_HZ)
        link = t[: max(1, min(round(0.3 * RATE_HZ), t.shape[0] - start))]
        hz = [rng.uniform(2400.0, 3100.0) * r for r in (1.0, 1.47, 2.09, 2.56)]
        ring = _modes(link, rng, hz, [0.12, 0.09, 0.07, 0.05], 0.85)
        if start < t.shape[0]:
            level = rng.uniform(0.2, 1.0) * np.exp(-start / RATE_HZ / 0.12)
            out[start : start + ring.shape[0]] += level * ring
    return _roomy(out, rng, 0.7)


def crate_thump(rng: np.random.Generator) -> np.ndarray:
    """A fist on an empty fish crate."""
    t = _time(0.4)
    hz = [310.0, 472.0, 655.0, 1180.0, 1890.0]
    body = _modes(t, rng, hz, [0.16, 0.13, 0.1, 0.06, 0.04], 0.75)
    contact = _hiss(t, rng, 400.0, 3000.0) * 10.0 ** (-3.0 * t / 0.02)
    return _roomy(body + 0.4 * contact, rng, 0.7)


def gull_cry(rng: np.random.Generator) -> np.ndarray:
    """A rusty pulley that sounds like a gull."""
    t = _time(0.45)
    pitch = 1250.0 + 520.0 * np.exp(-((t - 0.07) ** 2) / 0.004) - 420.0 * t
    phase = 2.0 * np.pi * np.cumsum(pitch) / RATE_HZ
    voice = np.sin(phase + 1.6 * np.sin(2.0 * phase) * np.exp(-t / 0.15))
    shape = np.minimum(1.0, t / 0.018) * 10.0 ** (-3.0 * t / 0.42)
    rasp = _hiss(t, rng, 2000.0, 8000.0) * 0.08
    return _roomy((voice + rasp) * shape, rng, 1.0)


def gravel_spill(rng: np.random.Generator) -> np.ndarray:
    """A handful of wet gravel, let go on the slipway: pebbles, then grit."""
    t = _time(0.6)
    out = np.zeros_like(t)
    for _ in range(170):
        start = round(rng.triangular(0.0, 0.05, 0.42) * RATE_HZ)
        stone = t[: round(0.03 * RATE_HZ)]
        hz = [rng.uniform(2200.0, 6200.0) * r for r in (1.0, 1.62, 2.41)]
        ring = _modes(stone, rng, hz, [0.014, 0.01, 0.006], 0.8)
        level = rng.uniform(0.08, 1.0) ** 2 * np.exp(-start / RATE_HZ / 0.2)
        out[start : start + ring.shape[0]] += level * ring
    grit = _hiss(t, rng, 2500.0, 9000.0) * np.minimum(1.0, t / 0.03) * 10.0 ** (-3.0 * t / 0.5)
    return _roomy(out + 0.06 * grit, rng, 0.6)


def iron_bollard(rng: np.random.Generator) -> np.ndarray:
    """A stick on an iron bollard: it rings."""
    t = _time(1.1)
    base = rng.uniform(612.0, 618.0)
    hz = [base * r for r in (1.0, 1.51, 2.42, 3.63, 5.2, 7.1)]
    body = _modes(t, rng, hz, [0.8, 0.6, 0.45, 0.3, 0.2, 0.14], 0.82)
    contact = _hiss(t, rng, 2500.0, 11000.0) * 10.0 ** (-3.0 * t / 0.006)
    return _roomy(body + 0.5 * contact, rng, 0.5)


def empty_barrel(rng: np.random.Generator) -> np.ndarray:
    """The side of a fist on an empty barrel: deep, and short."""
    t = _time(0.6)
    base = rng.uniform(71.0, 75.0)
    hz = [base * r for r in (1.0, 1.62, 2.31, 3.4)]
    body = _modes(t, rng, hz, [0.3, 0.2, 0.12, 0.07], 0.55)
    contact = _hiss(t, rng, 150.0, 1400.0) * 10.0 ** (-3.0 * t / 0.016)
    return _roomy(body + 0.25 * contact, rng, 0.6)


SESSION: dict[str, Callable[[np.random.Generator], np.ndarray]] = {
    "boathouse 07 oak knock": oak_knock,
    "boathouse 12 plank drop": plank_drop,
    "boathouse 19 canvas slap": canvas_slap,
    "boathouse 23 chain": chain_rattle,
    "boathouse 28 crate": crate_thump,
    "boathouse 31 pulley": gull_cry,
    "boathouse 34 gravel": gravel_spill,
}


def session_files() -> dict[str, bytes]:
    """The recordings as 24-bit WAV files, by file name; the same bytes on every run."""
    files = {}
    for number, (name, make) in enumerate(SESSION.items()):
        rng = np.random.Generator(np.random.PCG64(1040 + number))
        files[f"{name}.wav"] = wav_bytes(make(rng), RATE_HZ, "24")
    return files
