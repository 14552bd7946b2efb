"""A row of stages and its edits, wherever it stands: on a layer, a sound, a bus or the master."""

from __future__ import annotations

from typing import Any

from msgspec.structs import replace
from PyQt6.QtCore import QObject, pyqtSignal
from PyQt6.QtWidgets import QMenu

from puddle.errors import PuddleError
from puddle.kit.edits import rows
from puddle.kit.edits.rows import RowPath
from puddle.kit.model.address import Address, Of
from puddle.kit.model.document import Stage
from puddle.parameter import Parameter, parameter
from puddle.stages import Equalizer
from puddle.window.editors.assigner import Assigner
from puddle.window.editors.stage_cards import StageRow
from puddle.window.editors.stage_sets import Shown, StageSets
from puddle.window.session.session import Session
from puddle.window.widgets.gauge import Gauge

_SEARCH_DB, _SEARCH_Q = 15.0, 9.0
_CUT_DB, _CUT_Q = -6.0, 5.0


class RowEditor(QObject):
    """Turns what the cards of a row ask for into edits of the kit."""

    equalizer_changed = pyqtSignal()
    band_chosen = pyqtSignal(str)
    way_changed = pyqtSignal()  # a branch was entered or left

    def __init__(self, session: Session, assigner: Assigner) -> None:
        super().__init__()
        self._session = session
        self._assigner = assigner
        self.path = RowPath()
        self.who = ""
        self._base: RowPath | None = None
        self._way: tuple[str, ...] = ()  # the branch whose row is shown
        self.shown = False
        row = self.stages = StageRow()
        row.value_changed.connect(self._set_process)
        row.level_changed.connect(self._set_level)
        row.switch_changed.connect(self._switch_stage)
        row.key_changed.connect(self._set_key)
        row.moved.connect(self._move_stage)
        row.removed.connect(self._remove_stage)
        row.added.connect(self.add_stage)
        row.hand_off.connect(session.settle)
        row.entered.connect(self._enter)
        row.left.connect(self._leave)
        self.sets = StageSets(session, row, lambda: Shown(self.path, self.who, self._stages()))
        row.sets_wanted.connect(self.sets.fill)
        row.opened.connect(self.equalizer_changed)
        row.band_chosen.connect(self.band_chosen)
        row.offers = self._offers

    def show_row(self, path: RowPath | None, who: str) -> None:
        """Shows the row at a path, named for undo; None where there is no row to show."""
        self.shown = path is not None
        if path != self._base:
            self._base, self._way = path, ()
        path = self._inside(path)
        self.path, self.who = path or self._session.row, who
        self.stages.show_way(who if self._way else "", self._told_way())
        self.stages.shows_hits = bool(self.path.pad and not self.path.live)
        stages = rows.stages_at(self._session.kit, path) if path is not None else ()
        keys = rows.keys_at(self._session.kit, path) if path is not None else []
        self.stages.show_stages(stages, self._session.renders.takes.rate_hz, keys)
        self.equalizer_changed.emit()

    def _told_way(self) -> str:
        """Where the row that is shown stands: "Branch 2 of Keel"."""
        told, outer = [], self._base
        for depth, stage_id in enumerate(self._way):
            row = replace(outer, branches=self._way[:depth]) if outer is not None else self.path
            ids = [s.id for s in rows.stages_at(self._session.kit, row)]
            told.append(f"branch {ids.index(stage_id) + 1 if stage_id in ids else '?'}")
        return f"Inside {' › '.join(told)} of {self.who}" if told else ""

    def _offers(self, stage_id: str, of: Of, menu: QMenu, field: str) -> None:
        """What the context menu of a stage's gauge offers."""
        self._assigner.fill(menu, Address(of=of, field=field, **self.path.place(stage_id)))

    def _inside(self, path: RowPath | None) -> RowPath | None:
        """The row of the branch that was entered, as long as it is there."""
        while path is not None and self._way:
            inner = replace(path, branches=self._way)
            try:
                rows.stages_at(self._session.kit, inner)
            except PuddleError:
                self._way = self._way[:-1]
                continue
            return inner
        return path

    def _stages(self) -> tuple[Stage, ...]:
        """The row's stages; none where the row has gone while a menu was open."""
        try:
            return rows.stages_at(self._session.kit, self.path)
        except PuddleError:
            return ()

    def _enter(self, stage_id: str) -> None:
        self._way = (*self._way, stage_id)
        self.show_row(self._base, self.who)
        self.way_changed.emit()

    def _leave(self) -> None:
        self._way = self._way[:-1]
        self.show_row(self._base, self.who)
        self.way_changed.emit()

    def gauge(self, branches: tuple[str, ...], stage_id: str, of: Of, field: str) -> Gauge | None:
        """A gauge of a stage, or of its process, opened on the way; None where it has none."""
        self._way = branches
        self.show_row(self._base, self.who)
        self.stages.open(stage_id)
        return self.stages.gauge(stage_id, of, field)

    def hide_row(self, who: str) -> None:
        """No row is shown: the selected sound's or layer's is what the spectrum speaks of."""
        self.shown = False
        self.path, self.who = self._session.row, who

    @property
    def equalizer_stage(self) -> Any:
        """The stage whose curve lies on the spectrum: the open equalizer, else the first."""
        if self.shown:
            opened = self.stages.open_stage
            if opened is not None and isinstance(opened.process, Equalizer):
                return opened
            stages = tuple(card.stage for card in self.stages.cards)
        elif self._session.pad is None:
            return None
        else:
            stages = self._stages()
        return next((s for s in stages if isinstance(s.process, Equalizer)), None)

    def _set_process(self, stage_id: str, values: dict[str, Any], known: Parameter | None) -> None:
        row = self.path
        stage = next((s for s in self._stages() if s.id == stage_id), None)
        if stage is None:
            return
        shown = stage.process.noun
        mark: object = (row, stage_id, tuple(values))
        if known is not None:
            value = values[known.field]
            text = known.text(value) if isinstance(value, float) else str(value)
            shown += f" {known.part} {known.label}".replace("  ", " ").lower() + f" {text}"
            mark = mark if known.kind in ("number", "whole") else None
        else:
            told = [(parameter(type(stage.process), f), v) for f, v in values.items()]
            shown += "".join(f" {p.label.lower()} {p.text(p.clamped(v))}" for p, v in told)
        self._session.edit(
            f"{self.who}: {shown}",
            lambda kit: rows.set_process(kit, row, stage_id, **values),
            mark,
        )

    def _set_level(self, stage_id: str, field: str, value: Any, known: Parameter) -> None:
        """A level or a switch that every stage has."""
        row = self.path
        text = known.text(value) if isinstance(value, float) else "on" if value else "off"
        self._session.edit(
            f"{self.who}: {self._noun(stage_id)} {known.label.lower()} {text}",
            lambda kit: rows.set_stage(kit, row, stage_id, **{field: value}),
            (row, stage_id, field) if known.kind == "number" else None,
        )

    def set_equalizer(self, values: dict[str, Any], band: str) -> None:
        """A handle on the spectrum has moved."""
        stage = self.equalizer_stage
        if stage is None:
            return
        row = self.path
        self._session.edit(
            f"{self.who}: equalizer {band.lower()}",
            lambda kit: rows.set_process(kit, row, stage.id, **values),
            (row, stage.id, band),
        )

    def _free_bell(self) -> str | None:
        """The bell that a search borrows: a flat one, the one that is shown before others."""
        process = self.equalizer_stage.process
        flat = [f"Bell {n}" for n in range(1, 5) if getattr(process, f"bell{n}_db") == 0.0]
        if not flat:
            self._session.told.emit(
                "All four bells are in use: set one to 0 dB, or add another equalizer."
            )
            return None
        return self.stages.band if self.stages.band in flat else flat[0]

    def search(self, hz: float) -> None:
        """A narrow boost is heard there; the kit stays as it is."""
        stage = self.equalizer_stage
        band = self._free_bell() if stage is not None else None
        if band is not None:
            bell = band.replace(" ", "").lower()
            values = {f"{bell}_hz": hz, f"{bell}_db": _SEARCH_DB, f"{bell}_q": _SEARCH_Q}
            self._session.playing.hear(
                rows.set_process(self._session.kit, self.path, stage.id, **values)
            )

    def cut_at(self, hz: float) -> None:
        """What the search has found is cut: an edit."""
        self._session.playing.hear(None)
        band = self._free_bell() if self.equalizer_stage is not None else None
        if band is not None:
            bell = band.replace(" ", "").lower()
            self.set_equalizer({f"{bell}_hz": hz, f"{bell}_db": _CUT_DB, f"{bell}_q": _CUT_Q}, band)
            self._session.settle()

    def _switch_stage(self, stage_id: str, on: bool) -> None:
        row = self.path
        word = "on" if on else "bypassed"
        self._session.edit(
            f"{self.who}: {self._noun(stage_id)} {word}",
            lambda kit: rows.set_stage(kit, row, stage_id, on=on),
        )

    def _set_key(self, stage_id: str, key: str) -> None:
        kit, row = self._session.kit, self.path
        if not any(s.id == stage_id and s.key != key for s in self._stages()):
            return
        name = dict(rows.keys_at(kit, row)).get(key, "its own input")
        self._session.edit(
            f"{self.who}: {self._noun(stage_id)} keyed by {name}",
            lambda kit: rows.set_stage(kit, row, stage_id, key=key),
        )

    def _noun(self, stage_id: str) -> str:
        return next((s.process.noun for s in self._stages() if s.id == stage_id), "stage")

    def _move_stage(self, stage_id: str, to: int) -> None:
        row = self.path
        if 0 <= to < len(self._stages()):
            self._session.edit(
                f"{self.who}: {self._noun(stage_id)} to place {to + 1}",
                lambda kit: rows.move_stage(kit, row, stage_id, to),
            )

    def _remove_stage(self, stage_id: str) -> None:
        row = self.path
        self._session.edit(
            f"{self.who}: {self._noun(stage_id)} out",
            lambda kit: rows.remove_stage(kit, row, stage_id),
        )

    def add_stage(self, process: Any) -> None:
        """Another stage at the end of the row, open."""
        row = self.path
        stage = self._session.make(
            f"{self.who}: {process.noun} in", lambda kit: rows.add_stage(kit, row, process)
        )
        if stage is not None:
            self.stages.open(stage.id)
