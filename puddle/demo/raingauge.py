"""*Rain Gauge*, the demo's kit: twenty-six pads for a puppet play about a boatyard in a storm."""

from __future__ import annotations

from typing import Any

import msgspec

from puddle.demo.boathouse import deckboard, mooring, rib, slipway
from puddle.demo.grooves import with_grooves
from puddle.demo.played import with_play
from puddle.demo.recordings import session_files
from puddle.demo.rooms import demo_buses, demo_sends
from puddle.demo.workshop import CHOKE_GROUP, capstan, hail, sleet, thwart
from puddle.formats.sound import decoded_sound
from puddle.formats.store import SampleStore
from puddle.kit.edits.rows import RowPath, set_stage, stages_at
from puddle.kit.model.document import (
    Content,
    Envelope,
    Kit,
    Layer,
    Master,
    Pad,
    Reach,
    Sample,
    Sound,
    Stage,
)
from puddle.kit.model.roles import ROLES, Dye, Role
from puddle.kit.presets.stage_sets import row
from puddle.parameter import changed
from puddle.stages import Compressor, Equalizer, Limiter
from puddle.voices import (
    STARTING_POINTS,
    Bar,
    Bass,
    Bell,
    Clap,
    Cymbal,
    Hat,
    Kick,
    Membrane,
    Noise,
    Shaker,
    Snare,
    Tom,
    Tone,
    Zap,
)

TEMPO_BPM = 104.0
replace = msgspec.structs.replace


class _Session(msgspec.Struct, frozen=True):
    """The recordings in the store, by a word of their name."""

    contents: tuple[Content, ...]

    def sample(self, word: str, **region: Any) -> Sample:
        content = next(c for c in self.contents if word in c.name)
        return Sample(content=content.hash, end_ms=content.length_ms, **region)


def demo_kit(store: SampleStore) -> Kit:
    """The kit, its recordings taken into a store."""
    contents = tuple(
        store.add(decoded_sound(data, name, ".wav"), name) for name, data in session_files().items()
    )
    pads = _pads(_Session(contents))
    kit = Kit(
        name="Rain Gauge",
        tempo_bpm=TEMPO_BPM,
        pads=pads,
        buses=demo_buses(),
        master=Master(
            stages=row(
                Compressor(
                    threshold_db=-18,
                    ratio=2.4,
                    attack_ms=22,
                    release_ms=120,
                    knee_db=10,
                    makeup_db=11.5,
                ),
                Limiter(ceiling_db=-1.1, release_ms=60),
            ),
        ),
        contents=contents,
        notes="For the storm scene of Larkmoor's boatyard play. Recorded in the boathouse.",
        author="The puppet theatre at Larkmoor",
        license="Made up, and synthesized by Puddle's own code: use it as you like.",
    )
    kit = replace(kit, pads=tuple(replace(p, sends=demo_sends(p.name)) for p in kit.pads))
    duck = RowPath(bus="low")
    kit = set_stage(kit, duck, stages_at(kit, duck)[1].id, key=kit.pads[0].id)
    return with_grooves(with_play(kit))


def _touch(**reaches: float) -> dict[str, Any]:
    """How a layer answers: softer strikes move these gauges, repeats differ a little."""
    made = tuple(Reach(field=field, amount=amount) for field, amount in reaches.items())
    return {"reaches": made, "variation": 25.0}


def _stack(*layers: Layer, stages: tuple[Stage, ...] = ()) -> Sound:
    dyes: tuple[Dye, ...] = ("indigo", "madder", "weld", "verdigris")
    named = []
    for n, layer in enumerate(layers):
        values = {field: getattr(layer, field) for field in layer.__struct_fields__}
        values.update(id=f"layer{n + 1}", dye=dyes[n % len(dyes)])
        named.append(Layer(**values))
    return Sound(layers=tuple(named), stages=stages)


def _pads(session: _Session) -> tuple[Pad, ...]:
    pads: list[Pad] = []

    def pad(name: str, role: Role, note: int, sound: Sound, **values: Any) -> None:
        pads.append(
            Pad(
                id=f"pad{len(pads) + 1}",
                name=name,
                place=len(pads),
                role=role,
                dye=ROLES[role].dye,
                notes=(note,),
                sound=sound,
                **values,
            )
        )

    pad("Keel", "kick", 36, _keel(session), bus="skins")
    pad("Plank", "snare", 38, _plank(session), bus="skins", level_db=0.5)
    pad("Tarp", "clap", 39, _tarp(session), bus="skins", level_db=-1.0, pan=8.0)
    hats: dict[str, Any] = {"bus": "metals", "choke_group": 1, "pan": 22.0}
    closed = Hat(tone_hz=430, decay_ms=110, ring_db=-30)
    pad(
        "Drizzle",
        "hat",
        42,
        _stack(Layer(id="", name="Thin sheet", source=closed, level_db=2.2, **_touch(decay_ms=22))),
        **hats,
        level_db=-1.0,
    )
    opened = Hat(tone_hz=430, decay_ms=620, ring_db=-16, ring_ms=900, seed=4)
    pad(
        "Downpour",
        "hat",
        46,
        _stack(Layer(id="", name="Open sheet", source=opened, level_db=2.0)),
        **hats,
        level_db=-5.0,
    )
    for name, note, hz, pan in (
        ("Barrel lo", 45, 82.0, -34.0),
        ("Barrel mid", 47, 110.0, -8.0),
        ("Barrel hi", 50, 146.8, 24.0),
    ):
        pad(name, "tom", note, _barrel(session, hz), bus="skins", level_db=-0.5, pan=pan)
    pad("Crate", "percussion", 76, _crate(session), level_db=1.0, pan=-28.0)
    pad("Gull", "percussion", 56, _gull(session), level_db=-6.0, pan=38.0)
    pad("Shackle", "percussion", 54, _shackle(session), bus="metals", level_db=-2.0, pan=-40.0)
    pad("Lantern", "cymbal", 51, _lantern(), bus="metals", level_db=-1.0, pan=-18.0)
    pad("Squall", "cymbal", 49, _squall(), bus="metals", level_db=-1.0, pan=14.0)
    for name, note, hz in (("Bilge D", 83, 36.71), ("Bilge G", 84, 49.0), ("Bilge D↑", 85, 73.42)):
        pad(name, "bass", note, _bilge(hz), bus="low", level_db=-7.0, choke_group=2)
    made: tuple[tuple[str, Role, int, Sound], ...] = (
        ("Rib", "kick", 35, rib(session.sample("oak"))),
        (
            "Slipway",
            "percussion",
            70,
            slipway(session.sample("gravel", start_ms=7.0625, fade_in_ms=1.0)),
        ),
        ("Mooring", "cymbal", 57, mooring(session.sample("chain"))),
        ("Deckboard", "tom", 43, deckboard(session.sample("plank"))),
    )
    for name, role, note, sound in made:
        pad(name, role, note, sound, level_db=-4.0)
    pad("Capstan", "kick", 86, capstan(), level_db=-4.0)
    pad("Thwart", "snare", 40, thwart(), level_db=-4.0)
    pad("Sleet", "hat", 44, sleet(), level_db=-2.0, choke_group=CHOKE_GROUP)
    pad("Hail", "hat", 87, hail(), level_db=-1.0, choke_group=CHOKE_GROUP)
    return tuple(pads)


def _keel(session: _Session) -> Sound:
    hull = Kick(
        start_hz=230,
        end_hz=43.65,
        fall_ms=58,
        bend=12,
        decay_ms=430,
        click_on=False,
        drive_on=True,
        drive_db=3,
    )
    felt = Kick(
        body_on=False,
        click_on=True,
        click_hz=2600,
        click_ms=5,
        click_db=-8,
        noise_on=True,
        noise_hz=2400,
        noise_ms=70,
        noise_db=-10,
    )
    knock = Layer(
        id="",
        name="Knock on oak",
        source=session.sample("oak", fade_out_ms=20.0),
        level_db=-8.0,
        offset_ms=0.6,
        envelope=Envelope(on=True, hold_ms=14, decay_ms=110, curve=55),
        stages=row(
            Equalizer(
                low_cut_on=True,
                low_cut_hz=70,
                bell1_hz=230,
                bell1_db=-4.0,
                bell1_q=1.2,
                high_shelf_db=2.5,
                high_shelf_hz=6400,
            )
        ),
    )
    return _stack(
        Layer(id="", name="Hull sine", source=hull, level_db=0.4),
        knock,
        Layer(id="", name="Felt tap", source=felt, level_db=-8.0),
        stages=row(
            Equalizer(
                low_cut_on=True,
                low_cut_hz=26,
                bell1_hz=58,
                bell1_db=1.5,
                bell1_q=0.8,
                bell2_hz=320,
                bell2_db=-3.0,
                bell2_q=1.0,
                high_shelf_db=1.5,
                high_shelf_hz=6400,
            ),
            (
                Compressor(threshold_db=-14, ratio=3.0, attack_ms=24, release_ms=90, makeup_db=1.5),
                20.0,
            ),
            Limiter(ceiling_db=-1.0, release_ms=50),
        ),
    )


def _plank(session: _Session) -> Sound:
    skin = Snare(low_hz=184.99, high_ratio=1.72, wires_ms=230, snap_db=-2, balance=52)
    board = session.sample("plank", fade_out_ms=30.0)
    bottom = Tone(pitch_hz=184.99, attack_ms=3, decay_ms=240)
    shape = Envelope(on=True, hold_ms=20, decay_ms=160, curve=50)
    return _stack(
        Layer(
            id="", name="Wired skin", source=skin, level_db=-0.2, **_touch(wires_ms=18, fall_st=25)
        ),
        Layer(id="", name="Dropped plank", source=board, level_db=-10.5, envelope=shape),
        Layer(id="", name="Bottom", source=bottom, level_db=-15.0),
        stages=row(
            Equalizer(
                low_cut_on=True,
                low_cut_hz=90,
                bell2_hz=480,
                bell2_db=-2.5,
                high_shelf_db=2.0,
                high_shelf_hz=7000,
            ),
            (Compressor(threshold_db=-16, ratio=3.5, attack_ms=9, release_ms=70), 30.0),
        ),
    )


def _tarp(session: _Session) -> Sound:
    slap = session.sample("canvas", fade_out_ms=20.0)
    hands = Clap(count=4, loose_ms=9, spread=45, burst_ms=26, tail_ms=320, tail_db=-10, seed=12)
    return _stack(
        Layer(id="", name="Canvas slap", source=slap, level_db=-3.0),
        Layer(id="", name="Wet gloves", source=hands, level_db=-3.0, offset_ms=2.0),
    )


def _barrel(session: _Session, hz: float) -> Sound:
    heads = Tom(
        pitch_hz=hz,
        resonant_st=3.5,
        coupling=12,
        decay_ms=640,
        tension_st=5,
        shell_hz=2.9 * hz,
        stick_hz=1800,
    )
    knock = session.sample("oak")
    stave = Envelope(on=True, hold_ms=6, decay_ms=60, curve=60)
    return _stack(
        Layer(id="", name="Barrel heads", source=heads, **_touch(tension_st=20, stick_db=15)),
        Layer(id="", name="Stave", source=knock, level_db=-17.0, tune_st=3.0, envelope=stave),
    )


def _crate(session: _Session) -> Sound:
    skin = Membrane(pitch_hz=155, place=55, decay_ms=260, damping=60, shell_hz=310, touch_db=-24)
    block = Bar(pitch_hz=610, decay_ms=90, damping=80, hardness=70, knock_db=-30)
    return _stack(
        Layer(id="", name="Fist on crate", source=session.sample("crate"), level_db=-3.0),
        Layer(id="", name="Hide lid", source=skin, level_db=-6.0),
        Layer(id="", name="Slat", source=block, level_db=-13.0),
    )


def _gull(session: _Session) -> Sound:
    chirp = Zap(start_hz=900, end_hz=2600, sweep_ms=90, bend=-40, decay_ms=150)
    return _stack(
        Layer(id="", name="Rusty pulley", source=session.sample("pulley"), level_db=-3.0),
        Layer(id="", name="Chirp", source=chirp, level_db=-15.0, offset_ms=40.0),
    )


def _shackle(session: _Session) -> Sound:
    fall = Envelope(on=True, hold_ms=12, decay_ms=240, curve=60)
    links = Shaker(
        density=260, band_hz=6800, swing_ms=60, jingle_on=True, jingle_hz=4100, jingle_ms=160
    )
    return _stack(
        Layer(id="", name="Falling chain", source=session.sample("chain"), envelope=fall),
        Layer(id="", name="Small links", source=links, level_db=-10.0, variation=60.0),
    )


def _lantern() -> Sound:
    ride = changed(STARTING_POINTS[Cymbal]["Tin lantern"], low_hz=430, low_ms=2600, seed=4)
    glass = Bell(
        pitch_hz=1864.66, ratio=2.76, index=0.8, index_ms=200, decay_ms=700, strike_on=False
    )
    return _stack(
        Layer(id="", name="Lantern rim", source=ride, level_db=-1.0),
        Layer(id="", name="Lantern glass", source=glass, level_db=-18.0),
    )


def _squall() -> Sound:
    sheet = Cymbal(low_hz=230, density=110, seed=9)
    wind = Noise(color_db=-3, low_cut_hz=500, rise_ms=60, fast_on=False, slow_ms=1800, balance=100)
    return _stack(
        Layer(id="", name="Sheet in the wind", source=sheet, level_db=-2.0),
        Layer(id="", name="Gust", source=wind, level_db=-12.0),
    )


def _bilge(hz: float) -> Sound:
    tone = Bass(pitch_hz=hz, fall_st=15, fall_ms=26, harmonics_db=-13, odd=40, decay_ms=1500)
    shape = Envelope(on=True, attack_ms=1.0, hold_ms=180, decay_ms=620, curve=20)
    return _stack(Layer(id="", name="Bilge tone", source=tone, envelope=shape))
