"""What the window can do, as data: commands, pages, and the parts of a window they work with.

A command is one record; menus, shortcuts, tooltips, the finder and the list of keys are made from
the records. A page is one record too: its name and key, how it is made, and its own commands.
"""

from __future__ import annotations

from collections.abc import Callable
from typing import Any, TypeVar, cast

import msgspec

T = TypeVar("T")


class Context:
    """The parts of one window, each known by its type."""

    def __init__(self) -> None:
        self._parts: dict[type, Any] = {}
        self.do: Callable[[str], None] = lambda name: None  # carries out a command by its id

    def add(self, part: T, kind: type | None = None) -> T:
        """Makes a part known; under a base class where one is given."""
        self._parts[kind or type(part)] = part
        return part

    def of(self, kind: type[T], make: Callable[[], T] | None = None) -> T:
        """The part of a type; made now where there is none yet. Raises KeyError without `make`."""
        if kind not in self._parts and make is not None:
            self._parts[kind] = make()
        return cast(T, self._parts[kind])

    def has(self, kind: type) -> bool:
        """Whether there is a part of a type yet."""
        return kind in self._parts


When = Callable[[Context], bool]


def always(_: Context) -> bool:
    """For what can be asked for at any time."""
    return True


class Command(msgspec.Struct, frozen=True):
    """Something that a person can ask for."""

    id: str
    menu: str
    title: str
    keys: str
    says: str
    run: Callable[[Context], object]
    when: When = always  # whether it can do anything now
    checked: When | None = None  # of a switch: whether it is on
    after_line: bool = False
    choices: str = ""  # commands that exclude each other have one name here


class Page(msgspec.Struct, frozen=True):
    """A page of the window."""

    id: str
    title: str
    keys: str
    says: str
    make: Callable[[Context], Any]  # a PageView, when it is first wanted
    commands: tuple[Command, ...] = ()
    tab: bool = True  # whether it is one of the tabs along the top bar
    menu: str = "View"
    ahead: tuple[str, ...] = ()  # modules that are imported on a worker, before it is wanted
    toggles: bool = False  # asked for while it is shown, it gives way to the page before
