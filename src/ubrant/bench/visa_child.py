"""A VISA driver in a process of its own: ``python -m ubrant.bench.visa_child ADDRESS`` is told what to send and when to read, over its pipes.

Orders are a letter (W, R), a length of four bytes and so many bytes; answers a length and so many bytes. It ends when its input does.
"""

from __future__ import annotations

import struct
import sys

_FAILED = 0xFFFFFFFF
_WAITS_MS = 60_000


def main(address: str) -> None:
    import pyvisa  # slow to import, and needed only here

    orders, answers = sys.stdin.buffer, sys.stdout.buffer

    def answer(data: bytes | None) -> None:
        answers.write(struct.pack(">I", _FAILED if data is None else len(data)) + (data or b""))
        answers.flush()

    try:
        resource = pyvisa.ResourceManager("@py").open_resource(address, timeout=_WAITS_MS, read_termination="\n")
    except Exception:  # of the driver, of its libraries, of the address: what is open is not, whatever it is
        answer(None)
        return
    answer(b"")
    while len(head := orders.read(5)) == 5:
        kind, length = head[:1], struct.unpack(">I", head[1:])[0]
        data = orders.read(length)
        try:
            if kind == b"W":
                resource.write_raw(data)
            else:
                answer(resource.read_raw())
        except Exception:
            answer(None)


if __name__ == "__main__":
    main(sys.argv[1])
