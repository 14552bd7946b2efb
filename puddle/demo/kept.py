"""The demo's kit as a file in the cache: made once, opened in a moment after that.

``python -m puddle.demo.kept`` makes it at set-up.
"""

from __future__ import annotations

import contextlib
import hashlib
from pathlib import Path

from platformdirs import user_cache_path

from puddle.errors import PuddleError
from puddle.files import scratch_folder
from puddle.formats.kitfile import SUFFIX, OpenedKit, open_kit, save_kit
from puddle.formats.store import SampleStore

_PACKAGE = Path(__file__).resolve().parent.parent
_ROOMS = ("demo", "kit", "voices", "stages", "formats")


def open_demo(store: SampleStore) -> OpenedKit:
    """*Rain Gauge*, its recordings in the store: from the cache, or made if it is not there."""
    path = _place()
    with contextlib.suppress(PuddleError):
        return open_kit(path, store)
    from puddle.demo.raingauge import demo_kit

    kit = demo_kit(store)
    with contextlib.suppress(PuddleError, OSError):
        path.parent.mkdir(parents=True, exist_ok=True)
        for older in path.parent.glob(f"demo-*{SUFFIX}"):
            older.unlink()
        save_kit(path, kit, store)
    return OpenedKit(kit, ())


def keep_demo() -> None:
    """Makes the demo now, so that no first start waits for it."""
    with scratch_folder() as folder:
        store = SampleStore(folder)
        open_demo(store)
        store.close()


def _place() -> Path:
    """The file of this very source."""
    digest = hashlib.sha256()
    for room in _ROOMS:
        for source in sorted((_PACKAGE / room).glob("*.py")):
            digest.update(source.read_bytes())
    return user_cache_path("puddle") / f"demo-{digest.hexdigest()[:16]}{SUFFIX}"


if __name__ == "__main__":
    keep_demo()
