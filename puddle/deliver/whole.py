"""A whole delivery: what was chosen; with the kit a README, a picture and checksums."""

from __future__ import annotations

import hashlib
import threading
from collections.abc import Callable, Iterator

from msgspec.structs import replace

from puddle.deliver.grooves import FOLDER as GROOVES
from puddle.deliver.grooves import Grooves
from puddle.deliver.instrument import FOLDER as INSTRUMENT
from puddle.deliver.instrument import Instrument, untold
from puddle.deliver.kit_picture import kit_svg
from puddle.deliver.making import Making
from puddle.deliver.names import named, unknown
from puddle.deliver.one_shots import FOLDER as ONE_SHOTS
from puddle.deliver.one_shots import one_shots
from puddle.deliver.plan import Plan, Planned
from puddle.deliver.readme import readme
from puddle.errors import FileError
from puddle.formats.kitfile import SUFFIX, kit_bytes


def plan_of(making: Making, *, flat: bool = False) -> Plan:
    """All files that the options want. Raises FileError for a scheme with unknown fields.

    With `flat` what is the only kind lies in the folder itself. Hardest strikes are rendered for
    sizes; passes checkpoints.
    """
    options = making.options
    wrong = unknown(options.scheme)
    if wrong:
        raise FileError(f"The scheme of names has {{{wrong[0]}}}, which nothing stands for.")
    making.learn()
    plan = Plan(named("{kit}", {"kit": making.kit.name}))
    if "one-shots" in options.what:
        plan.files += one_shots(making, "" if flat else ONE_SHOTS)
    if "instrument" in options.what:
        plan.files += Instrument(making, "" if flat else INSTRUMENT).files()
        plan.told += untold(making)
    if {"groove", "stems", "midi"} & set(options.what):
        plan.files += Grooves(making, "" if flat else GROOVES).files()
    if "kit" in options.what:
        plan.files = [*_of_kit(making, plan), *plan.files]
        plan.files = _summed(plan)
    return plan


def _of_kit(making: Making, plan: Plan) -> Iterator[Planned]:
    """The kit file, its picture, and the README; what they say is made of the plan."""
    kit, store = making.kit, making.store
    size = 20_000 + sum(2 * c.frames * c.channels for c in kit.contents)
    free = making.taken.free
    listed = tuple(plan.files)
    yield Planned(free(f"{plan.name}{SUFFIX}"), "kit", size, lambda: kit_bytes(kit, store))
    svg = free(f"{plan.name}.svg")
    yield Planned(svg, "kit", 30_000, lambda: kit_svg(making).encode())
    text = free("README.txt")
    yield Planned(text, "kit", 4_000, lambda: readme(making, listed, plan.told).encode())


def _summed(plan: Plan) -> list[Planned]:
    """The files of a plan, and last one with their SHA-256 sums, as `sha256sum -c` reads it."""
    sums: dict[str, str] = {}
    lock = threading.Lock()

    def noting(one: Planned) -> Callable[[], bytes]:
        def make() -> bytes:
            data = one.make()
            digest = hashlib.sha256(data).hexdigest()
            with lock:
                sums[one.path] = digest
            return data

        return make

    made = [replace(one, make=noting(one)) for one in plan.files]

    def text() -> bytes:
        return "".join(f"{sums[path]}  {path}\n" for path in sorted(sums)).encode()

    size = sum(68 + len(one.path) for one in made)
    return [*made, Planned("checksums.txt", "kit", size, text, last=True)]
