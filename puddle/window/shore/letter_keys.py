"""The two letter rows of the keyboard, by their places: whatever the layout says of them."""

from __future__ import annotations

from PyQt6.QtGui import QKeyEvent

# Keyboard places of the two letter rows (X11 codes, which are evdev's plus 8), and the letters
# that stand there until a key tells another.
_PLACES = (24, 25, 26, 27, 28, 29, 30, 31, 38, 39, 40, 41, 42, 43, 44, 45)
_LETTERS = "QWERTYUIASDFGHJK"


class LetterKeys:
    """Sixteen keys, and the letters that stand there."""

    def __init__(self) -> None:
        self.letters = list(_LETTERS)

    def place(self, event: QKeyEvent) -> int | None:
        """By place on the keyboard; by letter only where the system tells no place."""
        code = event.nativeScanCode()
        if code > 1:
            return _PLACES.index(code) if code in _PLACES else None
        letter = event.text().upper() or chr(event.key()) if 0 < event.key() < 128 else ""
        return self.letters.index(letter) if letter and letter in self.letters else None

    def learn(self, n: int, text: str) -> bool:
        """On another layout another letter stands there: that one is shown. Whether it is."""
        letter = text.upper()
        if len(letter) == 1 and letter.isprintable() and letter not in self.letters:
            self.letters[n] = letter
            return True
        return False
