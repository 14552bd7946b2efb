"""White noise that is the same on every machine: a counter-based generator.

Sebastiano Vigna's SplitMix64 (2015): sample *n* of a seed is a hash of seed and *n*, so that any
part of a noise can be made on its own.
"""

import numpy as np

from puddle.kernels.compiling import kernel

_GOLDEN = np.uint64(0x9E3779B97F4A7C15)
_MIX_1 = np.uint64(0xBF58476D1CE4E5B9)
_MIX_2 = np.uint64(0x94D049BB133111EB)


@kernel
def splitmix(counter):
    """The hash of one uint64 counter."""
    z = counter * _GOLDEN + _GOLDEN
    z = (z ^ (z >> np.uint64(30))) * _MIX_1
    z = (z ^ (z >> np.uint64(27))) * _MIX_2
    return z ^ (z >> np.uint64(31))


@kernel
def white(seed, frames):
    """White noise, uniform in ±1, as float64 (frames,)."""
    out = np.empty(frames)
    base = splitmix(np.uint64(seed))
    for n in range(frames):
        bits = splitmix(base + np.uint64(n)) >> np.uint64(11)
        out[n] = np.float64(bits) * (2.0 / 9007199254740992.0) - 1.0
    return out
