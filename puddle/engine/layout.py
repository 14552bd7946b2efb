"""The records that the engine and Python share.

Every field is eight bytes wide, so that layouts agree without padding. Addresses point into arrays
that the Python side owns and keeps until the engine has let go of them.
"""

import numpy as np

VOICES = 128
SPARE_VOICES = 32
MOST_PADS = 416

# Slots name pads for everything outside of the document: events, controllers, meters. The low bits
# of a slot are its index, in three ranges; the bits above count the index's tenants, so that what
# still names a pad that has gone never means the pad that came after it.
SLOTS = 8192
PAD_SLOTS = 1024  # the kit's pads: twice as many as there may be, for those that are leaving
AUDITION_SLOT = SLOTS - 1
OWN_SLOTS = AUDITION_SLOT - PAD_SLOTS  # pads with own values of hits
NO_SLOT = -1

MOST_PAIRS = 8  # of a card's outputs; the first has the master
MOST_BUSES = 8192  # pads may have one each, every bus a plain one beside them, all of them ways
RINGS = 2
RING_SIZE = 4096
PENDING = 4096
CLICK_FRAMES = 2400
UNDERS = 8  # recordings that may run under the groove

RAMP_QUANTA = 32  # in which coefficients glide, and one way through a bus gives over to another

# What a voice is doing.
FREE, SOUNDING, FADING = 0, 1, 2

# A gate's envelope.
PLAIN, RISING, FALLING = 0, 1, 2

# When a pad glides.
GLIDES = ("off", "always", "when overlapping")

# Commands.
STRIKE, RELEASE, PLAY, STOP, SILENCE, CROSS, PUBLISHED, CHOKE, PACE = range(1, 10)

# Events of a pattern beside strikes and releases: a stage's coefficients, a bus's level. `pad` is
# the number of the stage or bus, `turn` the coefficients' address, `note` in how many quanta they
# are to be there, 0 for as a moved gauge is; `velocity` is a level's gain.
MOVE, LEVEL = 10, 11

# Tables that Python makes and the engine reads: a new one takes a line here.
TABLE_NAMES = ("graph", "scopes", "tempo", "pads", "pattern", "loop", "under", "repeat")
GRAPH, SCOPED, TEMPO, PADS, PATTERN, LOOP, UNDER, REPEAT = range(len(TABLE_NAMES))
TABLES = len(TABLE_NAMES)

_I, _F = np.int64, np.float64

COMMAND = np.dtype(
    [
        ("kind", _I),
        ("a", _I),
        ("b", _I),
        ("count", _I),
        ("x", _F),
        ("frame", _I),
        ("stamp", _F),  # when it came, in s of the monotonic clock, instead of a frame; or 0
    ],
    align=True,
)
# A table that is published, as it stands among those of one change: a command names the first.
PUBLISHED_TABLE = np.dtype(
    [
        ("table", _I),  # which
        ("address", _I),
        ("count", _I),
        ("generation", _I),
        ("value", _F),
    ],
    align=True,
)
TABLE = np.dtype(
    [
        ("address", _I),
        ("count", _I),  # of its rows
        ("generation", _I),  # the oldest that is still read: what is older may go
        # A pattern's length in beats, or NO_LOOP where its events are at beats of the groove; a
        # loop's length in frames; the tempo in bpm.
        ("value", _F),
    ],
    align=True,
)
# Of a ring: counts, and how many bytes behind the first header its commands begin.
RING = np.dtype([("written", _I), ("read", _I), ("commands", _I)], align=True)
RECORDED = 16  # buses that can be written to files beside the master
SCOPES = 2 + RECORDED  # the master, a bus that is chosen, and those that are recorded
SCOPE_FRAMES = 1 << 17  # of each: a whole number of quanta
MISSING, UNSEEN = -1, -2
SCOPE = np.dtype(
    [
        ("audio", _I),  # the address of SCOPE_FRAMES of stereo
        ("written", _I),  # frames so far
    ],
    align=True,
)
# Where the groove is, so many bytes behind the first header: see engine.shown.
SHOWN_AT = 2048
SHOWN = np.dtype(
    [
        ("writes", _I),  # twice as many; odd while one is made
        ("clock", _I),  # frames made so far
        ("rate", _F),
        ("playing", _I),
        ("bpm", _F),
        ("base_frame", _I),  # on which base_beat falls
        ("base_beat", _F),
        ("late", _I),  # frames by which the master's stages delay what is heard
    ],
    align=True,
)

VOICE = np.dtype(
    [
        ("state", _I),
        ("take", _I),
        ("frames", _I),
        ("position", _F),
        ("rate", _F),
        ("left", _F),
        ("right", _F),
        ("delay", _I),  # frames of the coming quantum before it sounds
        ("fade", _F),
        ("fade_step", _F),
        ("fade_delay", _I),
        ("pad", _I),  # the slot of the pad whose voice it is
        ("slot", _I),  # that was struck: that pad's, or one with own values of hits
        ("bus", _I),
        ("group", _I),
        ("order", _I),
        ("note", _I),  # that struck it, or -1
        ("velocity", _F),  # as it was struck
        ("turn", _I),  # of the round robin
        ("held", _I),  # until it is let go
        ("gate", _I),
        ("release_frames", _I),
        ("shape", _I),  # where a gate's envelope is: none, rising, falling
        ("envelope", _F),
        ("attack_step", _F),  # of that envelope, from frame to frame
        ("decay_factor", _F),  # and of what is over its sustain
        ("sustain", _F),
        ("rate_step", _F),  # of a glide, from frame to frame
        ("gliding", _I),  # frames until it has arrived
        ("rate_target", _F),
    ],
    align=True,
)
PAD = np.dtype(
    [
        ("slot", _I),
        ("owner", _I),  # the slot whose voices, counts and pitch it shares: its own, for a pad
        ("takes", _I),  # the address of (take, frames, semitones), by zone, step and turn; or 0
        ("steps", _I),
        ("turns", _I),
        ("keys", _I),  # the address of (semitones, zone) by note and last for none; or 0
        ("response", _I),  # the address of what each whole velocity from 0 to 127 plays as; or 0
        ("levels", _I),  # the address of the gain of each whole strength from 0 to 127; or 0
        ("limit", _I),  # how many may sound; 0 for all
        ("steals_softest", _I),
        ("glide", _I),  # off, always, when overlapping
        ("glide_frames", _F),
        ("rate", _F),
        ("left", _F),
        ("right", _F),
        ("velocity_power", _F),
        ("bus", _I),
        ("group", _I),
        ("chokes", _I),  # the group that a strike cuts off
        ("gate", _I),
        ("attack_step", _F),  # of a gate's envelope, from frame to frame
        ("decay_factor", _F),  # and of what is over its sustain
        ("sustain", _F),
        ("release_frames", _I),
        ("silenced", _I),
    ],
    align=True,
)
BUS = np.dtype(
    [
        ("into", _I),  # the bus that it flows into, by its place; a later one
        ("ways", _I),  # the address of the places of those that it flows into instead, and their
        ("way_count", _I),  # number
        ("through", _I),  # whether nobody looks at it: while its level rests it is not run
        ("slot_table", _I),
        ("slots", _I),
        ("gain", _F),
        ("gain_between", _F),  # follows the target, and is followed by the gain
        ("gain_target", _F),
        ("gain_rest", _F),  # the kit's, to which a moved one goes back
        ("gain_wanted", _F),  # what becomes its target, while what is moved is looked for
        ("number", _I),  # of the bus, see engine.names
        ("delay", _I),  # frames that align it with the latest bus
        ("delay_line", _I),
        ("delay_at", _I),
        ("asleep", _I),
        ("quiet", _I),  # quanta without input or output
        ("carries", _I),  # the bus of the table before whose level and rest it takes over, or -1
        ("crosses", _I),  # whether its way differs from the one of that bus
        ("hold", _I),  # quanta until something can come out of the new way
        ("cross", _I),  # quanta left until only the new way is heard
        ("before", _I),  # the address of the bus whose way is heard until then
        ("tap", _I),  # where stages elsewhere hear what comes in, or 0
        ("feeds", _I),  # what its own stages listen to
        ("feed_count", _I),
        ("output", _I),  # the pair of the card's outputs on which it leaves; 0 for none
        ("peak_left", _F),  # since it was last read
        ("peak_right", _F),
    ],
    align=True,
)
FEED = np.dtype(
    [
        ("tap", _I),  # the quantum that is listened to, or 0 for a stage's own input
        ("cells", _I),  # the stage's flag and key: see kernels.keys
        ("line", _I),  # its place, then frames that make it as late as what it is applied to
        ("delay", _I),
    ],
    align=True,
)
SLOT = np.dtype(
    [
        ("entry", _I),
        ("state", _I),
        ("cells", _I),
        ("now", _I),
        ("target", _I),  # the kit's coefficients, or `moved`
        ("moved", _I),  # the graph's own memory of where an event of a pattern has them
        ("rest", _I),  # the kit's, to which a moved one goes back
        ("wanted", _I),  # what becomes its target, while what is moved is looked for
        ("number", _I),  # of the stage, see engine.graph
        ("coefficients", _I),
        ("ramp", _I),
        ("straight", _I),  # whether it goes in a straight line
        ("inherits", _I),  # the state that it starts from, or 0
        ("inherits_now", _I),  # and the coefficients
    ],
    align=True,
)
EVENT = np.dtype(
    [
        ("beat", _F),  # in its pass, or of the groove
        ("kind", _I),
        ("pad", _I),  # its slot
        ("note", _I),  # or -1
        ("velocity", _F),
        ("turn", _I),  # of the round robin in the first pass
        ("turns", _I),  # by so many later in every pass that follows
        ("since", _I),  # the first pass that has it: a release belongs to a strike before
    ],
    align=True,
)
REPEATED = np.dtype(
    [
        ("serial", _I),  # another one begins anew
        ("struck", _I),  # whether a hand has struck the pad just now
        ("slot", _I),
        ("beats", _F),  # from stroke to stroke; 0 for an interval
        ("frames", _F),  # of that interval
        ("velocities", _I),  # the address of float64 that take turns, and their number
        ("velocity_count", _I),
    ],
    align=True,
)
STROKES = 1024
# A stroke that the engine made by itself, for the window.
STROKE = np.dtype(
    [("slot", _I), ("velocity", _F), ("frame", _I), ("playing", _I), ("beat", _F)], align=True
)
NO_LOOP = -1.0
NO_TURN = -1  # of a strike by hand: the pad's strikes by hand count their own

UNDER_TAKE = np.dtype(
    [
        ("audio", _I),
        ("frames", _I),
        ("offset", _F),  # beats of the groove before it begins
        ("length", _F),  # frames after which it begins again; 0 for never
        ("gain", _F),
    ],
    align=True,
)

MONITOR = np.dtype(
    [
        # What is set, and where each is on its way there: 0 to 1, or a gain.
        ("reference", _F),  # how much of the reference loop is heard instead of the master
        ("reference_now", _F),
        ("own_gain", _F),
        ("own_gain_now", _F),
        ("reference_gain", _F),
        ("reference_gain_now", _F),
        ("mono", _F),
        ("mono_now", _F),
        ("speaker", _F),
        ("speaker_now", _F),
        ("at", _I),  # frames since the groove's first beat
        ("ran", _I),  # whether the groove ran in the quantum before
        ("under_now", _F),  # how much is heard of what runs under the groove
        ("click_on", _F),  # the metronome: 1 always, 2 before the first beat only
        ("click_gain", _F),
        ("click_unit", _F),  # beats from click to click
        ("click_count", _I),  # clicks to the bar
        ("click_origin", _F),  # a beat with which a bar begins
        ("click_left", _I),  # frames of the click that sounds
        ("click_which", _I),
        ("clicks", _I),  # the address of both, float32 (2, CLICK_FRAMES)
        ("sections", _I),  # the speaker's biquads, (count, 5)
        ("states", _I),
        ("section_count", _I),
    ],
    align=True,
)

ENGINE = np.dtype(
    [
        ("clock", _I),
        ("rate", _F),
        ("voices", _I),
        ("voice_count", _I),
        ("order", _I),
        ("tables", _I),  # the address of a TABLE for each of TABLES
        ("graph_newest", _I),  # its generation: older ones are heard until they are crossed over
        ("crossing", _I),  # quanta until nothing of an older table is heard
        (
            "audio",
            _I,
        ),  # a quantum of stereo for each bus; the master is the last; then two spare ones
        ("playing", _I),
        ("bpm", _F),
        ("base_frame", _I),
        ("base_beat", _F),
        ("first_beat", _F),  # from which it was started
        ("loop_origin", _F),  # the beat of the pattern's first pass
        ("passes", _I),  # that have ended since
        ("cursor", _I),
        ("beat", _F),
        ("rings", _I),
        ("pending", _I),
        ("pending_count", _I),
        ("repeat_serial", _I),
        ("repeat_turn", _I),
        ("repeat_last", _F),  # the frame of its last stroke
        ("strokes", _I),  # the address of STROKES of them, and of how many were written
        ("strokes_count", _I),
        ("strokes_written", _I),
        ("timespec", _I),  # the address of two int64, for the system's clock
        ("block", _I),  # frames that the card asks for at a time; 0 before it has
        ("window_since", _F),  # see `card_clock`
        ("window_least", _F),
        ("window_before", _F),
        ("immediate", _I),  # whether stamps are passed over
        ("due", _I),
        ("fifo_left", _I),
        ("tenants", _I),  # by index: the slot that has it
        ("struck", _I),  # by index: how often a slot was struck
        ("struck_velocity", _I),
        ("by_hand", _I),  # strikes of each pad that are none of the pattern's
        ("last_pitch", _I),  # by index: the semitones of its last strike, to glide from
        ("poisoned", _I),  # quanta in which something was not a number
        ("sounding", _I),
        ("filters", _I),  # the tables that gliding voices are read by: see kernels.polyphase
        ("edge", _I),  # room for the frames around a take's ends
        ("callbacks", _I),
        ("late", _I),  # frames by which the master's stages delay what is heard
        ("monitor", _I),  # the address of a MONITOR
        ("scopes", _I),  # the address of SCOPES of them
        ("metered", _I),  # whether somebody looks at the pads' levels
        ("pad_meters", _I),  # peaks by index
        ("safety", _I),  # the cells of the limiter before the card, its coefficients, how many
        ("safety_coefficients", _I),
        ("safety_cells", _I),  # of one pair of outputs: those of the others follow
        ("pair", _I),  # the address of a quantum, for a pair on its way through the limiter
        ("monitor_pair", _I),  # the outputs of what is listened to; 0 for the master's
        ("click_pair", _I),  # and of the metronome; 0 for where one listens
        ("apart", _I),  # the address of a quantum of each of both
    ],
    align=True,
)
