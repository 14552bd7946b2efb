"""A picture of the kit: its pads as drops with their waves, as SVG."""

from __future__ import annotations

from html import escape

import numpy as np

from puddle.deliver.making import Making
from puddle.kit.model.document import PADS_PER_BANK, Pad
from puddle.kit.model.roles import Dye

_PAPER, _INK, _SOFT = "#FBF9F4", "#1F2F3A", "#55646E"
_DYES: dict[Dye, str] = {
    "indigo": "#3B5998",
    "madder": "#B4473A",
    "weld": "#C3941A",
    "verdigris": "#2C8474",
    "cochineal": "#BE4F7C",
    "walnut": "#7C5C40",
    "logwood": "#77508B",
    "slate": "#5B6C78",
}
_CELL, _ACROSS, _TOP = 120, 8, 70
_POINTS = 64


def kit_svg(making: Making) -> str:
    """A sheet of all pads, eight in a row."""
    pads = making.pads()
    rows = max(1, -(-len(pads) // _ACROSS))
    width, height = _CELL * _ACROSS + 40, _TOP + rows * _CELL + 20
    kit = making.kit
    parts = [
        f'<svg xmlns="http://www.w3.org/2000/svg" width="{width}" height="{height}" '
        f'viewBox="0 0 {width} {height}" font-family="Karla, sans-serif">',
        f'<rect width="{width}" height="{height}" fill="{_PAPER}"/>',
        f'<text x="24" y="40" font-size="22" font-weight="700" fill="{_INK}">'
        f"{_text(kit.name)}</text>",
        f'<text x="{width - 24}" y="40" font-size="14" text-anchor="end" fill="{_SOFT}">'
        f"{len(pads)} pads, {kit.tempo_bpm:g} bpm</text>",
    ]
    for n, pad in enumerate(pads):
        row, column = divmod(n, _ACROSS)
        parts.append(_pad(making, pad, 20 + column * _CELL, _TOP + row * _CELL))
    return "\n".join([*parts, "</svg>", ""])


def _pad(making: Making, pad: Pad, left: int, top: int) -> str:
    dye = _DYES[pad.dye]
    x, y = left + _CELL // 2, top + 46
    bank, place = divmod(pad.place, PADS_PER_BANK)
    return (
        f'<circle cx="{x}" cy="{y}" r="40" fill="{dye}" fill-opacity="0.14" stroke="{dye}" '
        f'stroke-width="2"/><path d="{_wave(making, pad, x, y)}" fill="{dye}"/>'
        f'<text x="{x}" y="{top + 104}" font-size="12" text-anchor="middle" fill="{_INK}">'
        f"{_text(pad.name)}</text>"
        f'<text x="{left + 8}" y="{top + 12}" font-size="9" fill="{_SOFT}">'
        f"{bank + 1}.{place + 1}</text>"
    )


def _wave(making: Making, pad: Pad, x: int, y: int) -> str:
    """The outline of its hardest strike, as high as its peak lets it."""
    level = np.abs(making.hardest(pad)).max(axis=1)
    parts = np.array_split(level, _POINTS) if level.size >= _POINTS else [level]
    peaks = np.array([float(part.max(initial=0.0)) for part in parts])
    peaks = 24.0 * np.sqrt(peaks / max(1e-9, float(peaks.max(initial=0.0))))
    across = np.linspace(x - 30.0, x + 30.0, peaks.size)
    upper = [f"{a:.1f} {y - p:.1f}" for a, p in zip(across, peaks, strict=True)]
    lower = [f"{a:.1f} {y + p:.1f}" for a, p in zip(across[::-1], peaks[::-1], strict=True)]
    return f"M {' L '.join([*upper, *lower])} Z"


def _text(text: str) -> str:
    kept = "".join(c for c in text if c.isprintable())
    return escape(kept[:24])
