"""One group of hits that sound alike: its name, its hits as drops from soft to hard, its pad."""

from __future__ import annotations

from collections.abc import Callable

from PyQt6.QtCore import QByteArray, QMimeData, QPointF, QRectF, QSize, Qt, pyqtSignal
from PyQt6.QtGui import (
    QContextMenuEvent,
    QDrag,
    QDragEnterEvent,
    QDragLeaveEvent,
    QDropEvent,
    QHelpEvent,
    QMouseEvent,
    QPainter,
    QPaintEvent,
    QPen,
)
from PyQt6.QtWidgets import QSizePolicy, QToolTip, QWidget

from puddle.units import MINUS
from puddle.window import theme
from puddle.window.widgets.grounds import make_opaque, paint_ground

HIT_MIME = "application/x-puddle-hit"
_HIGH, _LEAST_PX, _MOST_PX, _SPAN_DB = 30, 3.0, 11.0, 30.0
_DRAG_PX = 6


class LikesDrops(QWidget):
    """The hits of a group; dragged to another group, heard, left out."""

    chosen = pyqtSignal(int)  # the frame of a hit
    dropped = pyqtSignal(int)  # a hit of another group was let go here
    menu_wanted = pyqtSignal(object, int)  # global point, frame

    def __init__(self) -> None:
        super().__init__()
        self._hits: list[int] = []
        self._db: list[float] = []
        self._doubts: list[str] = []
        self._out: frozenset[int] = frozenset()
        self._dye, self._chosen = "slate", -1
        self._pressed: QPointF | None = None
        self._welcomes = False
        self.carried: Callable[[int], QMimeData] = hit_alone  # what a drag of a hit takes along
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
        self.setFixedHeight(_HIGH)
        self.setMinimumWidth(120)
        self.setAcceptDrops(True)
        make_opaque(self)

    def sizeHint(self) -> QSize:
        return QSize(320, _HIGH)

    def show_hits(
        self,
        hits: list[int],
        levels_db: list[float],
        doubts: list[str],
        dye: str,
        out: frozenset[int],
        chosen: int,
    ) -> None:
        """Hits from soft to hard, by the frames at which they begin."""
        now = (hits, levels_db, doubts, dye, out, chosen)
        if now == (self._hits, self._db, self._doubts, self._dye, self._out, self._chosen):
            return
        self._hits, self._db, self._doubts, self._dye, self._out, self._chosen = now
        self.update()

    # Where drops are.

    def _fits(self) -> int:
        return max(1, int((self.width() - 40) / (2.0 * _LEAST_PX + 6.0)))

    def _places(self) -> list[tuple[float, float]]:
        """The middle and radius of each drop that has room."""
        count = min(len(self._hits), self._fits())
        if not count:
            return []
        pitch = min(2.0 * _MOST_PX + 10.0, (self.width() - 40) / count)
        most = max(_LEAST_PX, min(_MOST_PX, 0.5 * pitch - 1.5))
        loudest = max(self._db, default=0.0)
        found = []
        for n in range(count):
            share = max(0.0, 1.0 - (loudest - self._db[n]) / _SPAN_DB)
            found.append((pitch * (n + 0.5) + 2.0, _LEAST_PX + (most - _LEAST_PX) * share))
        return found

    def _hit_at(self, at: QPointF) -> int | None:
        places = self._places()
        if not places:
            return None
        n = min(range(len(places)), key=lambda k: abs(places[k][0] - at.x()))
        near = abs(places[n][0] - at.x()) <= max(places[n][1] + 3.0, 8.0)
        return n if near else None

    # The hand.

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        if event is not None and event.button() == Qt.MouseButton.LeftButton:
            self._pressed = event.position()

    def mouseMoveEvent(self, event: QMouseEvent | None) -> None:
        if event is None or self._pressed is None:
            return
        if (event.position() - self._pressed).manhattanLength() < _DRAG_PX:
            return
        n = self._hit_at(self._pressed)
        self._pressed = None
        if n is None:
            return
        drag = QDrag(self)
        drag.setMimeData(self.carried(self._hits[n]))
        drag.exec(Qt.DropAction.CopyAction | Qt.DropAction.MoveAction)

    def mouseReleaseEvent(self, event: QMouseEvent | None) -> None:
        if event is not None and self._pressed is not None:
            n = self._hit_at(event.position())
            if n is not None:
                self.chosen.emit(self._hits[n])
        self._pressed = None

    def contextMenuEvent(self, event: QContextMenuEvent | None) -> None:
        n = self._hit_at(QPointF(event.pos())) if event is not None else None
        if event is not None and n is not None:
            self.menu_wanted.emit(event.globalPos(), self._hits[n])

    def dragEnterEvent(self, event: QDragEnterEvent | None) -> None:
        data = event.mimeData() if event is not None else None
        if event is not None and data is not None and data.hasFormat(HIT_MIME):
            event.acceptProposedAction()
            self._welcomes = True
            self.update()

    def dragLeaveEvent(self, event: QDragLeaveEvent | None) -> None:
        self._welcomes = False
        self.update()

    def dropEvent(self, event: QDropEvent | None) -> None:
        self._welcomes = False
        self.update()
        hit = dropped_hit(event)
        if hit is not None:
            self.dropped.emit(hit)

    def event(self, event: object) -> bool:
        """Each drop's own words as a tooltip."""
        if isinstance(event, QHelpEvent):
            n = self._hit_at(QPointF(event.pos()))
            if n is not None:
                QToolTip.showText(event.globalPos(), self._said(n), self)
                return True
        return super().event(event)  # type: ignore[arg-type]

    def _said(self, n: int) -> str:
        level = f"{MINUS if self._db[n] < 0 else ''}{abs(self._db[n]):.1f} dB"
        doubt = f"; {self._doubts[n]}" if self._doubts[n] else ""
        out = "; left out" if self._hits[n] in self._out else ""
        return (
            f"{n + 1} of {len(self._hits)}, {level}{doubt}{out}. Click to hear it, drag it to "
            "another group, a pad, a layer or the desktop, right click for more."
        )

    def paintEvent(self, event: QPaintEvent | None) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        paint_ground(painter, self)
        if self._welcomes:
            painter.setPen(Qt.PenStyle.NoPen)
            painter.setBrush(theme.chosen_ground())
            painter.drawRoundedRect(QRectF(self.rect()), 6, 6)
        middle = self.height() / 2.0
        for n, (x, radius) in enumerate(self._places()):
            hit = self._hits[n]
            if hit == self._chosen:
                painter.setPen(QPen(theme.color("ink"), 1.4))
                painter.setBrush(Qt.BrushStyle.NoBrush)
                painter.drawEllipse(QPointF(x, middle), radius + 2.5, radius + 2.5)
            hollow = hit in self._out
            color = theme.color(self._dye, 120 if self._doubts[n] else 215)
            painter.setPen(QPen(color, 1.3) if hollow else Qt.PenStyle.NoPen)
            painter.setBrush(Qt.BrushStyle.NoBrush if hollow else color)
            painter.drawEllipse(QPointF(x, middle), radius, radius)
        left = len(self._hits) - self._fits()
        if left > 0:
            painter.setPen(theme.color("soft"))
            painter.setFont(theme.text_font(11))
            room = QRectF(self.width() - 38, 0, 36, self.height())
            painter.drawText(room, Qt.AlignmentFlag.AlignCenter, f"+{left}")


def hit_alone(hit: int) -> QMimeData:
    """A hit for another group, and for nothing else."""
    data = QMimeData()
    data.setData(HIT_MIME, QByteArray(str(hit).encode()))
    return data


def dropped_hit(event: QDropEvent | None) -> int | None:
    """The hit that was let go, if it was one."""
    data = event.mimeData() if event is not None else None
    if event is None or data is None or not data.hasFormat(HIT_MIME):
        return None
    event.acceptProposedAction()
    try:
        return int(bytes(data.data(HIT_MIME).data()).decode())
    except ValueError:
        return None
