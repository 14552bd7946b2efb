"""All commands and all pages, in the order of the menus and of the tabs."""

from __future__ import annotations

from puddle.window.commands import Command
from puddle.window.pages.compare import about as compare
from puddle.window.pages.controllers import about as controllers
from puddle.window.pages.cut import about as cut
from puddle.window.pages.deliver import about as deliver
from puddle.window.pages.gather import about as gather
from puddle.window.pages.groove import about as groove
from puddle.window.pages.map import about as map_
from puddle.window.pages.mix import about as mix
from puddle.window.pages.shape import about as shape
from puddle.window.pages.start import about as start
from puddle.window.shell.frame import page_command
from puddle.window.shell.menus import edit, kit, play, sound, view

PAGES = (
    gather.PAGE,
    cut.PAGE,
    shape.PAGE,
    map_.PAGE,
    groove.PAGE,
    mix.PAGE,
    deliver.PAGE,
    controllers.PAGE,
    compare.PAGE,
    start.PAGE,
)
MENUS = ("Kit", "Edit", "Sound", "Cut", "Play", "Groove", "Compare", "View", "Help")

COMMANDS: tuple[Command, ...] = (
    *kit.COMMANDS,
    *edit.COMMANDS,
    *sound.COMMANDS,
    *play.COMMANDS,
    *view.FIND,
    *view.HELP,
    *(page_command(page) for page in PAGES),
    *(command for page in PAGES for command in page.commands),
    *view.VIEW,
)
