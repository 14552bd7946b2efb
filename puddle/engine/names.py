"""What the engine calls its buses; nothing compiled is needed to know that."""

DIRECT = ""  # the bus of pads that go to none
MASTER = "\0master"


def pad_node(pad_id: str) -> str:
    """The name of a pad's own bus."""
    return f"\0pad:{pad_id}"


def plain_node(bus_id: str) -> str:
    """The name of the bus of pads without stages, beside pads' own buses."""
    return f"\0plain:{bus_id}"
