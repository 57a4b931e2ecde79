"""The world process: ``python -m ubrant.bench.standins`` reads a scenario from standard input and prints its ports as JSON."""

from __future__ import annotations

import json
import selectors
import socket
import sys
import time

from ubrant.bench.standins.scenario import from_json
from ubrant.bench.standins.scpi import ScpiDevice, clock_device, load_device, meter_device
from ubrant.bench.standins.world import World

_NEVER_CALLED_S = 30.0


class _Client:
    def __init__(self, connection: socket.socket, device: ScpiDevice, is_clock: bool) -> None:
        self.connection, self.device, self.is_clock = connection, device, is_clock
        self.pending = b""

    def serve(self) -> bool:
        """Read what has come and answer it; False once the other end has gone."""
        try:
            data = self.connection.recv(65536)
        except OSError:
            return False
        if not data:
            return False
        *lines, self.pending = (self.pending + data).split(b"\n")
        for line in lines:
            answer = self.device.answer(line.decode("ascii", "replace"))
            if answer is not None:
                try:
                    self.connection.sendall(answer.encode() + b"\n")
                except OSError:
                    return False
        return True


class Server:
    """Serves all sockets in one thread, so that the order of commands is the order of events."""

    def __init__(self, world: World) -> None:
        self.world = world
        self.selector = selectors.DefaultSelector()
        self.ports: dict[str, int] = {}
        self.clients = 0
        self.had_clock = self.has_clock = False
        devices = {"clock": clock_device(world), "load": load_device(world), "meter": meter_device(world)}
        for name, device in devices.items():
            listener = socket.create_server(("127.0.0.1", 0))
            listener.setblocking(False)
            self.ports[name] = listener.getsockname()[1]
            self.selector.register(listener, selectors.EVENT_READ, (name, device))

    def serve(self) -> None:
        """Until nobody is there any more. If the clock goes away the world runs on by itself, so that the load's own cut-off works."""
        last_called = last_ran = time.monotonic()
        while True:
            alone = self.had_clock and not self.has_clock
            for key, _ in self.selector.select(0.01 if alone else 0.5):
                self._attend(key)
            now = time.monotonic()
            if alone:
                self.world.advance_to(self.world.time_s + min(now - last_ran, 0.5) * self.world.scenario.free_speed + 1e-9)
            last_ran = now
            if self.clients:
                last_called = now
            patience = self.world.scenario.linger_s if self.had_clock else _NEVER_CALLED_S
            if now - last_called > patience and not self.world.load_is_on:
                return

    def _attend(self, key: selectors.SelectorKey) -> None:
        if isinstance(key.data, tuple):
            name, device = key.data
            connection, _ = key.fileobj.accept()  # type: ignore[union-attr]
            connection.setsockopt(socket.IPPROTO_TCP, socket.TCP_NODELAY, 1)
            is_clock = name == "clock"
            self.had_clock |= is_clock
            self.has_clock |= is_clock
            self.clients += 1
            self.selector.register(connection, selectors.EVENT_READ, _Client(connection, device, is_clock))
        elif not key.data.serve():
            self.selector.unregister(key.fileobj)
            key.data.connection.close()
            self.clients -= 1
            if key.data.is_clock:
                self.has_clock = False


def main() -> None:
    server = Server(World(from_json(sys.stdin.readline())))
    print(json.dumps(server.ports), flush=True)
    server.serve()


if __name__ == "__main__":
    main()
