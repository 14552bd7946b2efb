"""The samples of the open kit as entries, wherever their files have gone."""

from __future__ import annotations

from collections.abc import Callable, Iterator, Sequence

import numpy as np

from puddle.kit.model.document import Content
from puddle.library.index import Index
from puddle.library.record import Record, record_of
from puddle.tasks import check_cancelled

PLACE = b"puddle:this kit"  # where they lie among folders
Decode = Callable[[str], tuple[np.ndarray, float] | None]  # a content's audio and rate, by its hash


def show_kit_samples(index: Index, contents: Sequence[Content], decode: Decode) -> None:
    """Lists the samples of a kit, and forgets those of the kit before. Raises FileError."""
    wanted = {PLACE + b"/" + content.hash.encode() for content in contents}
    there = index.states_below(PLACE)
    index.forget([state[0] for path, state in there.items() if path not in wanted])
    known = index.known_hashes()
    new = [c for c in contents if PLACE + b"/" + c.hash.encode() not in there]
    index.put_contents([(c.hash, c.name, c.hash) for c in new if c.hash in known], PLACE)
    index.put_synthesized(
        _measured([c for c in new if c.hash not in known], decode), PLACE, synthesized=False
    )


def _measured(contents: Sequence[Content], decode: Decode) -> Iterator[tuple[str, str, Record]]:
    for content in contents:
        check_cancelled()
        found = decode(content.hash)
        if found is not None:
            yield content.hash, content.name, record_of(*found, content.hash, content.name)
