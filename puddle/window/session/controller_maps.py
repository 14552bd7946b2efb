"""The maps of controllers by their names, which controller has which, and what a hand changes."""

from __future__ import annotations

import threading
from collections.abc import Callable
from functools import partial

from puddle.errors import PuddleError
from puddle.home.controllers import SHIPPED, is_shipped, keep_map, known_maps
from puddle.kit.history import Beside
from puddle.midi.controller_map import ControllerMap
from puddle.parameter import changed
from puddle.tasks import post
from puddle.window.session.session import Session

_MOST_OF_NAME = 100  # of a controller's, in that of its map


class ControllerMaps:
    """Known maps; those that ship are copied before they change, one's own are files."""

    def __init__(self, session: Session, show: Callable[[], None]) -> None:
        """`show` is called whenever a controller has another map, or its map has changed."""
        self._session = session
        self._show = show
        self._by_name: dict[str, ControllerMap] = {made.name: made for made in SHIPPED}
        self._unwritten: dict[str, ControllerMap] = {}
        self._writing = threading.Lock()
        self._before: dict[str, tuple[str, ControllerMap]] = {}  # by controller, before a step

    @property
    def names(self) -> tuple[str, ...]:
        """All of them, those that ship first."""
        return tuple(self._by_name)

    def load(self) -> None:
        """Reads one's own files, soon."""

        def take_in(found: dict[str, ControllerMap]) -> None:
            self._by_name = {**found, **self._by_name}
            self._show()

        self._session.background.start(known_maps, take_in, key="controller maps")

    def of(self, port: str) -> ControllerMap:
        """The map that a controller has: its own, else the one that the kit likes."""
        own = self._session.settings.controllers.get(port, "")
        for name in (own, self._session.kit.controller_map):
            if name in self._by_name:
                return self._by_name[name]
        return SHIPPED[0]

    def has_own(self, port: str) -> bool:
        """Whether a controller has a map of its own, whatever the kit likes."""
        return self._session.settings.controllers.get(port, "") in self._by_name

    def choose(self, port: str, name: str) -> None:
        """Another map for a controller; it has it again whenever it comes back. With "" none."""
        self._begin(port)
        self._choose(port, name)
        self._end(port, f"{port}: {name or 'as the kit likes'}")

    def _choose(self, port: str, name: str) -> None:
        if name:
            self._session.settings.controllers[port] = name
        else:
            self._session.settings.controllers.pop(port, None)
        self._show()

    def choose_next(self, port: str) -> str:
        """The map after the one that a controller has; its name."""
        names = self.names
        name = names[(names.index(self.of(port).name) + 1) % len(names)]
        self.choose(port, name)
        return name

    def show(self) -> None:
        """The kit likes another one."""
        self._show()

    # What can be undone: which map a controller has, and what is in it.

    def _state(self, port: str) -> tuple[str, ControllerMap]:
        return self._session.settings.controllers.get(port, ""), self.of(port)

    def _begin(self, port: str) -> None:
        self._before.setdefault(port, self._state(port))

    def _end(self, port: str, said: str) -> None:
        before, now = self._before.pop(port, None), self._state(port)
        if before is not None and before != now:
            back, again = partial(self._go, port, before), partial(self._go, port, now)
            self._session.history.push_beside(said, Beside(back, again))
            self._session.kit_changed.emit()

    def _go(self, port: str, state: tuple[str, ControllerMap]) -> None:
        name, made = state
        if not is_shipped(made.name):
            self._by_name[made.name] = made
            self._keep(made)
        self._choose(port, name)

    def put(self, port: str, made: ControllerMap) -> None:
        """A controller's map changed, kept by `settle`; one that ships becomes a copy."""
        self._begin(port)
        if is_shipped(made.name):
            made = changed(made, name=self._free_name(port))
        self._by_name[made.name] = made
        self._choose(port, made.name)

    def set(self, port: str, field: str, value: object) -> None:
        """Another value of a controller's map."""
        self.put(port, changed(self.of(port), **{field: value}))

    def settle(self, port: str, said: str) -> None:
        """Keeps a controller's map as a file, as it stands, as a step that can be undone."""
        made = self.of(port)
        if not is_shipped(made.name):
            self._keep(made)
        self._end(port, f"{made.name}: {said}")

    def _keep(self, made: ControllerMap) -> None:
        """Writes it, on another thread."""
        self._unwritten[made.name] = made
        self._session.background.start(self._write, priority="long")

    def keep_as(self, port: str, name: str) -> None:
        """A copy of a controller's map under a name of its own."""
        if name in self._by_name:
            self._session.told.emit(f"There is a map {name} already. Choose another name.")
            return
        self.put(port, changed(self.of(port), name=name))
        self.settle(port, "kept under this name")

    def _free_name(self, port: str) -> str:
        plain = port[:_MOST_OF_NAME]
        name, count = plain, 1
        while name in self._by_name:
            count += 1
            name = f"{plain} {count}"
        return name

    def _write(self) -> None:
        """Writes the latest of each; one thread at a time, so that none overtakes."""
        with self._writing:
            while self._unwritten:
                _, made = self._unwritten.popitem()
                try:
                    keep_map(made)
                except PuddleError as error:
                    post(self._session.told.emit, str(error))
