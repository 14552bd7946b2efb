"""Live, simulated and offline are one engine; and the card that is always there."""

import json
import os
import subprocess
import sys
import tempfile
import time
import unittest
from pathlib import Path

import numpy as np

from puddle.engine import offline, safety
from puddle.engine.devices import SIMULATED, SimulatedDevice, devices, open_device
from puddle.engine.engine import Engine
from puddle.kit import edits
from puddle.kit.model.document import Bus
from puddle.parameter import changed
from puddle.render.samples import NoSamples
from puddle.render.take import Takes
from puddle.render.takeset import take_set
from puddle.tasks import Cancelled, cancellable, check_cancelled
from tests.support.engines import ALSA, CHAIN, RATE, played
from tests.support.sounds import pattern, small_kit


class OneImplementation(unittest.TestCase):
    """Live, rendered, bounced and exported: equal to the bit."""

    def test_a_strike_is_the_take_and_the_live_output(self) -> None:
        kit = small_kit()
        takes = Takes(NoSamples(), RATE)
        for index, pad in enumerate(kit.pads):
            rendered = offline.strike(pad, takes, 127.0)
            take = takes.sound(pad.sound).audio
            self.assertTrue(np.array_equal(rendered, take))
            for block in (37, 128):
                engine = Engine(RATE)
                device_kit = {p.id: takes.sound(p.sound).audio for p in kit.pads}
                engine.set_kit(kit, device_kit, None)
                engine.strike(index, 127)
                live = played(engine, len(take), block)
                self.assertTrue(np.array_equal(live, take), pad.name)
            groove = pattern((pad.id, (0,)))
            bounced = offline.bounce(kit, groove, 1, takes).master
            self.assertTrue(np.array_equal(bounced[: len(take)], take), pad.name)

    def test_the_simulated_card_plays_what_is_bounced(self) -> None:
        from puddle.demo.raingauge import demo_kit
        from tests.support.stores import new_store

        with new_store() as store:
            kit = demo_kit(store)
            takes = Takes(store, RATE)
            groove = kit.patterns[0]
            bounced = offline.bounce(kit, groove, 1, takes)
            engine = Engine(RATE)
            sets = {p.id: take_set(takes, p, range(1, 128)) for p in kit.pads}
            engine.set_kit(kit, sets, groove)
            engine.play()
            device = SimulatedDevice(engine, 100, record=True)
            time.sleep(1.2)
            device.close()
            live = device.recorded()[engine.latency_frames + safety.latency_frames(RATE) :]
            self.assertGreater(len(live), RATE * 0.8)
            self.assertTrue(np.array_equal(live, bounced.master[: len(live)]))
            self.assertGreater(float(np.abs(live).max()), 0.1)

    def test_stems_add_up_to_what_the_master_gets(self) -> None:
        kit = small_kit()
        kit = changed(kit, buses=(Bus(id="b", name="Low", stages=CHAIN),))
        kit = edits.set_pad(kit, "pad1", bus="b")
        takes = Takes(NoSamples(), RATE)
        made = offline.bounce(kit, pattern(("pad1", (0, 8)), ("pad2", (4, 12))), 1, takes)
        self.assertEqual(set(made.stems), {"direct", "Low"})
        total = made.stems["direct"] + made.stems["Low"]
        self.assertLess(float(np.abs(total - made.master).max()), 1e-6)

    def test_a_bounce_can_be_stopped(self) -> None:
        takes = Takes(NoSamples(), RATE)

        def go_on(share: float) -> None:
            shares.append(share)
            check_cancelled()

        shares: list[float] = []
        with self.assertRaises(Cancelled), cancellable(lambda: not shares or shares[-1] < 0.3):
            offline.bounce(small_kit(), pattern(("pad1", (0,))), 8, takes, go_on)
        self.assertLess(shares[-1], 0.5)


class Devices(unittest.TestCase):
    def test_the_simulated_card_is_always_there(self) -> None:
        self.assertEqual(devices()[-1].name, SIMULATED)
        engine = Engine(RATE)
        device, note = open_device(engine, SIMULATED, 128)
        self.assertEqual((device.name, note), (SIMULATED, ""))
        time.sleep(0.2)
        device.close()
        clock = engine.clock
        self.assertGreater(clock, 0.1 * RATE)
        time.sleep(0.05)
        self.assertEqual(engine.clock, clock)

    def test_it_keeps_real_time(self) -> None:
        engine = Engine(RATE)
        device = SimulatedDevice(engine, 256, record=True)
        start = time.monotonic()
        time.sleep(0.5)
        device.close()
        took = time.monotonic() - start
        # A busy machine may hold a thread up; one without a clock would be a hundred times off.
        self.assertAlmostEqual(len(device.recorded()) / RATE, took, delta=0.2)

    def test_the_callback_is_compiled_and_says_so(self) -> None:
        """The address that a card is given is the compiled entry, and it plays the engine."""
        code = (
            "import ctypes, numpy as np\n"
            "from puddle.engine.mixer import callback\n"
            "from puddle.engine.engine import Engine\n"
            "e = Engine(48000.0)\n"
            "cells = np.array([e.address, 0, 2], np.int64)\n"
            "out = np.ones((96, 2), np.float32)\n"
            "kind = ctypes.CFUNCTYPE(ctypes.c_int32, *[ctypes.c_int64] * 6)\n"
            "play = kind(callback.address)\n"
            "assert play(0, out.ctypes.data, 96, 0, 4, cells.ctypes.data) == 0\n"
            "print(e.clock, float(abs(out).max()), int(cells[1]))\n"
        )
        done = subprocess.run([sys.executable, "-c", code], capture_output=True, text=True)
        self.assertEqual(done.stdout.split(), ["96", "0.0", "1"], done.stderr)
        self.assertEqual(done.returncode, 0)

    @unittest.skipUnless(ALSA.exists(), "ALSA's own configuration is not installed")
    def test_a_stream_of_portaudio_plays_what_is_rendered(self) -> None:
        """ALSA's file plugin is a card that keeps what it was given, as fast as it comes."""
        code = (
            "import json, os, sys, time\n"
            "import numpy as np\n"
            "from puddle.engine.devices import PortAudioDevice, open_device\n"
            "from puddle.engine.engine import Engine\n"
            "from puddle.kit.model.document import Kit, Pad, Sound\n"
            "rng = np.random.default_rng(3)\n"
            "take = (0.15 * rng.standard_normal((9000, 2))).astype(np.float32)\n"
            "engine = Engine(48000.0)\n"
            "pads = (Pad(id='p', name='p', place=0, sound=Sound()),)\n"
            "engine.set_kit(Kit(name='', pads=pads), {'p': take}, None)\n"
            "engine.strike(0, 127)\n"
            "threads = set(os.listdir('/proc/self/task'))\n"
            "device, note = open_device(engine, 'boathouse (ALSA)', 128)\n"
            "assert isinstance(device, PortAudioDevice), note\n"
            "new = set(os.listdir('/proc/self/task')) - threads\n"
            "policies = [os.sched_getscheduler(int(t)) for t in new]\n"
            "while engine.clock < 20000: time.sleep(0.001)\n"
            "device.close()\n"
            "played = np.fromfile(sys.argv[1], np.float32).reshape(-1, 2)\n"
            "first = int(np.flatnonzero(played[:, 0])[0])  # after what the card was filled with\n"
            "same = bool(np.array_equal(played[first : first + 9000], take))\n"
            "json.dump([same, note, policies], sys.stdout)\n"
        )
        with tempfile.TemporaryDirectory() as folder:
            played, settings = Path(folder) / "played.raw", Path(folder) / "asound.conf"
            settings.write_text(
                f'<{ALSA}>\npcm.boathouse {{ type file\n file "{played}"\n format raw\n'
                " slave.pcm { type null } }\n"
            )
            done = subprocess.run(
                [sys.executable, "-c", code, str(played)],
                capture_output=True,
                text=True,
                env={**os.environ, "ALSA_CONFIG_PATH": str(settings)},
                timeout=60,
            )
        self.assertTrue(done.stdout, done.stderr)
        same, note, policies = json.loads(done.stdout)
        self.assertTrue(same)
        self.assertEqual(note, "")
        if os.geteuid() == 0:  # whoever may have it gets it
            self.assertIn(os.SCHED_FIFO, policies)
