"""Stage sets that ship: rows of stages under a name, to be put anywhere."""

from __future__ import annotations

from functools import cache

from puddle.kit.model.document import Stage
from puddle.stages import (
    AnyProcess,
    BandCompressor,
    Clipper,
    Compressor,
    Crusher,
    Equalizer,
    Filter,
    Gate,
    Limiter,
    Reverb,
    Saturator,
    Stereo,
    Sub,
    Transient,
)


def row(*processes: AnyProcess | tuple[AnyProcess, float]) -> tuple[Stage, ...]:
    """Stages in a row; beside a process may stand its dry blend in %."""
    pairs = [p if isinstance(p, tuple) else (p, 0.0) for p in processes]
    return tuple(
        Stage(id=f"stage{n}", process=process, dry=dry) for n, (process, dry) in enumerate(pairs, 1)
    )


@cache
def shipped() -> dict[str, tuple[Stage, ...]]:
    """The sets by name, made when they are first asked for: the start has no time for them."""
    return {
        "Knock forward": row(
            Equalizer(low_cut_on=True, low_cut_hz=28, bell2_db=-3, bell2_hz=320, bell4_db=2.5),
            Transient(attack_db=7, sustain_db=-3, reaction_ms=12),
            Compressor(threshold_db=-16, ratio=3, attack_ms=22, release_ms=80),
        ),
        "Flat top, whole body": row(
            Clipper(ceiling_db=-9, soft=35),
            Limiter(ceiling_db=-1, release_ms=40),
        ),
        "Keel and chain": row(
            Sub(tuned="to the hit", level_db=-8, decay_ms=420),
            Saturator(drive_db=12, below_on=True, below_hz=110),
            Stereo(mono_on=True, mono_hz=140),
        ),
        "Rust underneath": row(
            (Saturator(shape="hard", drive_db=22, above_on=True, above_hz=7000), 70.0),
            BandCompressor(depth=35),
        ),
        "Tarred plate": row(
            (Reverb(kind="plate", decay_ms=900, low_cut_hz=260, damping=35), 78.0),
            Equalizer(high_shelf_db=-2, high_shelf_hz=9000),
        ),
        "Hold, pulled in": row(
            (Reverb(kind="room", decay_ms=2600, size=140, low_cut_hz=180), 55.0),
            Gate(threshold_db=-24, hold_ms=140, release_ms=60),
        ),
        "Tin locker": row(
            (Reverb(kind="metal", decay_ms=380, damping=15, low_cut_hz=300), 60.0),
            Filter(kind="band-pass", cutoff_hz=1800, resonance=0.7),
        ),
        "Harbor radio": row(
            Filter(kind="high-pass", cutoff_hz=420, resonance=1.1),
            Crusher(bits=7, crushed_hz=9000),
            (Saturator(shape="uneven", drive_db=14, tone_db=-3), 20.0),
        ),
    }
