"""Draws the plots of docs/sound/: voices as spectrograms and decays, stages as their pictures.

``python -m tools.sound_plots [NOUN …]`` after a change of sound; needs the `docs` extra. A test
fails while a picture is of other settings than the voice or stage starts from now.
"""

from __future__ import annotations

import io
import sys
from pathlib import Path
from typing import Any

import msgspec
import numpy as np
from scipy.signal import ShortTimeFFT, butter, sosfiltfilt
from scipy.signal.windows import hann

from puddle.stages import PROCESSES, Equalizer, Fade, Filter, Gain, Stereo
from puddle.units import THIN
from puddle.voices import STARTING_POINTS
from tools.sound_pages import FOLDER, STAGES, name_of

RATE = 48000
PAPER, PANEL, LINE, INK, SOFT = "#F3EFE7", "#FBF9F4", "#D6CDBB", "#1F2F3A", "#5F6E77"
BANDS = (  # as `measure.report` parts them
    ("under 150 Hz", "#3B5998", "-", (None, 150.0)),
    ("to 2 kHz", "#B4473A", (0, (5, 2)), (150.0, 2000.0)),
    ("above", "#C3941A", (0, (1.5, 1.5)), (2000.0, None)),
)
_FLOOR_DB = -80.0


SHOWN = {  # instead of settings in which nothing happens
    Equalizer: Equalizer(low_cut_on=True, bell1_db=-6, bell3_db=4, high_shelf_db=3),
    Stereo: Stereo(mono_on=True),
    Filter: Filter(resonance=3, octaves=2),
    Fade: Fade(in_ms=60, out_on=True),
    Gain: Gain(level_db=6),
}


def shown(kind: Any) -> Any:
    """The settings of a stage that its page shows."""
    return SHOWN.get(kind) or kind()


def recipe(settings: Any) -> str:
    """What a picture was drawn of: kept in it."""
    return msgspec.json.encode(settings).decode()


def levels_db(x: np.ndarray, window_s: float = 0.01) -> tuple[np.ndarray, np.ndarray]:
    """Times in ms and RMS levels in dB, of windows that overlap by half."""
    size = round(window_s * RATE)
    starts = np.arange(0, max(1, len(x) - size), size // 2)
    power = np.array([np.mean(x[n : n + size] ** 2) for n in starts])
    return 1000.0 * (starts + size / 2) / RATE, 10.0 * np.log10(np.maximum(power, 1e-14))


def band(x: np.ndarray, low_hz: float | None, high_hz: float | None) -> np.ndarray:
    """What lies between two frequencies, with no phase of its own."""
    if low_hz is None:
        sos = butter(4, high_hz, "low", fs=RATE, output="sos")
    elif high_hz is None:
        sos = butter(4, low_hz, "high", fs=RATE, output="sos")
    else:
        sos = butter(4, (low_hz, high_hz), "band", fs=RATE, output="sos")
    return np.asarray(sosfiltfilt(sos, x))


def prepared() -> Any:
    """Matplotlib in our type."""
    import matplotlib

    matplotlib.use("Agg")
    from matplotlib import font_manager, pyplot

    fonts = Path(__file__).parent.parent / "puddle" / "window" / "assets" / "fonts"
    font_manager.fontManager.addfont(fonts / "Karla.ttf")
    pyplot.rcParams.update({"font.family": "Karla", "font.size": 9, "text.color": INK})
    return pyplot


def finished(pyplot: Any, figure: Any, settings: Any) -> bytes:
    """A figure as a PNG that holds the recipe of what it shows."""
    from PIL import Image, PngImagePlugin

    figure.tight_layout()
    raw = io.BytesIO()
    figure.savefig(raw, facecolor=PAPER)
    pyplot.close(figure)
    kept = PngImagePlugin.PngInfo()
    kept.add_text("Recipe", recipe(settings))
    out = io.BytesIO()
    Image.open(raw).convert("RGB").save(out, "PNG", optimize=True, pnginfo=kept)
    return out.getvalue()


def drawn_stage(kind: Any) -> bytes:
    """A stage's picture as a PNG."""
    pyplot = prepared()
    picture = shown(kind).picture(float(RATE))
    figure, axes = pyplot.subplots(figsize=(6, 3), dpi=100, facecolor=PAPER)
    axes.set_facecolor(PANEL)
    for part in picture.parts:
        axes.plot(*zip(*part, strict=True), color=BANDS[0][1], lw=1.0, alpha=0.6)
    if picture.kind == "stems":
        axes.stem(*zip(*picture.points, strict=True), bottom=picture.upwards.low, basefmt=" ")
    else:
        axes.plot(*zip(*picture.points, strict=True), color=INK, lw=1.8)
    for axis, scale, limit, name in (
        (picture.across, axes.set_xscale, axes.set_xlim, axes.set_xlabel),
        (picture.upwards, axes.set_yscale, axes.set_ylim, axes.set_ylabel),
    ):
        scale("log" if axis.log else "linear")
        limit(axis.low, axis.high)
        name(axis.unit, color=SOFT)
    axes.set_title(f"{kind.noun.capitalize()}: {picture.title}", loc="left", fontsize=11, color=INK)
    axes.tick_params(colors=SOFT, length=3)
    for spine in axes.spines.values():
        spine.set_color(LINE)
    return finished(pyplot, figure, shown(kind))


def drawn(kind: Any) -> bytes:
    """A voice's picture as a PNG."""
    pyplot = prepared()
    name, voice = next(iter(STARTING_POINTS[kind].items()))
    x = voice.render(float(RATE), 1.0)[:, 0].astype(np.float64)
    figure, (left, right) = pyplot.subplots(1, 2, figsize=(9, 3), dpi=100, facecolor=PAPER)
    _spectrogram(left, x)
    _decay(right, x)
    left.set_title(f"{kind.noun.capitalize()}: {name}", loc="left", fontsize=11, color=INK)
    for axes in (left, right):
        axes.set_xlabel(f"ms{THIN}", color=SOFT, loc="right", labelpad=-2)
        axes.tick_params(colors=SOFT, length=3)
        axes.set_xlim(0.0, 1000.0 * len(x) / RATE)
        for spine in axes.spines.values():
            spine.set_color(LINE)
    return finished(pyplot, figure, voice)


def _spectrogram(axes: Any, x: np.ndarray) -> None:
    from matplotlib.colors import LinearSegmentedColormap

    hop = max(64, len(x) // 400)
    wide = np.concatenate([x, np.zeros(2048)])
    stft = ShortTimeFFT(hann(2048), hop, RATE, scale_to="magnitude", mfft=4096)
    spectrum = np.abs(stft.stft(wide))
    times = 1000.0 * stft.t(len(wide))
    db = 20.0 * np.log10(np.maximum(spectrum, 1e-9))
    db -= db.max()
    water = LinearSegmentedColormap.from_list("water", [PANEL, "#C4DEE0", "#2B7A8A", INK])
    axes.set_facecolor(PANEL)
    heard = stft.f >= 20.0
    axes.pcolormesh(
        times, stft.f[heard], db[heard], cmap=water, vmin=_FLOOR_DB, vmax=0.0, rasterized=True
    )
    axes.set_yscale("log")
    axes.set_ylim(20.0, 20000.0)
    ticks = {50: "50", 100: "100", 500: "500", 1000: "1k", 5000: "5k", 20000: "20k"}
    axes.set_yticks(list(ticks), list(ticks.values()))
    axes.minorticks_off()
    axes.set_ylabel(f"Hz, {_FLOOR_DB:.0f} to 0{THIN}dB".replace("-", "\u2212"), color=SOFT)


def _decay(axes: Any, x: np.ndarray) -> None:
    axes.set_facecolor(PANEL)
    times, whole = levels_db(x)
    top = whole.max()
    axes.plot(times, whole - top, color=INK, lw=1.8, label="whole")
    for name, color, style, (low, high) in BANDS:
        part = levels_db(band(x, low, high))[1] - top
        axes.plot(times, part, color=color, lw=1.4, ls=style, label=name)
    axes.axhline(-60.0, color=LINE, lw=1.0, ls=(0, (4, 3)))
    axes.set_ylim(_FLOOR_DB, 5.0)
    axes.set_ylabel("dB", color=SOFT)
    axes.legend(frameon=False, fontsize=8, labelcolor=SOFT, loc="upper right")


def main() -> None:
    """Every picture, or those that are named."""
    for kind in STARTING_POINTS:
        if not sys.argv[1:] or kind.noun in sys.argv[1:]:
            (FOLDER / f"{kind.noun}.png").write_bytes(drawn(kind))
    for stage in PROCESSES:
        if not sys.argv[1:] or stage.noun in sys.argv[1:]:
            (STAGES / f"{name_of(stage)}.png").write_bytes(drawn_stage(stage))


if __name__ == "__main__":
    main()
