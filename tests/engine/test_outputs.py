"""Buses on outputs of their own: apart, in time, through limiters, and on JACK's eight ports."""

import threading
import time
import unittest
from typing import Any

import numpy as np

from puddle.engine.devices import SimulatedDevice, devices, open_device
from puddle.engine.engine import Engine
from puddle.engine.jack_ports import name_ports, port_names
from puddle.engine.offline import strike
from puddle.kit import edits
from puddle.kit.edits.routing import flow_into
from puddle.kit.model.document import Kit, Master, Pattern
from puddle.kit.playing.groove import groove_of
from puddle.render.samples import NoSamples
from puddle.render.take import Takes
from puddle.stages import Limiter, Stage
from puddle.window.session.output_names import pair_names
from tests.support.engines import kit_of, take_of
from tests.support.jack_server import JackServer, jack_card

RATE = 48000.0
ROW = (Stage(id="stage1", process=Limiter(lookahead_ms=5.0, ceiling_db=-0.5)),)


def two_buses(master: Master | None = None) -> Kit:
    """A pad on a bus that leaves on 3 and 4, one on a bus that flows on."""
    kit = kit_of({"bus": "apart"}, {"bus": "along"}, master=master or Master())
    kit, apart = edits.add_bus(kit, "Apart")
    kit, along = edits.add_bus(kit, "Along")
    kit = edits.set_bus(kit, apart.id, output="3 and 4")
    kit = flow_into(kit, kit.pads[0].id, "", apart.id)
    return flow_into(kit, kit.pads[1].id, "", along.id)


def delivered(kit: Kit, channels: int, frames: int = 4800, block: int = 96) -> np.ndarray:
    """Both pads struck on the first frame: float32 (frames, channels)."""
    engine = Engine(RATE)
    engine.set_pairs(channels // 2 - 1)
    takes = {pad.id: take_of(0.25 * (n + 1), 400) for n, pad in enumerate(kit.pads)}
    engine.set_kit(kit, takes, None)
    for n in range(2):
        engine.strike(n, 127.0)
    parts = []
    for _ in range(frames // block):
        out = np.empty((block, channels), np.float32)
        engine.deliver_outputs(out)
        parts.append(out)
    return np.concatenate(parts)


class OutputsTest(unittest.TestCase):
    def test_a_bus_leaves_apart_and_not_with_the_master(self) -> None:
        out = delivered(two_buses(), 6)
        self.assertAlmostEqual(float(out[:, 2].max()), 0.25, places=5)
        self.assertAlmostEqual(float(out[:, 0].max()), 0.5, places=5)
        np.testing.assert_array_equal(out[:, 2], out[:, 3])
        self.assertFalse(out[:, 4:].any())

    def apart(self, monitor_pair: int, click_pair: int, channels: int) -> np.ndarray:
        """The kit listened to in mono while the metronome clicks: a pad that is all on the left."""
        kit = kit_of({"pan": -100.0})
        engine = Engine(RATE)
        engine.set_pairs(channels // 2 - 1)
        engine.set_apart(monitor_pair, click_pair)
        engine.set_kit(kit, {"p0": take_of(0.25, 48000)}, groove_of(Pattern(id="p", name="p")))
        engine.set_listening(mono=True, small_speaker=False)
        engine.set_metronome("on", 1.0, "4/4", 0.0)
        engine.play()
        engine.strike(0, 127.0)
        out = np.empty((9600, channels), np.float32)
        for start in range(0, len(out), 96):
            engine.deliver_outputs(out[start : start + 96])
        return out

    def test_listening_and_the_metronome_have_outputs_of_their_own(self) -> None:
        clean = [0.25, 0.0]
        late = slice(6000, 9000)  # after the cross to mono, and where a click has died away
        out = self.apart(1, 2, 6)
        for pair, wanted in ((0, clean), (1, [0.125, 0.125]), (2, [0.0, 0.0])):
            np.testing.assert_allclose(out[late, 2 * pair], wanted[0], atol=1e-6)
            np.testing.assert_allclose(out[late, 2 * pair + 1], wanted[1], atol=1e-6)
        self.assertGreater(float(np.abs(out[:2400, 4:]).max()), 0.1, "the click")
        np.testing.assert_allclose(out[300:2400, 1], 0.0, atol=1e-6)  # and it is nowhere else
        alone = self.apart(0, 0, 2)
        np.testing.assert_allclose(alone[late], 0.125, atol=1e-6)
        self.assertGreater(float(np.ptp(alone[300:2400, 1])), 0.1)

    def test_a_pair_that_there_is_not_is_the_master_s(self) -> None:
        out = self.apart(3, 4, 4)
        np.testing.assert_allclose(out[6000:9000, :2], 0.125, atol=1e-6)
        self.assertFalse(out[:, 2:].any())

    def test_without_such_outputs_it_flows_on(self) -> None:
        out = delivered(two_buses(), 2)
        self.assertAlmostEqual(float(out[:, 0].max()), 0.75, places=5)

    def test_all_outputs_are_in_time_whatever_delays_the_master(self) -> None:
        for master in (Master(), Master(stages=ROW)):
            out = delivered(two_buses(master), 4)
            begins = [int(np.argmax(out[:, channel] > 0.1)) for channel in (0, 2)]
            self.assertEqual(begins[0], begins[1])
        late = two_buses()
        late = edits.set_bus(late, late.buses[0].id, stages=ROW)
        out = delivered(late, 4)
        self.assertEqual(*(int(np.argmax(out[:, channel] > 0.1)) for channel in (0, 2)))

    def test_blocks_of_any_size_are_the_same(self) -> None:
        kit = two_buses(Master(stages=ROW))
        whole = delivered(kit, 4, block=96)
        for block in (32, 50, 75, 480):
            np.testing.assert_array_equal(delivered(kit, 4, block=block), whole)

    def test_each_pair_has_a_limiter_before_the_card(self) -> None:
        kit = two_buses()
        kit = edits.set_bus(kit, kit.buses[0].id, level_db=12.0)
        kit = edits.set_pad(kit, kit.pads[0].id, level_db=12.0)
        out = delivered(kit, 4)
        self.assertLessEqual(float(np.abs(out[:, 2]).max()), 1.0)
        self.assertGreater(float(np.abs(out[:, 2]).max()), 0.8)
        self.assertAlmostEqual(float(out[:, 0].max()), 0.5, places=5)

    def test_exports_flow_on(self) -> None:
        from puddle.engine.offline import bounce
        from tests.support.sounds import pattern, small_kit

        kit, bus = edits.add_bus(small_kit(), "Drums")
        kit = flow_into(kit, "pad1", "", bus.id)
        takes, played = Takes(NoSamples(), RATE), pattern(("pad1", (0,)))
        plain = bounce(kit, played, 1, takes).master
        apart = edits.set_bus(kit, bus.id, output="5 and 6")
        np.testing.assert_array_equal(bounce(apart, played, 1, takes).master, plain)
        self.assertTrue(strike(kit.pads[0], takes, 127.0).any())

    def test_an_output_that_is_given_up_fades(self) -> None:
        engine = Engine(RATE)
        engine.set_pairs(1)
        kit = two_buses()
        tone = np.sin(2.0 * np.pi * 200.0 * np.arange(48000) / RATE)
        take = np.repeat((0.5 * tone)[:, None], 2, axis=1).astype(np.float32)
        engine.set_kit(kit, {kit.pads[0].id: take}, None)
        engine.strike(0, 127.0)
        parts = []
        for n in range(60):
            if n == 20:
                kit = edits.set_bus(kit, kit.buses[0].id, output="flows on")
                engine.set_kit(kit, {kit.pads[0].id: take}, None)
            out = np.empty((480, 4), np.float32)
            engine.deliver_outputs(out)
            parts.append(out)
        made = np.concatenate(parts)[4800:]
        slope = 2.0 * np.pi * 200.0 / RATE * 0.5
        for channel in (0, 2):  # no step is steeper than the tone's own and the fade's
            self.assertLess(float(np.abs(np.diff(made[:, channel])).max()), 1.3 * slope)
        self.assertLess(float(np.abs(made[-4800:, 2]).max()), 1e-4)
        self.assertGreater(float(np.abs(made[-4800:, 0]).max()), 0.45)

    def test_the_simulated_card_has_as_many_as_are_wanted(self) -> None:
        engine = Engine(RATE)
        device, note = open_device(engine, "Simulated sound card", 128, 3)
        self.addCleanup(device.close)
        self.assertEqual((device.channels, note), (8, ""))
        device.close()
        card = SimulatedDevice(engine, 128, record=True, channels=4)
        engine.set_kit(two_buses(), {"a": take_of(0.25, 400)}, None)
        time.sleep(0.05)
        card.close()
        self.assertEqual(card.recorded().shape[1], 4)


class JackOutputs(unittest.TestCase):
    """A server of eight channels, without a card."""

    def test_a_bus_arrives_at_its_ports(self) -> None:
        server = JackServer(512, 8)
        name = jack_card(self, server)
        client = server.client("listener")
        (card,) = (one for one in devices() if one.name == name)
        self.assertEqual(card.channels, 8)
        engine = Engine(RATE)
        kit = two_buses()
        engine.set_kit(kit, {pad.id: take_of(0.25, 48000) for pad in kit.pads[:1]}, None)
        device, note = open_device(engine, name, 512, 3)
        self.addCleanup(device.close)
        self.assertEqual((device.channels, note), (8, ""))
        heard = self.listen(client, 8)
        engine.strike(0, 127.0)
        end = time.monotonic() + 10.0
        while heard[2] < 0.2 and time.monotonic() < end:
            time.sleep(0.02)
        self.assertAlmostEqual(heard[2], 0.25, delta=0.01)
        self.assertAlmostEqual(heard[3], 0.25, delta=0.01)
        self.assertEqual([n for n, level in enumerate(heard) if level > 0.01], [2, 3])
        self.assertTrue(name_ports(port_names(pair_names(kit, 4))))
        named = [p.shortname for p in client.get_ports("^(Puddle|PortAudio)", is_output=True)]
        self.assertEqual(named[:5], ["Master L", "Master R", "Apart L", "Apart R", "Output 5 L"])

    def listen(self, client: Any, channels: int) -> list[float]:
        """The peaks of what arrives at the card's inputs, kept by a client beside."""
        import jack

        sources = [
            port for port in client.get_ports(is_audio=True, is_output=True)
            if not port.name.startswith(("system", client.name))
        ]  # fmt: skip
        self.assertEqual(len(sources), channels)
        ins = [client.inports.register(f"in {n}") for n in range(channels)]
        peaks = [0.0] * channels
        done = threading.Lock()

        @client.set_process_callback
        def process(frames: int) -> None:
            with done:
                for n, port in enumerate(ins):
                    peaks[n] = max(peaks[n], float(np.abs(port.get_array()).max()))

        client.activate()
        self.addCleanup(client.close)
        for source, port in zip(sources, ins, strict=True):
            client.connect(source, port)
        self.assertIsInstance(client, jack.Client)
        return peaks


if __name__ == "__main__":
    unittest.main()
