"""What the engine calls its buses; nothing compiled is needed to know that."""

DIRECT = ""  # the bus of pads that go to none
MASTER = "\0master"


def pad_node(pad_id: str) -> str:
    """The name of a pad's own bus."""
    return f"\0pad:{pad_id}"


def way_node(name: str, target: str) -> str:
    """The way of a bus to where it flows."""
    return f"\0way:{name}>{target}"


def send_node(name: str, target: str) -> str:
    """The way of a bus to where it is sent."""
    return f"\0send:{name}>{target}"


def plain_node(bus_id: str) -> str:
    """The name of the bus of pads without stages, beside pads' own buses."""
    return f"\0plain:{bus_id}"
