"""Whether long work is still wanted, and how far it has come.

Whoever asks for work says so once, around it; whatever takes long inside passes a `checkpoint`
every 50 ms or so, and is left there when nobody waits for it any more. A render itself stays a
function of its recipe.
"""

from __future__ import annotations

from collections.abc import Callable, Hashable, Iterator
from contextlib import contextmanager
from contextvars import ContextVar

import msgspec


class UnwantedError(Exception):
    """Nobody waits for this work any more."""


class _Asker(msgspec.Struct, frozen=True):
    wanted: Callable[[Hashable], bool]
    tell: Callable[[Hashable, float], None]


_asker: ContextVar[_Asker | None] = ContextVar("asker", default=None)
_checks: ContextVar[tuple[Callable[[], bool], ...]] = ContextVar("checks", default=())


@contextmanager
def cancellable(wanted: Callable[[], bool]) -> Iterator[None]:
    """Inside, a `checkpoint` raises UnwantedError once the work is no longer wanted."""
    token = _checks.set((*_checks.get(), wanted))
    try:
        yield
    finally:
        _checks.reset(token)


def checkpoint() -> None:
    """Raises UnwantedError where the work around it is to be left."""
    for wanted in _checks.get():
        if not wanted():
            raise UnwantedError


@contextmanager
def asked(
    wanted: Callable[[Hashable], bool], tell: Callable[[Hashable, float], None]
) -> Iterator[None]:
    """Inside, `go_on` asks whether its work is wanted, and tells how much of it is done, 0 to 1."""
    token = _asker.set(_Asker(wanted, tell))
    try:
        yield
    finally:
        _asker.reset(token)


def go_on(work: Hashable, share: float) -> None:
    """Tells how much of some work is done. Raises UnwantedError where it is to be left."""
    checkpoint()
    asker = _asker.get()
    if asker is None:
        return
    if not asker.wanted(work):
        asker.tell(work, 1.0)
        raise UnwantedError
    asker.tell(work, share)
