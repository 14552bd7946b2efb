"""Pads as drops of water: round, ringing outward when they are struck."""

from __future__ import annotations

import time
from collections.abc import Callable
from functools import lru_cache

from PyQt6.QtCore import QMimeData, QPointF, QRect, QRectF, QSize, Qt, pyqtSignal
from PyQt6.QtGui import (
    QColor,
    QContextMenuEvent,
    QDrag,
    QDragEnterEvent,
    QDragLeaveEvent,
    QDropEvent,
    QFontMetrics,
    QKeyEvent,
    QMouseEvent,
    QPainter,
    QPaintEvent,
    QPen,
    QPixmap,
)
from PyQt6.QtWidgets import QSizePolicy, QWidget

from puddle.kit.model.document import Pad
from puddle.window import theme
from puddle.window.widgets.grounds import make_opaque
from puddle.window.widgets.mime import PAD_MIME

RING_MS = 420.0
_ROOMY_PX = 48
_STEPS = {
    Qt.Key.Key_Left: (-1, 0),
    Qt.Key.Key_Right: (1, 0),
    Qt.Key.Key_Up: (0, -1),
    Qt.Key.Key_Down: (0, 1),
}


@lru_cache(512)
def _circle(color: str, reach: float, scale: float, filled: bool) -> QPixmap:
    side = 2 * round(reach + 3.0)
    made = QPixmap(round(side * scale), round(side * scale))
    made.setDevicePixelRatio(scale)
    made.fill(Qt.GlobalColor.transparent)
    painter = QPainter(made)
    painter.setRenderHint(QPainter.RenderHint.Antialiasing)
    painter.setPen(Qt.PenStyle.NoPen if filled else QPen(QColor(color), 1.6))
    painter.setBrush(QColor(color) if filled else Qt.BrushStyle.NoBrush)
    painter.drawEllipse(QPointF(side / 2.0, side / 2.0), reach, reach)
    painter.end()
    return made


class PadDrop(QWidget):
    """One pad. The nearer the center it is clicked, the harder."""

    struck = pyqtSignal(float)  # velocity
    released = pyqtSignal()
    chosen = pyqtSignal()
    menu_wanted = pyqtSignal(object)  # a global point
    sound_wanted = pyqtSignal()  # in an empty place
    dropped_files = pyqtSignal(list)
    dropped_pad = pyqtSignal(object)  # the QMimeData of a pad, of this window or another
    mute_wanted = pyqtSignal()
    solo_wanted = pyqtSignal()
    added = pyqtSignal()  # to the selection, or out of it
    reached = pyqtSignal()  # the selection goes from the shown pad to here
    walked = pyqtSignal(int, int)  # the focus goes to a neighbor: places across, rows down

    def __init__(self, place: int) -> None:
        super().__init__()
        make_opaque(self)
        self.place = place
        self._seen: tuple[object, ...] = ()
        self._pad: Pad | None = None
        self._key = ""
        self._selected = self._also = False
        self._rings: list[tuple[float, float]] = []  # (start in s, strength 0..1)
        self._over = False
        self._compact = False
        self._pressed: QPointF | None = None
        self._still_key: tuple[object, ...] = ()
        self._still_pixmap = QPixmap()
        self.locked_velocity: float | None = None
        self.carried: Callable[[str], QMimeData] = lambda _: QMimeData()  # what a drag carries
        self.setAcceptDrops(True)
        self.setFocusPolicy(Qt.FocusPolicy.NoFocus)  # Tab reaches one of them, arrows the others
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
        self.setMinimumSize(QSize(40, 94))
        self.setFixedHeight(94)

    def set_compact(self, compact: bool) -> None:
        """A smaller drop, its letter beside its name: four rows of them leave room to work."""
        self._compact = compact
        self.setMinimumHeight(0)
        self.setFixedHeight(58 if compact else 94)
        self.update()

    def show_pad(self, pad: Pad | None, key: str, selected: bool, also: bool = False) -> None:
        """Shows a pad, or an empty place, with the letter that strikes it.

        A pad whose sound is edited looks as it did: then nothing is drawn anew.
        """
        empty = pad is not None and not pad.sound.layers
        seen = (
            (pad.name, pad.role, pad.dye, pad.mute, pad.solo, pad.alternate, empty) if pad else None
        )
        self._pad = pad
        if self._seen == (seen, key, selected, also):
            return
        self._seen = (seen, key, selected, also)
        self._key, self._selected, self._also = key, selected, also
        name = pad.name if pad else "empty"
        self.setAccessibleName(f"Pad {self.place + 1}: {name}")
        state = ", muted" if pad and pad.mute else ", solo" if pad and pad.solo else ""
        state += ", no sound yet" if empty else ""
        state += ", selected" if selected else ", selected too" if also else ""
        self.setAccessibleDescription(f"{pad.role if pad else 'empty'}{state}")
        plays = ""
        if pad is not None and len(pad.alternates) > 1:
            plays = f", plays {pad.alternates[pad.alternate].name}"
        self.setToolTip(
            f"{name}{plays}: click to strike, harder near the center; right click for more."
            if pad
            else "Empty: click to make a sound, or drop a sound file here."
        )
        self.update()

    def ring(self, velocity: float) -> None:
        """Sends a ring outward."""
        self._rings.append((time.monotonic(), velocity / 127.0))
        self._rings = self._rings[-4:]
        self.update()

    @property
    def has_rings(self) -> bool:
        """Whether a ring is on its way, or was in the frame before."""
        return bool(self._rings)

    def forget_rings(self) -> None:
        """Drops the rings that have gone."""
        now = time.monotonic()
        self._rings = [r for r in self._rings if (now - r[0]) * 1000.0 < RING_MS]

    # Painting.

    def center(self) -> QPointF:
        return QPointF(self.width() / 2, 21.0 if self._compact else 34.0)

    def _radius(self) -> float:
        return min(17.0 if self._compact else 26.0, self.width() / 2 - 5.0)

    def paintEvent(self, event: QPaintEvent | None) -> None:
        painter = QPainter(self)
        painter.drawPixmap(0, 0, self._still())
        pad = self._pad
        if pad is not None and self._rings:
            painter.setRenderHint(QPainter.RenderHint.Antialiasing)
            self._paint_rings(painter, pad)
        if self.hasFocus():
            painter.setBrush(Qt.BrushStyle.NoBrush)
            painter.setPen(QPen(theme.color("water"), 1))
            painter.drawRoundedRect(QRectF(self.rect()).adjusted(1, 1, -1, -1), 8, 8)

    def _still(self) -> QPixmap:
        """What does not move, painted once for each look: text costs most of a frame."""
        scale = self.devicePixelRatioF()
        key = (
            self._pad,
            self._key,
            self._selected,
            self._also,
            self._over,
            self.size(),
            scale,
            theme.is_night(),
        )
        if key != self._still_key:
            pixmap = QPixmap(self.size() * scale)
            pixmap.setDevicePixelRatio(scale)
            pixmap.fill(theme.color("panel"))
            painter = QPainter(pixmap)
            painter.setRenderHint(QPainter.RenderHint.Antialiasing)
            self._paint_still(painter)
            painter.end()
            self._still_pixmap, self._still_key = pixmap, key
        return self._still_pixmap

    def _paint_still(self, painter: QPainter) -> None:
        center, radius = self.center(), self._radius()
        if self._pad is not None:
            self._paint_pad(painter, self._pad, center, radius)
            self._paint_text(painter, self._pad.name, "ink")
            return
        painter.setPen(QPen(theme.color("line"), 1.4, Qt.PenStyle.DashLine))
        painter.setBrush(theme.color("pale", 120) if self._over else Qt.BrushStyle.NoBrush)
        painter.drawEllipse(center, radius, radius)
        painter.setPen(theme.color("soft"))
        painter.setFont(theme.text_font(14))
        painter.drawText(self._disk(), Qt.AlignmentFlag.AlignCenter, "+")
        self._paint_text(painter, "empty", "soft")

    def name_room(self) -> QRect:
        """Where the name is written."""
        return QRect(0, 41 if self._compact else 64, self.width(), 16)

    @property
    def name(self) -> str:
        """The pad's name; empty where there is none."""
        return self._pad.name if self._pad is not None else ""

    @property
    def cuts_its_name(self) -> bool:
        """Whether it is selected and there is too little room for its name."""
        metrics = QFontMetrics(theme.text_font(11, bold=True))
        return self._selected and self._fitting(metrics, self.name) != self.name

    def _fitting(self, metrics: QFontMetrics, name: str) -> str:
        """As much of a name as its place holds, cut in the middle: copies differ at their ends."""
        wide = self.name_room().width()
        if self._compact:
            wide -= metrics.horizontalAdvance(f"  {self._key}")
        elif self.width() < _ROOMY_PX:
            wide -= 4
        return metrics.elidedText(name, Qt.TextElideMode.ElideMiddle, wide)

    def _disk(self) -> QRectF:
        center, radius = self.center(), self._radius()
        return QRectF(center.x() - radius, center.y() - radius, 2 * radius, 2 * radius)

    def moving_part(self) -> QRect:
        """Where rings are painted."""
        return self._disk().adjusted(-14, -14, 14, 14).toAlignedRect()

    def _paint_rings(self, painter: QPainter, pad: Pad) -> None:
        center, radius = self.center(), self._radius()
        now = time.monotonic()
        painter.setBrush(Qt.BrushStyle.NoBrush)
        fresh = 0.0
        for start, strength in self._rings:
            share = (now - start) * 1000.0 / RING_MS
            if share < 1.0:
                fresh = max(fresh, 1.0 - share)
                reach = radius + (5.0 + 6.0 * strength) * share
                painter.setOpacity(0.67 * (1.0 - share) * (0.35 + 0.65 * strength))
                self._lay(painter, center, round(2.0 * reach) / 2.0, pad.dye, filled=False)
        painter.setOpacity(0.43 * fresh)
        self._lay(painter, center, radius, pad.dye, filled=True)
        painter.setOpacity(1.0)

    def _lay(
        self, painter: QPainter, center: QPointF, reach: float, dye: str, *, filled: bool
    ) -> None:
        """A circle, drawn once for each size and laid where it is wanted: a fifth of the work."""
        scale = self.devicePixelRatioF()
        made = _circle(theme.color(dye).name(), reach, scale, filled)
        side = made.width() / scale / 2.0
        painter.drawPixmap(QPointF(center.x() - side, center.y() - side), made)

    def _paint_pad(self, painter: QPainter, pad: Pad, center: QPointF, radius: float) -> None:
        dye, empty = theme.color(pad.dye), not pad.sound.layers
        painter.setBrush(theme.color(pad.dye, 90 if self._over else 0 if empty else 34))
        painter.setPen(QPen(dye, 3.0 if self._selected else 1.3))
        if pad.mute or empty:
            painter.setPen(QPen(dye, 3.0 if self._selected else 1.3, Qt.PenStyle.DotLine))
        painter.drawEllipse(center, radius, radius)
        if empty:  # a place with a name and a role, and no sound yet
            return
        painter.setBrush(Qt.BrushStyle.NoBrush)
        if self._also:
            painter.setPen(QPen(theme.color("water"), 2.0, Qt.PenStyle.DashLine))
            painter.drawEllipse(center, radius + 3.0, radius + 3.0)
        painter.setPen(QPen(theme.color(pad.dye, 130), 1.0))
        painter.drawEllipse(center, radius * 0.62, radius * 0.62)
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(theme.color(pad.dye, 90 if pad.mute else 255))
        painter.drawEllipse(center, radius * 0.28, radius * 0.28)
        if pad.mute or pad.solo:
            painter.setFont(theme.text_font(11, bold=True))
            painter.setPen(theme.color("coral" if pad.mute else "ink"))
            painter.drawText(QPointF(center.x() + radius - 8, 14), "M" if pad.mute else "S")

    def _paint_text(self, painter: QPainter, name: str, ink: str) -> None:
        painter.setFont(theme.text_font(11, bold=self._selected))
        painter.setPen(theme.color(ink))
        room, shown = QRectF(self.name_room()), self._fitting(painter.fontMetrics(), name)
        if self._compact:
            painter.drawText(room, Qt.AlignmentFlag.AlignCenter, f"{shown}  {self._key}")
            return
        painter.drawText(room, Qt.AlignmentFlag.AlignCenter, shown)
        painter.setFont(theme.value_font(11))
        painter.setPen(theme.color("soft"))
        under, pad = self._key, self._pad
        if pad is not None and len(pad.alternates) > 1:
            under += f" {pad.alternate + 1}/{len(pad.alternates)}"
        painter.drawText(QRectF(0, 79, self.width(), 14), Qt.AlignmentFlag.AlignCenter, under)

    # The hand.

    def velocity_at(self, at: QPointF) -> float:
        """Full in the center, soft at the rim."""
        if self.locked_velocity is not None:
            return self.locked_velocity
        center = self.center()
        away = ((at.x() - center.x()) ** 2 + (at.y() - center.y()) ** 2) ** 0.5
        found: float = max(12.0, min(127.0, 127.0 - 100.0 * away / self._radius()))
        return found

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        if event is None or event.button() != Qt.MouseButton.LeftButton:
            return
        modifiers = event.modifiers()
        if self._pad is not None and self._heeds(modifiers):
            return
        self._pressed = event.position()
        if self._pad is not None:  # heard first, shown after
            self.struck.emit(self.velocity_at(event.position()))
        self.chosen.emit()
        if self._pad is None:
            self.sound_wanted.emit()

    def _heeds(self, modifiers: Qt.KeyboardModifier) -> bool:
        """Whether keys that are held make something else of a click than a strike."""
        shift = bool(modifiers & Qt.KeyboardModifier.ShiftModifier)
        if modifiers & Qt.KeyboardModifier.AltModifier:
            (self.solo_wanted if shift else self.mute_wanted).emit()
        elif modifiers & Qt.KeyboardModifier.ControlModifier:
            self.added.emit()
        elif shift:
            self.reached.emit()
        else:
            return False
        return True

    def mouseMoveEvent(self, event: QMouseEvent | None) -> None:
        if event is None or self._pressed is None or self._pad is None:
            return
        if (event.position() - self._pressed).manhattanLength() > 24:
            self._pressed = None
            self.released.emit()
            drag = QDrag(self)
            drag.setMimeData(self.carried(self._pad.id))
            drag.exec(Qt.DropAction.MoveAction | Qt.DropAction.CopyAction)

    def mouseReleaseEvent(self, event: QMouseEvent | None) -> None:
        if self._pressed is not None:
            self._pressed = None
            self.released.emit()

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        if event is not None and event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter):
            if self._pad is not None and not event.isAutoRepeat():
                self.struck.emit(self.locked_velocity or 100.0)
            self.chosen.emit()
        elif event is not None and event.key() in _STEPS and not _is_held(event):
            self.walked.emit(*_STEPS[Qt.Key(event.key())])
        elif event is not None:
            super().keyPressEvent(event)

    def contextMenuEvent(self, event: QContextMenuEvent | None) -> None:
        if event is not None:
            self.chosen.emit()
            self.menu_wanted.emit(event.globalPos())

    def dragEnterEvent(self, event: QDragEnterEvent | None) -> None:
        data = event.mimeData() if event else None
        if event is not None and data is not None and (data.hasUrls() or data.hasFormat(PAD_MIME)):
            self._over = True
            self.update()
            event.acceptProposedAction()

    def dragLeaveEvent(self, event: QDragLeaveEvent | None) -> None:
        self._over = False
        self.update()

    def dropEvent(self, event: QDropEvent | None) -> None:
        self._over = False
        self.update()
        data = event.mimeData() if event else None
        if event is None or data is None:
            return
        event.acceptProposedAction()
        if data.hasFormat(PAD_MIME):
            self.dropped_pad.emit(data)
        else:
            files = [url.toLocalFile() for url in data.urls() if url.isLocalFile()]
            self.dropped_files.emit(files)


def _is_held(event: QKeyEvent) -> bool:
    """Whether another key makes something else of an arrow."""
    return bool(event.modifiers() & ~Qt.KeyboardModifier.KeypadModifier)
