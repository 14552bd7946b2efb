"""Every error that Puddle raises on purpose.

PuddleError
├── FileError        a file cannot be read or written
│   ├── ReadOnlyError    it can, but only once a person has said so
│   ├── SoundFileError   a sound file
│   └── KitFileError     a kit file
├── ParameterError   a value is outside what a parameter admits
├── EditError        an edit names something that the kit does not hold
└── DeviceError      a sound card cannot be opened

A message is one sentence for a person: what happened, to which file or value, and what would be
right. Nothing else of the error is shown.
"""


class PuddleError(Exception):
    """The root of Puddle's own errors; its text is fit for a person."""


class FileError(PuddleError):
    """A file cannot be read or written."""


class ReadOnlyError(FileError):
    """A file is there that is not to be replaced without asking."""


class SoundFileError(FileError):
    """A sound file cannot be read or written."""


class KitFileError(FileError):
    """A kit file cannot be read or written."""


class ParameterError(PuddleError, ValueError):
    """A value is outside what a parameter admits."""


class EditError(PuddleError, KeyError):
    """An edit names a pad, layer or stage that the kit does not hold."""

    def __str__(self) -> str:
        return str(self.args[0]) if self.args else ""


class DeviceError(PuddleError):
    """A sound card cannot be opened."""
