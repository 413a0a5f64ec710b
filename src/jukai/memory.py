"""How this process asks the system for memory, and looks for what is no longer used."""

from __future__ import annotations

import ctypes
import gc

__all__ = ["keep_freed_memory", "leave_alone"]

_TRIM_THRESHOLD, _TOP_PAD, _MMAP_THRESHOLD = -1, -2, -3  # names of malloc.h
_MB = 1 << 20


def keep_freed_memory() -> None:
    """Let freed arrays be used again instead of going back to the system at once.

    Every new array of some megabytes otherwise costs a page fault for each 4 kB of it, which is
    more than most steps cost to compute. What is kept is bounded by the most that was in use.
    Nothing happens where the C library is another than glibc.
    """
    try:
        option = ctypes.CDLL(None).mallopt
    except (AttributeError, OSError, TypeError):
        return
    option(_MMAP_THRESHOLD, 32 * _MB)  # the greatest that glibc takes
    option(_TRIM_THRESHOLD, 1024 * _MB)
    option(_TOP_PAD, 16 * _MB)


def leave_alone() -> None:
    """Have the collector of garbage pass over all objects that are there now.

    The modules, the compiler's most of all, hold a million of them for as long as the process lives. Going through these
    takes a fifth of a second, in which a number that is dragged stands still.
    """
    gc.freeze()
