"""Commands as data: menus, shortcuts, tooltips and the shortcut list are made from one table."""

from __future__ import annotations

from dataclasses import dataclass


@dataclass(frozen=True)
class Command:
    """Something that a person can ask for; the shell has a method of the name `do_` + id."""

    id: str
    menu: str
    title: str
    keys: str = ""
    says: str = ""
    checkable: bool = False
    after_line: bool = False


COMMANDS = (
    Command("new", "Kit", "New kit", "Ctrl+N", "From the template that new kits start from."),
    Command("open", "Kit", "Open …", "Ctrl+O", "Opens a kit file."),
    Command("demo", "Kit", "Open the demo", "", "Opens Rain Gauge, the kit that ships along."),
    Command("save", "Kit", "Save", "Ctrl+S", "Saves the kit.", after_line=True),
    Command("save_as", "Kit", "Save as …", "Ctrl+Shift+S", "Saves the kit under another name."),
    Command(
        "template",
        "Kit",
        "Save as a template …",
        "",
        "Keeps the kit to start others from, with or without its sounds.",
    ),
    Command(
        "export_sound",
        "Kit",
        "Export this sound …",
        "Ctrl+E",
        "Writes the selected pad's sound as WAV, with the samples that are heard.",
        after_line=True,
    ),
    Command(
        "export_groove",
        "Kit",
        "Export the groove …",
        "Ctrl+Shift+E",
        "Writes the groove through the whole mix as WAV.",
    ),
    Command(
        "preferences",
        "Kit",
        "Preferences …",
        "Ctrl+,",
        "Sound card, rate and block size.",
        after_line=True,
    ),
    Command("quit", "Kit", "Quit", "Ctrl+Q", "Closes Puddle."),
    Command("undo", "Edit", "Undo", "Ctrl+Z", "Takes the last step back."),
    Command("redo", "Edit", "Redo", "Ctrl+Shift+Z", "Brings it back."),
    Command(
        "rename",
        "Edit",
        "Rename …",
        "F2",
        "Gives the layer, or the pad, another name.",
        after_line=True,
    ),
    Command(
        "add_voice",
        "Sound",
        "Add a voice …",
        "Ctrl+L",
        "A synthesized voice as a layer, chosen by ear.",
    ),
    Command(
        "add_sample", "Sound", "Add a sample layer …", "Ctrl+Shift+F", "A sound file as a layer."
    ),
    Command(
        "duplicate_layer",
        "Sound",
        "Duplicate the layer",
        "Ctrl+D",
        "Puts a copy of the selected layer under the others.",
    ),
    Command(
        "align",
        "Sound",
        "Align the layer",
        "Ctrl+Shift+A",
        "Tries the shift and polarity with which the selected layer adds best; again keeps them.",
    ),
    Command(
        "conflicts",
        "Sound",
        "Conflicts …",
        "Ctrl+Shift+K",
        "Bands that two layers crowd, or this sound and another pad, each with a cut on offer.",
    ),
    Command(
        "print_layer",
        "Sound",
        "Print the layer",
        "Ctrl+P",
        "Makes the layer a sample of itself, at full strength; its recipe can be reopened.",
        after_line=True,
    ),
    Command(
        "print_sound",
        "Sound",
        "Print the whole sound",
        "Ctrl+Shift+P",
        "Makes the sound one layer, a sample of itself; its recipe can be reopened.",
    ),
    Command(
        "reopen",
        "Sound",
        "Reopen the recipe",
        "Ctrl+R",
        "Puts back what the sample was printed from, and what came on top after it.",
    ),
    Command(
        "pitches",
        "Sound",
        "Pitches of the kit …",
        "Ctrl+T",
        "Every pad's measured pitch against a key; what is out is marked, and can be tuned.",
        after_line=True,
    ),
    Command(
        "add_copy",
        "Sound",
        "Copy another sound …",
        "",
        "Puts copies of another pad's layers under this one's.",
    ),
    Command(
        "remove_layer",
        "Sound",
        "Remove the layer",
        "Ctrl+Backspace",
        "Takes the selected layer out.",
        after_line=True,
    ),
    Command(
        "select_whole",
        "Sound",
        "Select the whole sound",
        "Ctrl+Home",
        "Shows the stages of the whole sound.",
        after_line=True,
    ),
    Command("next_layer", "Sound", "Next layer", "Ctrl+Down", "Selects the layer below."),
    Command("previous_layer", "Sound", "Previous layer", "Ctrl+Up", "Selects the layer above."),
    Command("strike", "Play", "Strike the selected pad", "Ctrl+Return", "At the set strength."),
    Command("play", "Play", "Play or stop the groove", "Space", "From the first step."),
    Command(
        "repeat",
        "Play",
        "Repeat the selected pad",
        "F4",
        "While you work on it; how often is told beside its button.",
        checkable=True,
    ),
    Command("silence", "Play", "Silence", "Shift+Esc", "Stops all that rings."),
    Command("next_pad", "Play", "Next pad", "Ctrl+Right", "Selects the next pad.", after_line=True),
    Command("previous_pad", "Play", "Previous pad", "Ctrl+Left", "Selects the pad before."),
    Command(
        "compare",
        "Compare",
        "Compare",
        "F8",
        "This sound beside a snapshot, a file, another pad, or itself without stages.",
    ),
    Command(
        "switch",
        "Compare",
        "Switch what is heard",
        "F5",
        "From this sound to what it is compared with, and back, without a gap.",
    ),
    Command(
        "snapshot",
        "Compare",
        "Keep a snapshot",
        "F7",
        "Keeps this sound as it is now, to compare with and to go back to.",
    ),
    Command(
        "matched",
        "Compare",
        "Matched loudness",
        "Shift+F5",
        "Plays both equally loud, so that louder is not mistaken for better.",
        checkable=True,
        after_line=True,
    ),
    Command(
        "mono",
        "Compare",
        "Listen in mono",
        "F9",
        "Both sides as one, for the ear only: it is never exported.",
        checkable=True,
        after_line=True,
    ),
    Command(
        "small_speaker",
        "Compare",
        "Listen through a small speaker",
        "Shift+F9",
        "As a kitchen radio would play it, for the ear only: it is never exported.",
        checkable=True,
    ),
    Command("shape", "View", "Shape", "Ctrl+3", "The layers and stages of the selected sound."),
    Command(
        "map",
        "View",
        "Map",
        "Ctrl+4",
        "Which keys strike which pads, and what soft and hard strikes play.",
    ),
    Command("zoom_in", "View", "Zoom in", "Ctrl++", "Shows less time, larger.", after_line=True),
    Command("zoom_out", "View", "Zoom out", "Ctrl+-", "Shows more time, smaller."),
    Command("zoom_all", "View", "Show all", "Ctrl+0", "Shows the whole sound."),
    Command("day", "View", "Day", "", "Paper and ink.", checkable=True, after_line=True),
    Command("night", "View", "Night", "", "Deep ink.", checkable=True),
    Command(
        "desktop",
        "View",
        "Follow the desktop",
        "",
        "Day or night as the desktop has it.",
        checkable=True,
    ),
    Command(
        "pad_layout",
        "View",
        "Pads in one row, two, or a square",
        "F6",
        "Changes how the shore shows the pads.",
        after_line=True,
    ),
    Command("shortcuts", "Help", "Shortcuts", "?", "Every key and what it does."),
    Command("start", "Help", "Start page", "", "New kit, templates, recent kits, the demo."),
)

HAND = (
    ("Q W E R T Y U I", "strike pads 1 to 8, by their place on the keyboard"),
    ("A S D F G H J K", "strike pads 9 to 16"),
    ("[  ]", "softer, harder; Shift with a letter is an accent"),
    ("click on a pad", "strikes it, harder near its center"),
    ("Ctrl or Alt + click on a pad", "mute, solo"),
    ("drag on a gauge", "moves it; Shift is fine, a double click resets, typing sets"),
    ("arrows, Page Up, Page Down", "move the gauge that has the focus"),
    ("wheel on the strata", "zooms around the pointer; Shift moves along"),
    ("wheel on a handle of the spectrum", "width of the bell"),
    ("0, 1 … 9 on Compare", "hears this sound, or what stands on the shelf"),
)
