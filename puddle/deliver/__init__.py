"""A kit as files that other programs read, and back: sounds, instruments, grooves, the whole."""
