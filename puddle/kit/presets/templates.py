"""Templates: kits to start from. A kit without its sounds, and the four that ship."""

from __future__ import annotations

from collections.abc import Callable

import msgspec

from puddle.kit.edits.layers import new_layer
from puddle.kit.edits.routing import rooms
from puddle.kit.edits.spreading import spread
from puddle.kit.model.document import Bus, Kit, Layer, Pad, Pattern, Sound
from puddle.kit.model.roles import ROLES, Role
from puddle.kit.model.tonality import SCALES, Key
from puddle.kit.playing.velocity import softened
from puddle.parameter import changed
from puddle.voices import STARTING_POINTS, AnyVoice, Bell

UNTITLED = "Untitled"
replace = msgspec.structs.replace

# The percussion key map of General MIDI level 1, notes 35 to 81.
GENERAL_MIDI: tuple[tuple[int, str, Role], ...] = (
    (35, "Acoustic bass drum", "kick"),
    (36, "Bass drum", "kick"),
    (37, "Side stick", "snare"),
    (38, "Acoustic snare", "snare"),
    (39, "Hand clap", "clap"),
    (40, "Electric snare", "snare"),
    (41, "Low floor tom", "tom"),
    (42, "Closed hi-hat", "hat"),
    (43, "High floor tom", "tom"),
    (44, "Pedal hi-hat", "hat"),
    (45, "Low tom", "tom"),
    (46, "Open hi-hat", "hat"),
    (47, "Low-mid tom", "tom"),
    (48, "High-mid tom", "tom"),
    (49, "Crash cymbal 1", "cymbal"),
    (50, "High tom", "tom"),
    (51, "Ride cymbal 1", "cymbal"),
    (52, "Chinese cymbal", "cymbal"),
    (53, "Ride bell", "cymbal"),
    (54, "Tambourine", "percussion"),
    (55, "Splash cymbal", "cymbal"),
    (56, "Cowbell", "percussion"),
    (57, "Crash cymbal 2", "cymbal"),
    (58, "Vibraslap", "percussion"),
    (59, "Ride cymbal 2", "cymbal"),
    (60, "High bongo", "percussion"),
    (61, "Low bongo", "percussion"),
    (62, "Mute high conga", "percussion"),
    (63, "Open high conga", "percussion"),
    (64, "Low conga", "percussion"),
    (65, "High timbale", "percussion"),
    (66, "Low timbale", "percussion"),
    (67, "High agogo", "percussion"),
    (68, "Low agogo", "percussion"),
    (69, "Cabasa", "percussion"),
    (70, "Maracas", "percussion"),
    (71, "Short whistle", "effect"),
    (72, "Long whistle", "effect"),
    (73, "Short guiro", "percussion"),
    (74, "Long guiro", "percussion"),
    (75, "Claves", "percussion"),
    (76, "High wood block", "percussion"),
    (77, "Low wood block", "percussion"),
    (78, "Mute cuica", "percussion"),
    (79, "Open cuica", "percussion"),
    (80, "Mute triangle", "percussion"),
    (81, "Open triangle", "percussion"),
)
_CHOKING = {42: 1, 44: 1, 46: 1, 71: 2, 72: 2, 73: 3, 74: 3, 78: 4, 79: 4, 80: 5, 81: 5}
_STRENGTHS = (("soft", 1, 52), ("medium", 53, 96), ("hard", 97, 127))
# Of an acoustic set: name, role, note, starting point, what a soft strike moves, choke group.
_SET: tuple[tuple[str, Role, int, str, dict[str, float], int], ...] = (
    ("Kick", "kick", 36, "Deep keel", {"click_db": 50, "click_hz": 25}, 0),
    ("Side stick", "snare", 37, "Oak block", {"hardness": 45, "knock_db": 40}, 0),
    ("Snare", "snare", 38, "Fresh plank", {"snap_db": 35, "wires_high_hz": 30}, 0),
    ("Closed hat", "hat", 42, "Drizzle", {"band_hz": 25, "ring_db": 20}, 1),
    ("Open hat", "hat", 46, "Downpour", {"band_hz": 25, "ring_db": 20}, 1),
    ("Low tom", "tom", 45, "Rain barrel", {"stick_db": 40}, 0),
    ("High tom", "tom", 50, "Ship's drum", {"touch_db": 45}, 0),
    ("Crash", "cymbal", 49, "Squall line", {"tilt_db": 40, "wash_db": 30}, 0),
    ("Ride", "cymbal", 51, "Harbor bell dome", {"tilt_db": 40, "ping_db": 25}, 0),
)


def without_sounds(kit: Kit) -> Kit:
    """A kit's layout: pads, notes, buses, stages and kit gauges, without layers and hits."""
    pads = tuple(
        replace(
            pad,
            sound=replace(pad.sound, layers=()),
            alternates=(),
            alternate=0,
            snapshots=(),
            link=None,
        )
        for pad in kit.pads
    )
    patterns = tuple(
        replace(p, lanes=tuple(replace(lane, hits=()) for lane in p.lanes)) for p in kit.patterns
    )
    return replace(kit, pads=pads, patterns=patterns, contents=(), references=(), backings=())


def as_template(kit: Kit, name: str, *, with_sounds: bool) -> Kit:
    """The kit as it is kept under a template's name."""
    return replace(kit if with_sounds else without_sounds(kit), name=name[:120])


def started(template: Kit) -> Kit:
    """A new kit from a template."""
    return replace(template, name=UNTITLED)


def empty() -> Kit:
    """A kit without pads, its three rooms ready to be sent to."""
    return Kit(name=UNTITLED, buses=rooms())


def general_midi() -> Kit:
    """A pad for each note of the General MIDI percussion map, without sounds."""
    pads = tuple(
        Pad(
            id=f"pad{n + 1}",
            name=name,
            place=n,
            role=role,
            dye=ROLES[role].dye,
            notes=(note,),
            choke_group=_CHOKING.get(note, 0),
            bus={"kick": "drums", "snare": "drums", "tom": "drums", "hat": "metals"}.get(
                role, "metals" if role == "cymbal" else ""
            ),
        )
        for n, (note, name, role) in enumerate(GENERAL_MIDI)
    )
    buses = (Bus(id="drums", name="Drums"), Bus(id="metals", name="Metals"), *rooms())
    return Kit(name=UNTITLED, pads=pads, buses=buses, patterns=(_blank(),))


def tuned_pads() -> Kit:
    """Sixteen pads along a minor pentatonic: one bell, and fifteen linked copies of it."""
    voice = next(iter(STARTING_POINTS[Bell].values()))
    sound = Sound(layers=(new_layer((), "Bell", voice),))
    pad = Pad(
        id="pad1",
        name="Bell",
        place=0,
        role="percussion",
        dye="weld",
        notes=(60,),
        sound=sound,
    )
    kit = Kit(name=UNTITLED, pads=(pad,), key=Key(root="C", scale="minor pentatonic"))
    steps = [12.0 * octave + step for octave in range(4) for step in SCALES["minor pentatonic"]]
    kit, _ = spread(kit, "pad1", steps[1:16], linked=True)
    return replace(kit, patterns=(_blank(),))


def three_strengths() -> Kit:
    """An acoustic set whose pads have a layer for soft, medium and hard strikes each."""
    pads = tuple(
        Pad(
            id=f"pad{n + 1}",
            name=name,
            place=n,
            role=role,
            dye=ROLES[role].dye,
            notes=(note,),
            choke_group=choke,
            bus="" if role == "kick" else "metals" if role in ("hat", "cymbal") else "skins",
            sound=Sound(layers=_three(point, reaches)),
        )
        for n, (name, role, note, point, reaches, choke) in enumerate(_SET)
    )
    buses = (Bus(id="skins", name="Skins"), Bus(id="metals", name="Metals"), *rooms())
    return Kit(name=UNTITLED, pads=pads, buses=buses, patterns=(_blank(),))


def _three(point: str, reaches: dict[str, float]) -> tuple[Layer, ...]:
    voice = _voice(point)
    layers: tuple[Layer, ...] = ()
    for n, (name, softest, hardest) in enumerate(_STRENGTHS):
        softness = (2 - n) / 2.0
        found = {field: softened(voice, field, a, softness) for field, a in reaches.items()}
        values = {field: value for field, value in found.items() if value is not None}
        layer = new_layer(layers, name, changed(voice, **values))
        layers = (*layers, replace(layer, softest=softest, hardest=hardest))
    return layers


def _voice(point: str) -> AnyVoice:
    return next(points[point] for points in STARTING_POINTS.values() if point in points)


def _blank() -> Pattern:
    return Pattern(id="pattern1", name="A", length=16)


OURS: dict[str, tuple[str, Callable[[], Kit]]] = {
    "Empty": ("Sixteen free places.", empty),
    "General MIDI": ("47 named pads on their notes, without sounds.", general_midi),
    "Tuned pads": ("One bell on sixteen pads, along a scale.", tuned_pads),
    "Three velocities": ("A set with soft, medium and hard layers.", three_strengths),
}
