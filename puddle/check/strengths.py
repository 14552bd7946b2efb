"""Rules about a pad's strengths and turns."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Iterator
from itertools import pairwise

from puddle.check.finding import Finding
from puddle.check.heard import Heard, Take
from puddle.check.limits import BY_ID, Limits
from puddle.kit.edits.velocities import rungs
from puddle.kit.model.document import Layer, Pad, Sample
from puddle.kit.playing.levels import velocity_gain_db
from puddle.kit.playing.response import strength_of
from puddle.kit.playing.velocity import layer_gain, lows_of, step_of

_HARDEST = 127


def strength_findings(heard: Heard, limits: Limits) -> Iterator[Finding]:
    """What the rules say of how a pad answers to strength, and of its turns."""
    yield from _order(heard, limits)
    yield from _turns(heard, limits)


def _made(
    pad: Pad,
    rule: str,
    message: str,
    figure: float = 0.0,
    velocities: tuple[int, int] = (0, 0),
    *,
    mend: str = "",
) -> Finding:
    low, high = velocities
    where = f"{pad.name}, velocity {low} to {high}" if high else pad.name
    level = BY_ID[rule].level
    return Finding(
        rule, level, where, message, pad=pad.id, figure=figure, velocities=velocities, mend=mend
    )


def loudness_by_velocity(heard: Heard) -> dict[int, float]:
    """How loud a strike of the lowest and highest velocity of each step listened to is, in LUFS."""
    pad, lows = heard.pad, lows_of(heard.pad.sound)
    of_step: dict[int, list[int]] = defaultdict(list)
    for velocity in range(1, _HARDEST + 1):
        of_step[step_of(strength_of(pad.response, float(velocity)), lows)].append(velocity)
    found: dict[int, float] = {}
    for take in heard.of_turn():
        played = of_step.get(take.key[0])
        if played:
            for velocity in (played[0], played[-1]):
                found[velocity] = take.loudness_lufs + velocity_gain_db(pad, velocity)
    return dict(sorted(found.items()))


def _order(heard: Heard, limits: Limits) -> Iterator[Finding]:
    for (soft, a), (hard, b) in pairwise(loudness_by_velocity(heard).items()):
        if b <= -150.0 or a <= -150.0:
            continue  # silence is a gap, and said there
        pad, between = heard.pad, (soft, hard)
        edge = any(layer.hardest == soft for layer in pad.sound.layers)
        if limits.on("strength-order") and a - b > limits.of("strength-order"):
            message = f"a harder strike is {a - b:.1f} dB softer"
            mend = "In order" if edge else ""
            yield _made(pad, "strength-order", message, a - b, between, mend=mend)
        nearby = hard - soft == 1
        if nearby and limits.on("strength-jump") and b - a > limits.of("strength-jump"):
            mend = "Even out" if edge else ""
            yield _made(pad, "strength-jump", f"jumps by {b - a:.1f} dB", b - a, between, mend=mend)


def _turns(heard: Heard, limits: Limits) -> Iterator[Finding]:
    by_step: dict[int, list[Take]] = defaultdict(list)
    for take in heard.takes:
        by_step[take.key[0]].append(take)
    apart, alike = 0.0, True
    for found in by_step.values():
        loud = [take.loudness_lufs for take in found if take.loudness_lufs > -150.0]
        apart = max(apart, max(loud, default=0.0) - min(loud, default=0.0))
        alike = alike and len({take.digest for take in found}) == 1
    count = max(len(found) for found in by_step.values())
    if count < 2:
        return
    if limits.on("turns-alike") and alike:
        yield _made(heard.pad, "turns-alike", f"has {count} turns that are all the same sound")
    elif limits.on("turns-apart") and apart > limits.of("turns-apart"):
        message = f"its turns lie {apart:.1f} dB apart"
        yield _made(heard.pad, "turns-apart", message, apart)


def range_findings(pad: Pad, limits: Limits) -> Iterator[Finding]:
    """Velocities that play nothing, and ranges that overlap without a blend."""
    layers = [layer for layer in pad.sound.layers if layer.on]
    if limits.on("velocity-gap") and layers:
        silent = [v for v in range(1, _HARDEST + 1) if not _plays(layers, v)]
        for low, high in _runs(silent):
            count = float(high - low + 1)
            yield _made(
                pad, "velocity-gap", "plays nothing", count, (low, high), mend="Close the gap"
            )
    if limits.on("velocity-overlap"):
        yield from _overlaps(pad)


def _plays(layers: list[Layer], velocity: int) -> bool:
    return any(layer_gain(layer, float(velocity)) > 0.0 for layer in layers)


def _overlaps(pad: Pad) -> Iterator[Finding]:
    """Of recordings of several strengths: one that reaches into the next."""
    groups = [g for g in rungs(pad.sound) if g[0].on and isinstance(g[0].source, Sample)]
    for a, b in pairwise(groups):
        first, then = a[0], b[0]
        crosses = first.softest < then.softest <= first.hardest < then.hardest
        if crosses and not (first.blend_out or then.blend_in):
            both = (then.softest, first.hardest)
            message = f"{first.name} and {then.name} sound together"
            count = float(both[1] - both[0] + 1)
            yield _made(pad, "velocity-overlap", message, count, both, mend="Part them")


def _runs(numbers: list[int]) -> list[tuple[int, int]]:
    found: list[tuple[int, int]] = []
    for n in numbers:
        if found and found[-1][1] == n - 1:
            found[-1] = (found[-1][0], n)
        else:
            found.append((n, n))
    return found
