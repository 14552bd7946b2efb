"""The shelf: snapshots of a pad's sound, and references for the whole kit."""

from __future__ import annotations

import msgspec

from puddle.errors import EditError
from puddle.kit.edits.items import fresh_id, replaced
from puddle.kit.edits.pads import pad_of, with_pad
from puddle.kit.model.document import Kit, Pad, Snapshot, Sound
from puddle.kit.model.reference import FileReference, PadReference, Reference
from puddle.parameter import changed

replace = msgspec.structs.replace
MOST_BY_ITSELF = 8  # of a pad; older ones make room
MOST_REFERENCES = 64


def take_snapshot(
    kit: Kit, pad_id: str, name: str, sound: Sound | None = None, *, by_itself: bool = False
) -> tuple[Kit, Snapshot]:
    """A snapshot of a pad's sound, or of a sound that it had; the newest is last."""
    pad = pad_of(kit, pad_id)
    taken = [s.id for s in pad.snapshots]
    snapshot = Snapshot(
        id=fresh_id("snapshot", taken),
        name=name[:120],
        sound=sound or pad.sound,
        by_itself=by_itself,
    )
    kept = list(pad.snapshots)
    own = [s for s in kept if s.by_itself]
    if by_itself and len(own) >= MOST_BY_ITSELF:
        kept.remove(own[0])
    return with_pad(kit, pad, replace(pad, snapshots=(*kept, snapshot))), snapshot


def snapshot_of(pad: Pad, snapshot_id: str) -> Snapshot:
    """A pad's snapshot. Raises EditError if there is none."""
    for snapshot in pad.snapshots:
        if snapshot.id == snapshot_id:
            return snapshot
    raise EditError(f"{pad.name} has no snapshot “{snapshot_id}”.")


def restore_snapshot(kit: Kit, pad_id: str, snapshot_id: str) -> Kit:
    """The pad with the sound of a snapshot, which stays on the shelf."""
    pad = pad_of(kit, pad_id)
    return with_pad(kit, pad, replace(pad, sound=snapshot_of(pad, snapshot_id).sound))


def rename_snapshot(kit: Kit, pad_id: str, snapshot_id: str, name: str) -> Kit:
    """A snapshot under another name; one that was named by hand is kept as if taken by hand."""
    pad = pad_of(kit, pad_id)
    old = snapshot_of(pad, snapshot_id)
    new = replace(old, name=name[:120], by_itself=False)
    return with_pad(kit, pad, replace(pad, snapshots=replaced(pad.snapshots, old, new)))


def remove_snapshot(kit: Kit, pad_id: str, snapshot_id: str) -> Kit:
    """The pad without a snapshot."""
    pad = pad_of(kit, pad_id)
    gone = snapshot_of(pad, snapshot_id)
    return with_pad(
        kit, pad, replace(pad, snapshots=tuple(s for s in pad.snapshots if s is not gone))
    )


def _reference_of(kit: Kit, reference_id: str) -> Reference:
    for reference in kit.references:
        if reference.id == reference_id:
            return reference
    raise EditError(f"The kit has no reference “{reference_id}”.")


def add_file_reference(
    kit: Kit, name: str, path: str, start_ms: float, end_ms: float, beats: int = 0
) -> tuple[Kit, FileReference]:
    """A region of a file as a reference."""
    key = fresh_id("reference", [r.id for r in kit.references])
    made = FileReference(id=key, name=name[:120], path=path)
    made = changed(made, start_ms=start_ms, end_ms=end_ms, beats=float(beats))
    return _with_reference(kit, made), made


def add_pad_reference(kit: Kit, pad_id: str) -> tuple[Kit, Reference]:
    """Another pad as a reference; one that is there already stays."""
    pad_of(kit, pad_id)
    for reference in kit.references:
        if isinstance(reference, PadReference) and reference.pad == pad_id:
            return kit, reference
    made = PadReference(id=fresh_id("reference", [r.id for r in kit.references]), pad=pad_id)
    return _with_reference(kit, made), made


def _with_reference(kit: Kit, reference: Reference) -> Kit:
    if len(kit.references) >= MOST_REFERENCES:
        raise EditError(f"The shelf holds {MOST_REFERENCES} references: take one away first.")
    return replace(kit, references=(*kit.references, reference))


def set_file_reference(kit: Kit, reference_id: str, **values: object) -> Kit:
    """New values for a file's region, or its beats."""
    old = _reference_of(kit, reference_id)
    if not isinstance(old, FileReference):
        raise EditError("Only a file's region can be set.")
    return replace(kit, references=replaced(kit.references, old, changed(old, **values)))


def remove_reference(kit: Kit, reference_id: str) -> Kit:
    """The kit without a reference; its file stays where it is."""
    gone = _reference_of(kit, reference_id)
    return replace(kit, references=tuple(r for r in kit.references if r is not gone))
