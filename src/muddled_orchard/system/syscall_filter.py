"""A filter of system calls for the sandbox: what holds memory that belongs to no process is not there.

Memory of processes and of file systems can be added up and bounded. What a `memfd`, a segment or a queue of
System V holds while nobody has it open in memory can't: nothing that a check needs uses them.
"""

from __future__ import annotations

import platform
import struct

_LOAD, _EQUAL, _AT_LEAST, _RETURN = 0x20, 0x15, 0x35, 0x06  # bpf(4), classic instructions
_NUMBER, _ARCHITECTURE = 0, 4  # where they stand in struct seccomp_data (seccomp(2))
_ALLOW, _REFUSE = 0x7FFF0000, 0x00050000 | 38  # 38: ENOSYS

# The number that the kernel has for a machine, and of memfd_create, memfd_secret, shmget, msgget there.
_MACHINES = {
    "x86_64": (0xC000003E, (319, 447, 29, 68)),
    "aarch64": (0xC00000B7, (279, 447, 194, 186)),
}
_OTHER_ABI = 0x40000000  # x32: the same kernel's other way to call (only there)


def refusing_filter(machine: str = platform.machine()) -> bytes | None:
    """The filter as a program of the kernel's; None for a machine whose numbers are not known here."""
    if machine not in _MACHINES:
        return None
    architecture, numbers = _MACHINES[machine]
    refused = len(numbers) + 1
    program = [
        (_LOAD, 0, 0, _ARCHITECTURE),
        (_EQUAL, 0, refused + 2, architecture),  # another one's calls have other numbers: none is allowed
        (_LOAD, 0, 0, _NUMBER),
        (_AT_LEAST, refused, 0, _OTHER_ABI),
        *((_EQUAL, refused - place, 0, number) for place, number in enumerate(numbers, start=1)),
        (_RETURN, 0, 0, _ALLOW),
        (_RETURN, 0, 0, _REFUSE),
    ]
    return b"".join(struct.pack("=HBBI", *instruction) for instruction in program)
