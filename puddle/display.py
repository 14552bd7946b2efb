"""Whether there is a screen for a window: Qt would end the process where there is none."""

from __future__ import annotations

import ctypes
import ctypes.util
import os
from pathlib import Path

_WITHOUT = ("offscreen", "minimal", "vnc", "linuxfb", "eglfs")


def chosen_platform() -> str:
    """The Qt platform that the environment names, if it does."""
    return os.environ.get("QT_QPA_PLATFORM", "").split(":")[0].split(";")[0]


def why_none() -> str:
    """Why no window can be shown, in words; "" where one can."""
    if chosen_platform() in _WITHOUT:
        return ""
    wayland, x11 = os.environ.get("WAYLAND_DISPLAY", ""), os.environ.get("DISPLAY", "")
    if wayland and chosen_platform() != "xcb":
        folder = os.environ.get("XDG_RUNTIME_DIR", "")
        if (Path(folder) / wayland).exists():
            return ""
    if not x11:
        return "there is no display (neither DISPLAY nor WAYLAND_DISPLAY is of use)"
    return "" if _x11_answers(x11) else f"the display {x11} does not answer"


def _x11_answers(name: str) -> bool:
    """Connects to an X server, as libxcb does; True where there is no libxcb to ask."""
    library = ctypes.util.find_library("xcb")
    if library is None:
        return True
    xcb = ctypes.CDLL(library)
    xcb.xcb_connect.restype = ctypes.c_void_p
    xcb.xcb_connect.argtypes = [ctypes.c_char_p, ctypes.c_void_p]
    xcb.xcb_connection_has_error.argtypes = [ctypes.c_void_p]
    xcb.xcb_disconnect.argtypes = [ctypes.c_void_p]
    connection = xcb.xcb_connect(name.encode(), None)
    failed = bool(xcb.xcb_connection_has_error(connection))
    xcb.xcb_disconnect(connection)
    return not failed
