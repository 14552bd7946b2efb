"""Standard MIDI Files: written, read by another library, read again, and whatever is broken."""

import io
import unittest

import mido
from hypothesis import given, settings
from hypothesis import strategies as st

from puddle.errors import FileError
from puddle.formats.midi import TICKS_PER_BEAT, left_out, midi_bytes, parsed_midi
from puddle.kit.edits import set_pad
from puddle.kit.model.address import Address
from puddle.kit.model.document import Flam, Hit, Lane, OwnValue, Pattern
from puddle.kit.model.pattern import Curve, CurvePoint
from puddle.parameter import changed
from tests.support.sounds import pattern, small_kit


class Midi(unittest.TestCase):
    def test_notes_lie_on_their_ticks(self) -> None:
        kit = small_kit()
        made = pattern(("pad1", (0, 8)), ("pad2", (5,)), swing=60.0)
        file = mido.MidiFile(file=io.BytesIO(midi_bytes(kit, made, 8.0)))
        self.assertEqual((file.type, file.ticks_per_beat), (1, TICKS_PER_BEAT))
        head = {message.type: message for message in file.tracks[0]}
        self.assertEqual(head["set_tempo"].tempo, 500000)
        self.assertEqual(
            (head["time_signature"].numerator, head["time_signature"].denominator), (4, 4)
        )
        self.assertEqual([t.name for t in file.tracks[1:]], [p.name for p in kit.pads[:2]])
        heard = []
        for track in file.tracks[1:]:
            now = 0
            for message in track:
                now += message.time
                if message.type == "note_on":
                    heard.append((now / TICKS_PER_BEAT, message.note, message.velocity))
        wanted = [
            (turn * 4 + beat, note, 127)
            for turn in range(2)
            for beat, note in ((0.0, 36), (1.3, 38), (2.0, 36))
        ]
        self.assertEqual(sorted(heard), wanted)

    def test_what_is_written_is_read_again(self) -> None:
        kit = small_kit()
        made = pattern(("pad1", (0, 3, 8)), ("pad2", (5,)))
        found = parsed_midi(midi_bytes(kit, made, 4.0))
        self.assertEqual((found.bpm, found.meter, found.problems), (120.0, "4/4", ()))
        self.assertEqual([n.beat for n in found.notes], [0.0, 0.75, 1.25, 2.0])
        self.assertEqual([n.note for n in found.notes], [36, 36, 38, 36])

    def test_what_notes_cannot_hold_is_told(self) -> None:
        plain = pattern(("pad1", (0, 8)))
        self.assertEqual(left_out(plain), "")
        address = Address(of="pad", pad="pad1", field="tune_st")
        bent = changed(plain.lanes[0].hits[0], values=(OwnValue(address=address, value=3.0),))
        lane = changed(plain.lanes[0], hits=(bent, *plain.lanes[0].hits[1:]))
        curve = Curve(
            address=Address(of="bus", bus="b", field="level_db"), points=(CurvePoint(0.0, -6.0),)
        )
        for made, said in (
            (changed(plain, curves=(curve,)), "1 curve stays in the kit"),
            (changed(plain, lanes=(lane,)), "1 hit's own values stay in the kit"),
            (changed(plain, lanes=(lane,), curves=(curve,)), "1 curve and 1 hit's own values stay"),
        ):
            self.assertIn(said, left_out(made))

    def test_bad_files_are_refused_in_one_sentence(self) -> None:
        whole = midi_bytes(small_kit(), pattern(("pad1", (0, 8))), 4.0)
        two = whole[:8] + b"\0\2" + whole[10:]
        frames = whole[:12] + b"\xe7\x28" + whole[14:]
        for data, why in ((b"", "no Standard"), (b"RIFF", "no Standard"), (two, "type 2"),
                          (whole[:60], "damaged"), (frames, "frames")):  # fmt: skip
            with self.assertRaises(FileError) as caught:
                parsed_midi(data)
            self.assertIn(why, str(caught.exception))

    def test_hanging_notes_last_a_sixteenth_and_are_told(self) -> None:
        file = mido.MidiFile(type=1, ticks_per_beat=96)
        track = file.add_track()
        track.append(mido.Message("note_on", note=36, velocity=90, time=96))
        track.append(mido.Message("note_on", note=38, velocity=80, time=0))
        track.append(mido.Message("note_on", note=38, velocity=0, time=48))
        out = io.BytesIO()
        file.save(file=out)
        found = parsed_midi(out.getvalue())
        told = [(n.beat, n.beats, n.note, n.velocity) for n in found.notes]
        self.assertEqual(told, [(1.0, 0.25, 36, 90), (1.0, 0.5, 38, 80)])
        self.assertEqual(found.problems, ("1 note has no end: a sixteenth was taken.",))

    @settings(max_examples=150, deadline=None)
    @given(st.binary(max_size=200), st.integers(0, 400))
    def test_junk_is_read_or_refused(self, junk: bytes, at: int) -> None:
        """Whatever stands in a file, what comes is notes or a FileError."""
        whole = midi_bytes(small_kit(), pattern(("pad1", (0, 4, 8))), 4.0)
        for data in (b"MThd\0\0\0\6\0\1\0\1\0\x60MTrk" + junk, whole[:at] + junk + whole[at:]):
            try:
                found = parsed_midi(data)
            except FileError:
                continue
            self.assertTrue(all(n.beats > 0.0 for n in found.notes))

    def test_names_in_any_script_are_kept(self) -> None:
        kit = set_pad(small_kit(), "pad1", name="Bilge D↑ 鼓")
        raw = midi_bytes(kit, pattern(("pad1", (0,))), 4.0)
        names = [
            track.name for track in mido.MidiFile(file=io.BytesIO(raw), charset="utf-8").tracks
        ]
        self.assertIn("Bilge D↑ 鼓", names)

    def test_strokes_of_single_notes_are_on_their_own_channel(self) -> None:
        """Swing, flams and notes: ticks and channels against arithmetic, by another library."""
        kit = small_kit()
        hits = (
            Hit(at=1, note=50, length=2.0),
            Hit(at=4, flams=(Flam(before_ms=50.0, level=50.0),)),
        )
        made = Pattern(id="a", name="A", swing=60.0, lanes=(Lane(pad="pad1", hits=hits),))
        track = mido.MidiFile(file=io.BytesIO(midi_bytes(kit, made, 4.0))).tracks[1]
        now, found = 0, []
        for message in track:
            now += message.time
            if message.type in ("note_on", "note_off"):
                found.append((now, message.type, message.note, message.channel, message.velocity))
        at = round(0.3 * 960)
        wanted = [
            (at, "note_on", 50, 0, 100),
            (at + 480, "note_off", 50, 0, 0),
            (960 - 96, "note_on", 36, 9, 50),
            (960, "note_on", 36, 9, 100),
        ]
        self.assertEqual([one for one in found if one in wanted], wanted)
