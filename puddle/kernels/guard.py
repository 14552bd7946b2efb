"""Whether a value can be trusted: neither NaN nor infinite, and of a size that sound can have."""

from puddle.kernels.compiling import kernel

MOST = 1e30


@kernel
def sane(value):
    """False for NaN and infinity.

    Written as a comparison that NaN fails: the subtraction behind `math.isfinite` is folded away
    where the optimizer may reorder sums.
    """
    return abs(value) <= MOST
