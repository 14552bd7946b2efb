"""Align: a shift and a polarity for the selected layer, tried before they are kept."""

from __future__ import annotations

import numpy as np

from puddle.kit import edits
from puddle.kit.model.document import Layer, Sound
from puddle.kit.playing.velocity import hardest
from puddle.measure.alignment import MOST_MS, Alignment, NoAlignment, alignment
from puddle.render.take import Takes, heard_layers
from puddle.units import THIN, with_unit
from puddle.window.session.session import Session
from puddle.window.session.trial import Trial

_WORTH_DB = 0.05
_DECIMALS = 4  # of a millisecond: a two-hundredth of a frame


class Aligner:
    """Asks for a proposal, and hands it over to be tried."""

    def __init__(self, session: Session, trial: Trial) -> None:
        self._session = session
        self._trial = trial

    def propose_or_keep(self) -> None:
        """Tries a proposal, or keeps the one that is tried."""
        (self._trial.keep if self._trial.trying else self.propose)()

    def propose(self) -> None:
        """Asks how the selected layer is moved to add best to the others."""
        session = self._session
        pad, layer = session.pad, session.layer
        if pad is None or layer is None:
            session.told.emit("Select the layer that is to be moved.")
            return
        others = [k for k in heard_layers(hardest(pad.sound)) if k.id != layer.id]
        if not others:
            session.told.emit(f"{layer.name} is alone: there is nothing to align it with.")
            return
        kit, takes, sound = session.kit, session.renders.takes, pad.sound

        def then(found: Alignment | NoAlignment) -> None:
            if session.kit is kit and session.layer is layer:
                self._show(layer, found)

        session.background.start(lambda: _found(takes, sound, layer, others), then, key="align")

    def _show(self, layer: Layer, found: Alignment | NoAlignment) -> None:
        session = self._session
        if isinstance(found, NoAlignment):
            reason = found.reason.replace("the first", "the rest of the sound")
            reason = reason.replace("the second", layer.name)
            session.told.emit(f"{layer.name} stays where it is: {reason}.")
            return
        if found.gain_db < _WORTH_DB:
            session.told.emit(f"{layer.name} already adds up with the others as well as it can.")
            return
        ms = 1000.0 * found.shift_frames / session.renders.takes.rate_hz
        pad_id = session.pad_id
        offset_ms = round(layer.offset_ms + ms, _DECIMALS)
        flip = layer.flip != found.invert
        moved = f"{abs(ms):.2f}{THIN}ms {'later' if ms > 0.0 else 'earlier'}"
        moved += ", flipped" if found.invert else ""
        won = with_unit(found.gain_db, "dB", 1)
        name = f"{layer.name}: aligned {moved}"
        self._trial.offer(
            lambda kit: edits.set_layer(kit, pad_id, layer.id, offset_ms=offset_ms, flip=flip),
            name,
            f"{layer.name} {moved}: {won} where both sound",
            f"{name}: {won} won where both sound.",
        )


def _found(
    takes: Takes, sound: Sound, layer: Layer, others: list[Layer]
) -> Alignment | NoAlignment:
    parts = [takes.placed(sound, k) for k in others]
    rest = np.zeros((max(p.shape[0] for p in parts), 2), np.float32)
    for part in parts:
        rest[: part.shape[0]] += part
    return alignment(rest, takes.placed(sound, layer), takes.rate_hz, MOST_MS)
