"""The grid on which everything runs, live and offline: 32 frames."""

QUANTUM = 32
