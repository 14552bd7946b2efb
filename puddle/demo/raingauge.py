"""*Rain Gauge*, the demo's kit: sixteen pads for a puppet play about a boatyard in a storm."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

from puddle.demo.recordings import session_files
from puddle.formats.sound import decoded_sound
from puddle.formats.store import SampleStore
from puddle.kit.document import (
    Bus,
    Content,
    Envelope,
    Hit,
    Kit,
    Lane,
    Layer,
    Master,
    Pad,
    Pattern,
    Sample,
    Sound,
    Stage,
)
from puddle.kit.roles import ROLES, Dye, Role
from puddle.stages import AnyProcess, Compressor, Equalizer, Limiter
from puddle.voices import Hat, Kick, Snare

TEMPO_BPM = 104.0


@dataclass(frozen=True)
class _Session:
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
    return Kit(
        name="Rain Gauge",
        tempo_bpm=TEMPO_BPM,
        pads=pads,
        buses=_buses(),
        master=Master(
            level_db=-1.0,
            stages=_row(
                Compressor(threshold_db=-14, ratio=1.8, attack_ms=30, release_ms=140, knee_db=10),
                Limiter(ceiling_db=-1.0, release_ms=80),
            ),
        ),
        patterns=(_groove(),),
        contents=contents,
        notes="For the storm scene of Larkmoor's boatyard play. Recorded in the boathouse.",
    )


def _row(*processes: AnyProcess) -> tuple[Stage, ...]:
    return tuple(Stage(id=f"stage{n + 1}", process=p) for n, p in enumerate(processes))


def _buses() -> tuple[Bus, ...]:
    return (
        Bus(
            id="skins",
            name="Skins",
            stages=_row(
                Equalizer(bell1_hz=330, bell1_db=-2.0, bell1_q=0.9),
                Compressor(threshold_db=-16, ratio=2.5, attack_ms=18, release_ms=110, dry=35),
            ),
        ),
        Bus(
            id="metals",
            name="Metals",
            level_db=-1.5,
            stages=_row(
                Equalizer(low_cut_on=True, low_cut_hz=240, high_shelf_db=1.5, high_shelf_hz=9000)
            ),
        ),
    )


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
    pad("Plank", "snare", 38, _plank(session), bus="skins", level_db=0.0)
    pad("Tarp", "clap", 39, _tarp(session), bus="skins", level_db=-5.0, pan=8.0)
    hats: dict[str, Any] = {"bus": "metals", "choke_group": 1, "pan": 22.0}
    closed = Hat(tone_hz=430, decay_ms=110, ring_db=-30)
    pad(
        "Drizzle",
        "hat",
        42,
        _stack(Layer(id="", name="Thin sheet", source=closed)),
        **hats,
        level_db=-4.0,
    )
    opened = Hat(tone_hz=430, decay_ms=620, ring_db=-16, ring_ms=900, seed=4)
    pad(
        "Downpour",
        "hat",
        46,
        _stack(Layer(id="", name="Open sheet", source=opened)),
        **hats,
        level_db=-7.0,
    )
    for name, note, hz, pan in (
        ("Barrel lo", 45, 82.0, -34.0),
        ("Barrel mid", 47, 110.0, -8.0),
        ("Barrel hi", 50, 146.8, 24.0),
    ):
        pad(name, "tom", note, _barrel(session, hz), bus="skins", level_db=-1.0, pan=pan)
    crate = session.sample("crate")
    pad(
        "Crate",
        "percussion",
        76,
        _stack(Layer(id="", name="Fist on crate", source=crate)),
        level_db=-6.0,
        pan=-28.0,
    )
    gull = session.sample("pulley")
    pad(
        "Gull",
        "percussion",
        56,
        _stack(Layer(id="", name="Rusty pulley", source=gull, level_db=-3)),
        level_db=-11.0,
        pan=38.0,
    )
    chain = Envelope(on=True, hold_ms=12, decay_ms=240, curve=60)
    shackle = Layer(id="", name="Falling chain", source=session.sample("chain"), envelope=chain)
    pad("Shackle", "percussion", 54, _stack(shackle), bus="metals", level_db=-7.0, pan=-40.0)
    lantern = Hat(
        tone_hz=560,
        spread=118,
        decay_ms=1400,
        ring_db=-8,
        ring_ms=2600,
        band_hz=6400,
        band_q=0.6,
        low_cut_hz=2600,
        noise_db=-16,
    )
    pad(
        "Lantern",
        "cymbal",
        51,
        _stack(Layer(id="", name="Lantern glass", source=lantern, level_db=-4.0)),
        bus="metals",
        level_db=-7.0,
        pan=-18.0,
    )
    squall = Hat(
        tone_hz=300,
        spread=135,
        decay_ms=2600,
        ring_db=-12,
        ring_ms=3600,
        band_hz=5600,
        band_q=0.4,
        low_cut_hz=1500,
        noise_db=-7,
        seed=9,
    )
    pad(
        "Squall",
        "cymbal",
        49,
        _stack(Layer(id="", name="Sheet in the wind", source=squall, level_db=-7.0)),
        bus="metals",
        level_db=-2.0,
        pan=14.0,
    )
    for name, note, hz in (("Bilge D", 26, 36.71), ("Bilge G", 31, 49.0), ("Bilge D↑", 33, 73.42)):
        pad(name, "bass", note, _bilge(hz), level_db=-6.0, choke_group=2)
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
        stages=_row(
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
        Layer(id="", name="Hull sine", source=hull, level_db=-1.5),
        knock,
        Layer(id="", name="Felt tap", source=felt, level_db=-10.0),
        stages=_row(
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
            Compressor(
                threshold_db=-14, ratio=3.0, attack_ms=24, release_ms=90, makeup_db=1.5, dry=20
            ),
            Limiter(ceiling_db=-1.0, release_ms=50),
        ),
    )


def _plank(session: _Session) -> Sound:
    skin = Snare(low_hz=184.99, high_ratio=1.72, wires_ms=230, snap_db=-2, balance=52)
    board = session.sample("plank", fade_out_ms=30.0)
    shape = Envelope(on=True, hold_ms=20, decay_ms=160, curve=50)
    return _stack(
        Layer(id="", name="Wired skin", source=skin, level_db=-2.5),
        Layer(id="", name="Dropped plank", source=board, level_db=-10.5, envelope=shape),
        stages=_row(
            Equalizer(
                low_cut_on=True,
                low_cut_hz=90,
                bell2_hz=480,
                bell2_db=-2.5,
                high_shelf_db=2.0,
                high_shelf_hz=7000,
            ),
            Compressor(
                threshold_db=-16, ratio=3.5, attack_ms=9, release_ms=70, makeup_db=0.0, dry=30
            ),
        ),
    )


def _tarp(session: _Session) -> Sound:
    slap = session.sample("canvas", fade_out_ms=20.0)
    air = Snare(
        low_on=False,
        high_on=False,
        wires_low_hz=1000,
        wires_high_hz=9000,
        wires_ms=260,
        snap_db=-30,
        balance=70,
        seed=12,
    )
    return _stack(
        Layer(id="", name="Canvas slap", source=slap),
        Layer(id="", name="Spray", source=air, level_db=-14.0, offset_ms=18.0),
    )


def _barrel(session: _Session, hz: float) -> Sound:
    skin = Kick(
        start_hz=hz * 1.7,
        end_hz=hz,
        fall_ms=70,
        decay_ms=460,
        partial_on=True,
        partial_ratio=1.59,
        partial_db=-11,
        partial_decay_ms=240,
        click_hz=1500,
        click_ms=8,
        click_db=-20,
        noise_on=True,
        noise_hz=900,
        noise_ms=50,
        noise_db=-22,
    )
    knock = session.sample("oak")
    stave = Envelope(on=True, hold_ms=6, decay_ms=60, curve=60)
    return _stack(
        Layer(id="", name="Barrel head", source=skin, level_db=-3.0),
        Layer(id="", name="Stave", source=knock, level_db=-20.0, tune_st=3.0, envelope=stave),
    )


def _bilge(hz: float) -> Sound:
    tone = Kick(
        start_hz=hz * 2.4,
        end_hz=hz,
        fall_ms=26,
        decay_ms=1500,
        click_db=-30,
        partial_on=True,
        partial_ratio=2.0,
        partial_db=-14,
        partial_decay_ms=700,
        drive_on=True,
        drive_db=7,
    )
    shape = Envelope(on=True, attack_ms=1.0, hold_ms=180, decay_ms=620, curve=20)
    return _stack(Layer(id="", name="Bilge tone", source=tone, level_db=-1.0, envelope=shape))


_GROOVE = {
    # Two bars of sixteenths: a digit is a tenth of the velocity's way, x is an accent.
    "pad1": "x.....7...x.....x..6..7...x....5",
    "pad2": "....x.......x..3....x..2....x...",
    "pad3": "............5...............6..3",
    "pad4": "7.5.7.4.7.5.7.4.7.5.7.4.7.5.7...",
    "pad5": "..............................6.",
    "pad6": "..............................7.",
    "pad7": ".............................6..",
    "pad8": "............................6...",
    "pad9": "...4..5.......4....4..5.........",
    "pad10": "..................3.............",
    "pad11": "..3...3...3..43...3...3...3..43.",
    "pad12": "........3...............3.......",
    "pad13": "6...............................",
    "pad14": "8.....6.........8..5............",
    "pad15": "..........7...............7.....",
    "pad16": "..............5...............5.",
}


def _groove() -> Pattern:
    lanes = []
    for pad, line in _GROOVE.items():
        hits = tuple(
            Hit(step=n, velocity=118 if mark == "x" else 8 + 13 * int(mark))
            for n, mark in enumerate(line)
            if mark != "."
        )
        lanes.append(Lane(pad=pad, hits=hits))
    return Pattern(id="a", name="A", length=32, swing=55.0, lanes=tuple(lanes))
