"""Writes docs/sound/: a page for each voice and stage, from its own docstring and declarations.

``python -m tools.sound_pages`` after a change; a test fails while the pages are behind.
"""

from __future__ import annotations

import sys
from pathlib import Path
from typing import Any

from puddle.parameter import Parameter, parameters
from puddle.stages import PROCESSES
from puddle.units import THIN
from puddle.voices import STARTING_POINTS

FOLDER = Path(__file__).parent.parent / "docs" / "sound"
STAGES = FOLDER / "stages"


def name_of(stage: Any) -> str:
    """The name of a stage's page: what it is called in the kit file."""
    return str(stage.__struct_config__.tag)


def page(kind: Any) -> str:
    """One voice's or stage's page."""
    told = (sys.modules[kind.__module__].__doc__ or "").strip()
    title, _, text = told.partition(":")
    lines = [f"# {title}", "", f"{text.strip()[:1].upper()}{text.strip()[1:]}", ""]
    points = STARTING_POINTS.get(kind)
    if points:
        lines += ["Starting points: " + ", ".join(f"*{name}*" for name in points) + ".", ""]
        what = f"{next(iter(points))}: spectrogram, and levels of the whole and of three bands"
        lines += [f"![{what}]({kind.noun}.png)", ""]
    else:
        lines += [f"![What its parameters mean]({name_of(kind)}.png)", ""]
    lines += [
        "| part | parameter | range | default | what it does to the sound |",
        "|---|---|---|---|---|",
    ]
    lines += [_row(p, kind) for p in parameters(kind)]
    return "\n".join(lines) + "\n"


def _row(p: Parameter, kind: Any) -> str:
    default = getattr(kind(), p.field)
    if p.kind == "switch":
        span, shown = "on, off", "on" if default else "off"
    elif p.kind == "choice":
        span, shown = ", ".join(p.choices), str(default)
    else:
        span, shown = f"{p.text(p.low)} to {p.text(p.high)}", p.text(float(default))
    cells = [p.part, p.label, span, shown, p.says]
    return "| " + " | ".join(c.replace(THIN, " ").replace("|", "\\|") for c in cells) + " |"


def pages() -> dict[Path, str]:
    """Every page by its path."""
    voices = {FOLDER / f"{kind.noun}.md": page(kind) for kind in STARTING_POINTS}
    return voices | {STAGES / f"{name_of(kind)}.md": page(kind) for kind in PROCESSES}


if __name__ == "__main__":
    STAGES.mkdir(parents=True, exist_ok=True)
    for path, text in pages().items():
        path.write_text(text)
