"""How the demo is mixed: its buses, and how far away in the two rooms each pad stands."""

from __future__ import annotations

from puddle.kit.model.document import Bus, SendTo
from puddle.kit.presets.stage_sets import row
from puddle.stages import Compressor, Equalizer, Reverb


def demo_buses() -> tuple[Bus, ...]:
    """Skins, metals, the low end, and two rooms."""
    return (
        Bus(
            id="skins",
            name="Skins",
            stages=row(
                Equalizer(
                    bell1_hz=330,
                    bell1_db=-3.0,
                    bell1_q=0.9,
                    bell4_hz=4200,
                    bell4_db=2.5,
                    bell4_q=0.7,
                ),
                (
                    Compressor(
                        threshold_db=-18, ratio=3.0, attack_ms=22, release_ms=110, makeup_db=1
                    ),
                    35.0,
                ),
            ),
        ),
        Bus(
            id="metals",
            name="Metals",
            level_db=1.0,
            stages=row(
                Equalizer(low_cut_on=True, low_cut_hz=240, high_shelf_db=1.5, high_shelf_hz=9000)
            ),
        ),
        Bus(
            id="low",
            name="Low end",
            level_db=2.5,
            mono_hz=140.0,
            stages=row(
                # Room for Keel: a dip where it settles, and a duck as long as it is loud.
                Equalizer(bell1_hz=43.65, bell1_db=-3.0, bell1_q=1.4),
                Compressor(threshold_db=-11, ratio=2.0, attack_ms=2, release_ms=90, knee_db=6),
            ),
        ),
        Bus(
            id="shed",
            name="Boat shed",
            solo_safe=True,
            stages=row(Reverb(kind="room", decay_ms=450, size=45, pre_ms=0, low_cut_hz=240)),
        ),
        Bus(
            id="wall",
            name="Harbor wall",
            level_db=-2.0,
            solo_safe=True,
            stages=row(Reverb(kind="plate", decay_ms=1700, pre_ms=18, low_cut_hz=300)),
        ),
    )


# How much of the boat shed is heard of each pad: how far away it stands; and of the harbor wall.
_SHED_DB = {
    "Plank": -22.0, "Tarp": -19.0, "Drizzle": -26.0, "Downpour": -24.0, "Barrel lo": -20.0,
    "Barrel mid": -20.0, "Barrel hi": -20.0, "Crate": -15.0, "Gull": -12.0, "Shackle": -14.0,
    "Lantern": -17.0, "Squall": -13.0,
}  # fmt: skip
_WALL_DB = {"Plank": -19.0, "Tarp": -21.0, "Gull": -15.0, "Drizzle": -30.0}


def demo_sends(name: str) -> tuple[SendTo, ...]:
    """How much of the rooms is heard of a pad."""
    rooms = (("shed", _SHED_DB), ("wall", _WALL_DB))
    return tuple(SendTo(bus=bus, level_db=db[name]) for bus, db in rooms if name in db)
