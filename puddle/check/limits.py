"""The rules and their thresholds: one table, that a person may edit."""

from __future__ import annotations

from collections.abc import Mapping

import msgspec

from puddle.check.finding import Level


class Rule(msgspec.Struct, frozen=True):
    """A rule; `unit` is empty where it has no threshold."""

    id: str
    title: str
    level: Level
    says: str
    unit: str = ""
    limit: float = 0.0
    low: float = 0.0
    high: float = 0.0


RULES: tuple[Rule, ...] = (
    Rule("clips", "True peak over", "warning", "How high a strike at full strength may come.",
         "dBTP", -1.0, -12.0, 6.0),
    Rule("clipped-sample", "Clipped in a row", "warning",
         "How many samples in a row may stand at full scale in a recording.", "samples", 3, 2, 64),
    Rule("silent", "Silent under", "error", "A pad whose strike stays under it is silent.",
         "dBFS", -60.0, -120.0, -20.0),
    Rule("late", "Start later than", "warning", "How late a strike may begin.",
         "ms", 1.0, 0.2, 50.0),
    Rule("start-click", "Start jumps over", "note",
         "How high the first sample may stand beside the peak of a swelling sound.",
         "dB", -26.0, -60.0, 0.0),
    Rule("cut-off", "Tail cut above", "warning",
         "How loud a sound may still be, beside its peak, where it ends.",
         "dB", -60.0, -90.0, -20.0),
    Rule("end-silence", "Silence at the end", "note", "How long nothing may be heard at the end.",
         "ms", 500.0, 50.0, 10000.0),
    Rule("dc", "DC over", "warning", "How far the mean may stand off zero, of full scale.",
         "%", 1.0, 0.1, 20.0),
    Rule("off-key", "Off pitch by", "warning",
         "How far a bass, tom or kick may lie from a note of the kit's key.",
         "ct", 25.0, 3.0, 50.0),
    Rule("cancelling", "Layers lose over", "warning",
         "How much of its level a band may lose between two layers.", "dB", 3.0, 1.0, 12.0),
    Rule("mono-low", "Mono loses over", "warning",
         "How much of what lies under 150 Hz may be lost in mono.", "dB", 2.0, 0.5, 12.0),
    Rule("strength-order", "Falls with strength by", "warning",
         "By how much a harder strike may be softer.", "dB", 0.5, 0.1, 6.0),
    Rule("strength-jump", "Strength jumps by", "warning",
         "By how much loudness may rise from one velocity to the next.", "dB", 6.0, 2.0, 24.0),
    Rule("velocity-gap", "Velocities without sound", "warning",
         "Strikes of some velocities that play nothing."),
    Rule("velocity-overlap", "Velocities twice", "note",
         "Recordings of two strengths that sound together without a blend."),
    Rule("turns-apart", "Turns apart by", "note", "How much the turns may differ in loudness.",
         "dB", 3.0, 0.5, 12.0),
    Rule("turns-alike", "Turns alike", "note", "A round robin whose turns are the same sound."),
    Rule("missing-sample", "Missing samples", "error", "Samples that the kit names and lacks."),
    Rule("damaged-sample", "Damaged samples", "error", "Samples that are not as they were saved."),
    Rule("unused-sample", "Unused samples", "note", "Samples that nothing plays."),
    Rule("loudness", "Off its role by", "note",
         "How far a pad may lie from the loudness of its role.", "dB", 8.0, 2.0, 30.0),
    Rule("name", "Names", "warning",
         "Names that are empty, there twice, or that other systems cannot write."),
    Rule("no-note", "Pads without notes", "note", "Pads that no key plays."),
    Rule("note-twice", "Notes twice", "warning", "Keys that play several pads."),
    Rule("key-gap", "Gaps between keys", "note", "Keys missing within a pad that follows keys."),
    Rule("loop-click", "Loop jumps over", "warning",
         "How sharply a wave may bend where its loop goes round, beside its sharpest bend.",
         "dB", 6.0, 0.0, 24.0),
    Rule("unheard", "Muted or solo", "note", "Pads that are silenced by a switch."),
    Rule("license", "License note", "note", "Whether the kit says how it may be used."),
    Rule("author", "Author", "note", "Whether the kit says who made it."),
)  # fmt: skip
BY_ID: dict[str, Rule] = {rule.id: rule for rule in RULES}


class Limits:
    """The thresholds that hold: those of the table, with some set otherwise or switched off."""

    def __init__(
        self,
        own: Mapping[str, float] | None = None,
        off: frozenset[str] = frozenset(),
        role_lufs: Mapping[str, float] | None = None,
    ) -> None:
        """`role_lufs` is the loudness of roles where it is not the one that ships."""
        self._own, self._off = dict(own or {}), off
        self.role_lufs = dict(role_lufs or {})

    @property
    def signature(self) -> object:
        """Equal where all thresholds are."""
        own, roles = sorted(self._own.items()), sorted(self.role_lufs.items())
        return tuple(own), tuple(sorted(self._off)), tuple(roles)

    def on(self, rule: str) -> bool:
        """Whether a rule is looked at."""
        return rule not in self._off

    def of(self, rule: str) -> float:
        """The threshold of a rule, in its unit and range."""
        row = BY_ID[rule]
        return min(row.high, max(row.low, float(self._own.get(rule, row.limit))))
