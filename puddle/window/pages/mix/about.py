"""Mix as a page: how it is made, and its commands."""

from __future__ import annotations

from pathlib import Path
from typing import TYPE_CHECKING

from PyQt6.QtWidgets import QFileDialog, QMainWindow

from puddle.window.commands import Command, Context, Page
from puddle.window.session.mixes import Mixes
from puddle.window.session.mixing import Mixing
from puddle.window.session.output_recorder import OutputRecorder
from puddle.window.session.session import Session
from puddle.window.session.trial import Trial
from puddle.window.session.tried_mix import TriedMix

if TYPE_CHECKING:
    from puddle.window.pages.mix.page import MixPage


def _mixing(context: Context) -> Mixing:
    session = context.of(Session)
    return context.of(Mixing, lambda: Mixing(session))


def _make(context: Context) -> MixPage:
    from puddle.window.pages.mix.page import MixPage

    session = context.of(Session)
    tried = TriedMix(session, context.of(Trial))
    return context.add(MixPage(session, _mixing(context), _mixes(context), tried))


def _mixes(context: Context) -> Mixes:
    session = context.of(Session)
    return context.of(Mixes, lambda: Mixes(session))


def _recorder(context: Context) -> OutputRecorder:
    session = context.of(Session)
    return context.of(OutputRecorder, lambda: OutputRecorder(session))


def _record(context: Context) -> None:
    """Begins or ends writing what is heard."""
    recorder, session = _recorder(context), context.of(Session)
    if recorder.recording:
        recorder.stop()
        return
    folder = Path(session.settings.last_folder or Path.home())
    name = str(folder / f"{session.kit.name} output.wav")
    found, _ = QFileDialog.getSaveFileName(
        context.of(QMainWindow), "Record the output", name, "WAV (*.wav)"
    )
    if found:
        path = Path(found)
        recorder.record(path if path.suffix else path.with_suffix(".wav"))


def _record_buses(context: Context) -> None:
    """Begins or ends writing the master and every bus."""
    recorder, session = _recorder(context), context.of(Session)
    if recorder.recording:
        recorder.stop()
        return
    folder = session.settings.last_folder or str(Path.home())
    found = QFileDialog.getExistingDirectory(context.of(QMainWindow), "Record into", folder)
    if found:
        recorder.record_buses(Path(found))


def _records(context: Context) -> bool:
    return context.has(OutputRecorder) and context.of(OutputRecorder).recording


PAGE = Page(
    "mix",
    "Mix",
    "Ctrl+6",
    "Where sound flows, how loud, and where it stands.",
    _make,
    ahead=("puddle.window.pages.mix.page",),
    commands=(
        Command(
            "record_output",
            "Play",
            "Record the output …",
            "",
            "Writes what the master gives to a WAV file, until it is chosen again.",
            _record,
            checked=_records,
        ),
        Command(
            "record_buses",
            "Play",
            "Record every bus …",
            "",
            "Writes the master and each bus to files of their own, until it is chosen again.",
            _record_buses,
            checked=_records,
        ),
        Command(
            "next_mix",
            "Play",
            "Next mix",
            "Shift+F6",
            "Plays the next of the mixes that are kept side by side, without a gap.",
            lambda c: _mixes(c).step(),
        ),
    ),
)
