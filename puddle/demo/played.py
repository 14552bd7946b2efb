"""What the demo shows of playing: a snare of four strengths, a bass that follows keys, alternates,
and kit gauges.
"""

from __future__ import annotations

import msgspec

from puddle.kit.edits import new_layer
from puddle.kit.edits.alternates import add_alternate, choose_alternate
from puddle.kit.edits.gauges import add_gauge, assigned, set_gauge
from puddle.kit.edits.velocities import by_loudness
from puddle.kit.model.address import Address
from puddle.kit.model.document import Kit, Layer, Pad, Point, Sound, Stage
from puddle.kit.model.roles import ROLES
from puddle.kit.presets.stage_sets import row
from puddle.parameter import changed
from puddle.stages import Equalizer, Gain
from puddle.voices import STARTING_POINTS, Bass, Snare

replace = msgspec.structs.replace
_STRENGTHS = ("soft", "medium", "firm", "hard")
_LEVELS = (-27.0, -19.0, -12.5, -8.0)  # how loud they would be, in LUFS: how strengths are split
_TURNS = 2


def transom(place: int) -> Pad:
    """A snare of four strengths and two turns, as eight recordings of it would be mapped."""
    dry = STARTING_POINTS[Snare]["Dry slat"]
    layers: tuple[Layer, ...] = ()
    for n, (low, high) in enumerate(by_loudness(_LEVELS)):
        softness = (3 - n) / 3.0
        for turn in range(_TURNS):
            voice = changed(
                dry,
                snap_db=max(-60.0, -4.0 - 16.0 * softness),
                wires_high_hz=8200.0 - 3400.0 * softness,
                wires_ms=170.0 - 50.0 * softness,
                detune_ct=6.0 * turn,
                seed=31 + 2 * n + turn,
            )
            layer = new_layer(layers, f"{_STRENGTHS[n]} {turn + 1}", voice)
            layers = (*layers, replace(layer, softest=low, hardest=high, turn=turn + 1))
    return Pad(
        id=f"pad{place + 1}",
        name="Transom",
        place=place,
        role="snare",
        dye=ROLES["snare"].dye,
        notes=(37,),
        bus="skins",
        level_db=-3.0,
        sound=Sound(layers=layers),
        response=(Point(struck=40, plays=52), Point(struck=90, plays=100)),
    )


def towline(place: int) -> Pad:
    """A bass that follows an octave of keys: held, one voice, sliding where strikes overlap."""
    voice = changed(STARTING_POINTS[Bass]["Warm ballast"], pitch_hz=36.71, decay_ms=2400.0)
    return Pad(
        id=f"pad{place + 1}",
        name="Towline",
        place=place,
        role="bass",
        dye=ROLES["bass"].dye,
        notes=tuple(range(24, 35)),
        trigger="gate",
        sustain=70.0,
        decay_ms=500.0,
        release_ms=120.0,
        limit=1,
        glide="when overlapping",
        glide_ms=90.0,
        tracking=100.0,
        root=26,  # D1, as it measures
        level_db=-6.0,
        sound=Sound(layers=(new_layer((), "Towline", voice),)),
    )


def with_play(kit: Kit) -> Kit:
    """The kit with two pads more, Plank's alternates, and its gauges."""
    count = len(kit.pads)
    kit = replace(kit, pads=(*kit.pads, transom(count), towline(count + 1)))
    kit = _with_alternates(kit)
    return _with_gauges(kit)


def _with_alternates(kit: Kit) -> Kit:
    plank = next(p for p in kit.pads if p.name == "Plank")
    felt = row(Equalizer(high_cut_on=True, high_cut_hz=2600.0, bell1_hz=210.0, bell1_db=2.5))
    wet = replace(plank.sound, stages=(*plank.sound.stages, *_renamed(felt)))
    slap = Sound(
        layers=(new_layer((), "Pallet", STARTING_POINTS[Snare]["Short crack"]),),
        stages=row(Gain(normalize="peak", target_db=-4.0)),
    )
    kit = add_alternate(kit, plank.id, "Plank, wet felt", wet)
    kit = add_alternate(kit, plank.id, "Pallet slap", slap)
    return choose_alternate(kit, plank.id, 0)


def _renamed(stages: tuple[Stage, ...]) -> tuple[Stage, ...]:
    """Under ids that the sound's own stages do not have."""
    return tuple(replace(stage, id=f"felt{n}") for n, stage in enumerate(stages))


def _with_gauges(kit: Kit) -> Kit:
    ids = {pad.name: pad.id for pad in kit.pads}
    weather = (
        Address(of="source", pad=ids["Drizzle"], layer="layer1", field="decay_ms"),
        Address(of="source", pad=ids["Downpour"], layer="layer1", field="decay_ms"),
        Address(of="pad", pad=ids["Squall"], field="level_db"),
    )
    depth = (
        Address(of="source", pad=ids["Keel"], layer="layer1", field="decay_ms"),
        Address(of="pad", pad=ids["Bilge D"], field="level_db"),
        Address(of="pad", pad=ids["Bilge G"], field="level_db"),
    )
    timber = (Address(of="pad", pad=ids["Plank"], field="alternate"),)
    for name, value, targets in (
        ("Weather", 50.0, weather),
        ("Depth", 50.0, depth),
        ("Timber", 0.0, timber),
    ):
        kit, gauge = add_gauge(kit, name)
        kit = set_gauge(kit, gauge.id, value=value, on_shore=True)
        for target in targets:
            kit = assigned(kit, gauge.id, target)
    return kit
