"""Four sources of lines on sockets, each at its own pace: ``python benchmarks/lines.py PER_SECOND``. Prints the ports.

A line holds the moment it was sent (seconds of the boot clock), volts, amperes and its number.
"""

from __future__ import annotations

import json
import math
import socket
import sys
import threading
import time

SOURCES = 4


def serve(listener: socket.socket, per_second: float) -> None:
    connection, _ = listener.accept()
    connection.setsockopt(socket.IPPROTO_TCP, socket.TCP_NODELAY, 1)
    began, sent = time.monotonic(), 0
    try:
        while True:
            due = began + sent / per_second
            if (left := due - time.monotonic()) > 0:
                time.sleep(left)
            now = time.clock_gettime(time.CLOCK_BOOTTIME)
            connection.sendall(f"{now:.6f},{13 + 0.01 * math.sin(now):.4f},{5 + 0.1 * math.cos(now):.4f},{sent}\n".encode())
            sent += 1
    except OSError:
        return


def main(per_second: float) -> None:
    listeners = [socket.create_server(("127.0.0.1", 0)) for _ in range(SOURCES)]
    print(json.dumps([x.getsockname()[1] for x in listeners]), flush=True)
    threads = [threading.Thread(target=serve, args=(x, per_second)) for x in listeners]
    for thread in threads:
        thread.start()
    for thread in threads:
        thread.join()


if __name__ == "__main__":
    main(float(sys.argv[1]))
