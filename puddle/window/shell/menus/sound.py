"""Commands of the menu Sound: layers, prints, alternates, and what is measured of them."""

from __future__ import annotations

from PyQt6.QtWidgets import QInputDialog, QMainWindow

from puddle.kit import edits
from puddle.kit.edits import alternates
from puddle.window.commands import Command, Context
from puddle.window.files.incoming import Incoming
from puddle.window.session import when
from puddle.window.session.aligner import Aligner
from puddle.window.session.printer import Printer
from puddle.window.session.session import Session
from puddle.window.session.trial import Trial

_DEFAULT_VELOCITIES = 4


def _duplicate_layer(context: Context) -> None:
    """A copy of the selected layer, which is then selected."""
    session, layer = context.of(Session), context.of(Session).layer
    if layer is not None and session.edit(
        f"{layer.name} duplicated",
        lambda kit: edits.copy_layers(kit, session.pad_id, (layer,)),
    ):
        pad = session.pad
        session.selection.select_layer(pad.sound.layers[-1].id if pad is not None else None)


def _remove_layer(context: Context) -> None:
    session, layer = context.of(Session), context.of(Session).layer
    if layer is not None:
        pad_id = session.pad_id
        session.edit(
            f"{layer.name} out",
            lambda kit: edits.remove_layer(kit, pad_id, layer.id),
            large=True,
        )


def _step_layer(context: Context, step: int) -> None:
    session = context.of(Session)
    pad = session.pad
    ids: list[str | None] = [None, *(k.id for k in pad.sound.layers)] if pad else [None]
    now = ids.index(session.selection.layer_id) if session.selection.layer_id in ids else 0
    session.selection.select_layer(ids[(now + step) % len(ids)])


def _conflicts(context: Context) -> None:
    from puddle.window.editors.conflicts import ConflictsDialog

    session, window = context.of(Session), context.of(QMainWindow)
    trial = context.of(Trial)
    context.of(ConflictsDialog, lambda: ConflictsDialog(session, trial, window)).show()


def _pitches(context: Context) -> None:
    from puddle.window.editors.pitches import PitchesDialog

    session, window = context.of(Session), context.of(QMainWindow)
    context.of(PitchesDialog, lambda: PitchesDialog(session, window)).show()


def _sample_voice(context: Context) -> None:
    """Asks at how many velocities."""
    count, done = QInputDialog.getInt(
        context.of(QMainWindow),
        "Sample at several velocities",
        "Recordings of this sound, one for each of so many velocities:",
        _DEFAULT_VELOCITIES,
        1,
        16,
    )
    if done:
        context.of(Printer).sample(count)


def _step_alternate(context: Context, by: int) -> None:
    session = context.of(Session)
    pad = session.pad
    if pad is not None:
        session.edit(
            f"{pad.name} plays another alternate",
            lambda kit: alternates.step_alternate(kit, pad.id, by),
            ("alternate", pad.id),
        )


COMMANDS = (
    Command(
        "add_voice",
        "Sound",
        "Add a voice …",
        "Ctrl+L",
        "A synthesized voice as a layer, chosen by ear.",
        lambda c: c.of(Incoming).ask_voice(),
    ),
    Command(
        "add_sample",
        "Sound",
        "Add a sample layer …",
        "Ctrl+Shift+F",
        "A sound file as a layer.",
        lambda c: c.of(Incoming).ask_files(),
    ),
    Command(
        "duplicate_layer",
        "Sound",
        "Duplicate the layer",
        "Ctrl+D",
        "Puts a copy of the selected layer under the others.",
        _duplicate_layer,
        when=when.has_layer,
    ),
    Command(
        "align",
        "Sound",
        "Align the layer",
        "Ctrl+Shift+A",
        "Tries the shift and polarity with which the selected layer adds best; again keeps them.",
        lambda c: c.of(Aligner).propose_or_keep(),
        when=when.has_layer,
    ),
    Command(
        "conflicts",
        "Sound",
        "Masking …",
        "Ctrl+Shift+K",
        "Bands in which one layer, or another pad, covers another, each with a cut on offer.",
        _conflicts,
        when=when.has_pad,
    ),
    Command(
        "print_layer",
        "Sound",
        "Print the layer",
        "Ctrl+P",
        "Makes the layer a sample of itself, at full velocity; its recipe can be reopened.",
        lambda c: c.of(Printer).print_layer(),
        when=when.has_layer,
        after_line=True,
    ),
    Command(
        "print_sound",
        "Sound",
        "Print the whole sound",
        "Ctrl+Shift+P",
        "Makes the sound one layer, a sample of itself; its recipe can be reopened.",
        lambda c: c.of(Printer).print_sound(),
        when=when.has_pad,
    ),
    Command(
        "reopen",
        "Sound",
        "Reopen the recipe",
        "Ctrl+R",
        "Puts back what the sample was printed from, and what came on top after it.",
        lambda c: c.of(Printer).reopen(),
        when=when.has_recipe,
    ),
    Command(
        "pitches",
        "Sound",
        "Pitches of the kit …",
        "Ctrl+T",
        "Every pad's measured pitch against a key; what is out is marked, and can be tuned.",
        _pitches,
        after_line=True,
    ),
    Command(
        "add_copy",
        "Sound",
        "Copy another sound …",
        "",
        "Puts copies of another pad's layers under this one's.",
        lambda c: c.of(Incoming).ask_copy(),
    ),
    Command(
        "remove_layer",
        "Sound",
        "Remove the layer",
        "Ctrl+Backspace",
        "Takes the selected layer out.",
        _remove_layer,
        when=when.has_layer,
        after_line=True,
    ),
    Command(
        "select_whole",
        "Sound",
        "Select the whole sound",
        "Ctrl+Home",
        "Shows the stages of the whole sound.",
        lambda c: c.of(Session).selection.select_layer(None),
        after_line=True,
    ),
    Command(
        "next_layer",
        "Sound",
        "Next layer",
        "Ctrl+Down",
        "Selects the layer below.",
        lambda c: _step_layer(c, 1),
    ),
    Command(
        "previous_layer",
        "Sound",
        "Previous layer",
        "Ctrl+Up",
        "Selects the layer above.",
        lambda c: _step_layer(c, -1),
    ),
    Command(
        "sample_voice",
        "Sound",
        "Sample at several velocities …",
        "",
        "Makes the sound recordings of itself, one for each of so many velocities.",
        _sample_voice,
        when=when.has_pad,
        after_line=True,
    ),
    Command(
        "next_alternate",
        "Sound",
        "Next alternate",
        "Ctrl+PgDown",
        "The pad plays the next of its alternates.",
        lambda c: _step_alternate(c, 1),
        when=when.has_alternates,
    ),
    Command(
        "previous_alternate",
        "Sound",
        "Previous alternate",
        "Ctrl+PgUp",
        "The pad plays the alternate before.",
        lambda c: _step_alternate(c, -1),
        when=when.has_alternates,
    ),
)
