"""Edits: functions from a kit to a kit.

Every number is brought into its declared range; a name that the kit does not hold raises
EditError, and the kit given is never touched. Here are those of pads, layers and buses; the other
modules have what is done less often.
"""

from puddle.kit.edits.buses import (
    add_bus as add_bus,
)
from puddle.kit.edits.buses import (
    add_content as add_content,
)
from puddle.kit.edits.buses import (
    bus_of as bus_of,
)
from puddle.kit.edits.buses import (
    remove_bus as remove_bus,
)
from puddle.kit.edits.buses import (
    set_bus as set_bus,
)
from puddle.kit.edits.buses import (
    set_kit as set_kit,
)
from puddle.kit.edits.buses import (
    set_master as set_master,
)
from puddle.kit.edits.layers import (
    add_layer as add_layer,
)
from puddle.kit.edits.layers import (
    copy_layers as copy_layers,
)
from puddle.kit.edits.layers import (
    layer_of as layer_of,
)
from puddle.kit.edits.layers import (
    move_layer as move_layer,
)
from puddle.kit.edits.layers import (
    new_layer as new_layer,
)
from puddle.kit.edits.layers import (
    remove_layer as remove_layer,
)
from puddle.kit.edits.layers import (
    set_band as set_band,
)
from puddle.kit.edits.layers import (
    set_envelope as set_envelope,
)
from puddle.kit.edits.layers import (
    set_layer as set_layer,
)
from puddle.kit.edits.layers import (
    set_reach as set_reach,
)
from puddle.kit.edits.layers import (
    set_source as set_source,
)
from puddle.kit.edits.layers import (
    with_layer as with_layer,
)
from puddle.kit.edits.layers import (
    with_layers as with_layers,
)
from puddle.kit.edits.pads import (
    add_pad as add_pad,
)
from puddle.kit.edits.pads import (
    move_pad as move_pad,
)
from puddle.kit.edits.pads import (
    pad_of as pad_of,
)
from puddle.kit.edits.pads import (
    remove_pad as remove_pad,
)
from puddle.kit.edits.pads import (
    set_pad as set_pad,
)
from puddle.kit.edits.pads import (
    set_sound as set_sound,
)
from puddle.kit.edits.pads import (
    with_pad as with_pad,
)
