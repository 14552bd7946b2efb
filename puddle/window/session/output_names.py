"""What leaves on which outputs, told to JACK as the names of its ports."""

from __future__ import annotations

from PyQt6.QtCore import QObject

from puddle.kit.model.bus import OUTPUTS
from puddle.kit.model.document import Kit
from puddle.window.session.session import Session


class OutputNames(QObject):
    """Follows the kit while a JACK server plays it."""

    def __init__(self, session: Session) -> None:
        super().__init__(session)
        self._session = session
        self._told: tuple[object, list[str]] = (None, [])
        session.player.device_changed.connect(self._follow)
        session.kit_changed.connect(self._follow)

    def _follow(self) -> None:
        device = self._session.player.device
        if device is None or not getattr(device, "is_jack", False):
            return
        apart = self._session.player.monitoring.apart
        names = pair_names(self._session.kit, device.channels // 2, apart)
        if self._told == (device, names):
            return
        self._told = (device, names)

        def work() -> None:
            from puddle.engine.jack_ports import name_ports, port_names

            name_ports(port_names(names))

        self._session.background.start(work, key="jack names")


def pair_names(kit: Kit, pairs: int, apart: tuple[int, int] = (0, 0)) -> list[str]:
    """What leaves on each pair of outputs: the master on the first, then buses by their names.

    `apart` are the pairs of what is listened to and of the metronome; 0 for the master's.
    """
    found = ["Master"]
    for pair in range(1, pairs):
        names = [bus.name for bus in kit.buses if OUTPUTS.index(bus.output) == pair]
        names += [
            what for what, own in zip(("Listening", "Metronome"), apart, strict=True) if own == pair
        ]
        found.append(" and ".join(names)[:60] or f"Output {2 * pair + 1}")
    return found
