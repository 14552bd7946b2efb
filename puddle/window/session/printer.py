"""Prints in the window: rendered on a worker, kept in the kit, reopened."""

from __future__ import annotations

from puddle.errors import PuddleError
from puddle.formats.sound import decoded_sound, wav_bytes
from puddle.kit import edits
from puddle.kit.edits import prints
from puddle.kit.edits.velocities import evenly
from puddle.kit.model.document import Content, Kit, Layer, Pad, Print, Sample
from puddle.kit.playing.velocity import hardest, lows_of, step_of, turns_of
from puddle.render.takeset import take_of
from puddle.window.session.session import Session

_MOST_TURNS = 4


class Printer:
    """Renders layers and sounds to samples, and restores the recipe of a rendered sample."""

    def __init__(self, session: Session) -> None:
        self._session = session

    def print_layer(self) -> None:
        """The selected layer becomes a sample of itself."""
        pad, layer = self._session.pad, self._session.layer
        if pad is None or layer is None:
            self._session.told.emit("Select the layer that is to be printed.")
            return
        self._print(pad.id, layer)

    def print_sound(self) -> None:
        """The whole selected sound becomes one layer, a sample of itself."""
        pad = self._session.pad
        if pad is None or not pad.sound.layers:
            self._session.told.emit("There is no sound to print.")
            return
        self._print(pad.id, None)

    def _print(self, pad_id: str, layer: Layer | None) -> None:
        session, journal = self._session, self._session.file.journal
        if journal is None:
            return
        kit, takes = session.kit, session.renders.takes
        pad = edits.pad_of(kit, pad_id)
        name = layer.name if layer else pad.name

        def work() -> Content | str:
            made = takes.layer(pad.sound, layer) if layer else takes.sound(hardest(pad.sound))
            try:
                raw = wav_bytes(made.audio, takes.rate_hz, "32f")
                return journal.store.add(decoded_sound(raw, name, ".wav"), f"{name} print.wav")
            except PuddleError as error:
                return str(error)

        def then(content: Content | str) -> None:
            if isinstance(content, str):
                session.told.emit(content)
            elif session.kit is not kit:
                session.told.emit(f"{pad.name} was edited meanwhile: print it again.")
            else:
                self._land(pad, layer, content)

        session.background.start(work, then, key="print")

    def _land(self, pad: Pad, layer: Layer | None, content: Content) -> None:
        session = self._session
        name = f"{layer.name if layer is not None else pad.name} printed"

        def printed(kit: Kit) -> Kit:
            if layer is not None:
                return prints.printed_layer(kit, pad.id, layer.id, content)
            return prints.printed_sound(kit, pad.id, content)

        session.edit(name, printed, large=True)
        session.settle()
        if layer is None:
            session.selection.select_layer("layer1")
        session.told.emit(f"{name}, at full velocity. Its recipe is kept: reopen it at any time.")

    def sample(self, strengths: int) -> None:
        """The whole selected sound becomes recordings of itself, so many strengths of them.

        Where it has turns every strength has them too, four at most. The recipe is kept.
        """
        session, journal, pad = self._session, self._session.file.journal, self._session.pad
        if journal is None or pad is None or not pad.sound.layers:
            session.told.emit("There is no sound to sample.")
            return
        kit, takes, sound = session.kit, session.renders.takes, pad.sound
        ranges = evenly(strengths)
        turns = min(_MOST_TURNS, turns_of(sound))

        def one(high: int, turn: int) -> Content:
            step = step_of(high, lows_of(sound))
            raw = wav_bytes(take_of(takes, sound, (step, turn, 0)), takes.rate_hz, "32f")
            name = f"{pad.name} {high} {turn + 1}.wav"
            return journal.store.add(decoded_sound(raw, name, ".wav"), name)

        def work() -> list[list[Content]] | str:
            try:
                return [[one(high, turn) for turn in range(turns)] for _, high in ranges]
            except PuddleError as error:
                return str(error)

        def then(rungs: list[list[Content]] | str) -> None:
            if isinstance(rungs, str):
                session.told.emit(rungs)
            elif session.kit is not kit:
                session.told.emit(f"{pad.name} was edited meanwhile: sample it again.")
            else:
                session.edit(
                    f"{pad.name} sampled at {strengths} velocities",
                    lambda kit: prints.sampled_sound(kit, pad.id, rungs, ranges),
                    large=True,
                )
                session.settle()
                session.selection.select_layer(None)
                count = strengths * turns
                session.told.emit(f"{pad.name} is {count} recordings of itself now; undo has it.")

        session.background.start(work, then, key="print")

    # The way back.

    @property
    def recipe(self) -> Print | None:
        """The recipe of the selected layer; of the only one where the whole is selected."""
        layer = self._printed()
        return prints.print_of(self._session.kit, layer) if layer is not None else None

    @property
    def content(self) -> str:
        """The hash of the sample that has that recipe; empty where there is none."""
        layer = self._printed()
        if layer is None or self.recipe is None or not isinstance(layer.source, Sample):
            return ""
        return layer.source.content

    def _printed(self) -> Layer | None:
        session, pad = self._session, self._session.pad
        if session.layer is not None or pad is None or len(pad.sound.layers) != 1:
            return session.layer
        return pad.sound.layers[0]

    def reopen(self) -> None:
        """The recipe comes back in the place of its print; where it cannot, on a free pad."""
        session, pad, layer = self._session, self._session.pad, self._printed()
        made_of = self.recipe
        if pad is None or layer is None or made_of is None:
            session.told.emit("The selected layer was not printed: it has no recipe to reopen.")
            return
        if not prints.can_reopen_in_place(pad.sound, layer, made_of):
            self.reopen_beside()
            return
        session.edit(
            f"{layer.name}: recipe reopened",
            lambda kit: prints.reopened(kit, pad.id, layer.id),
            large=True,
        )
        session.settle()
        if not made_of.layer:
            session.selection.select_layer(None)

    def reopen_beside(self) -> None:
        """The recipe as a sound on a free pad; the print stays as it is."""
        session, pad, made_of = self._session, self._session.pad, self.recipe
        if pad is None or made_of is None:
            return
        new = session.make(
            f"recipe of {pad.name} on a pad of its own",
            lambda kit: edits.add_pad(kit, f"{pad.name} recipe", pad.role, made_of.sound),
        )
        if new is not None:
            session.selection.select_pad(new.id)
            session.told.emit(f"The recipe is on a pad of its own: {new.name}.")
