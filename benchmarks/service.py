"""Measure the service over HTTP: how many questions a second one process answers.

    python benchmarks/service.py                       20 s, on the demo site
    python benchmarks/service.py --seconds 3600        and whether its memory stays as it is

The server is a process of its own; one client keeps some connections open and asks as fast as it
can, first one question a request, then batches; then single ones at half that pace, of which the
slowest hundredth is told.
"""

from __future__ import annotations

import argparse
import json
import os
import selectors
import socket
import subprocess
import sys
import tempfile
import time
from pathlib import Path
from random import Random
from typing import NamedTuple

import prim_lantern as pl
from prim_lantern.serve import Tokens

CONNECTIONS = 8
BATCH = 500


def question(rng: Random, logins: list[str], paths: list[str]) -> dict[str, object]:
    """Some question."""
    action = rng.choice(["read", "edit", "publish"])
    return {
        "subject": {"type": "user", "id": rng.choice(logins)},
        "action": {"name": action},
        "resource": {"type": "item", "id": rng.choice(paths)},
    }


class Server(NamedTuple):
    """Where to ask, and with which token."""

    port: int
    token: str

    def load(self, path: str, bodies: list[bytes], seconds: float, rate: float = 0) -> list[float]:
        """How long each request took, with several connections at once; no more than `rate` a
        second, if one is said. It is written by hand, so that asking takes less than answering."""
        requests = [self._request(path, body) for body in bodies]
        idle = [_Connection(self.port) for _ in range(CONNECTIONS)]
        asking, times, sent = selectors.DefaultSelector(), list[float](), 0
        for each in idle:
            asking.register(each.socket, selectors.EVENT_READ, each)
        began = now = time.perf_counter()
        while now < began + seconds:
            due = int((now - began) * rate) if rate else sent + len(idle)
            while idle and sent < due:
                idle.pop(0).send(requests[sent % len(requests)])
                sent += 1
            for key, _ in asking.select(1 / rate if rate and idle else 1):
                took = key.data.took()
                if took is not None:
                    times.append(took)
                    idle.append(key.data)
            now = time.perf_counter()
        for key in list(asking.get_map().values()):
            key.data.socket.close()
        return sorted(times)

    def _request(self, path: str, body: bytes) -> bytes:
        lines = [
            f"POST {path} HTTP/1.1",
            "Host: 127.0.0.1",
            f"Authorization: Bearer {self.token}",
            "Content-Type: application/json",
            f"Content-Length: {len(body)}",
        ]
        return "\r\n".join([*lines, "", ""]).encode() + body


class _Connection:
    """A connection on which one request waits for its answer at a time."""

    def __init__(self, port: int) -> None:
        self.socket = socket.create_connection(("127.0.0.1", port))
        self.socket.setsockopt(socket.IPPROTO_TCP, socket.TCP_NODELAY, 1)
        self._got, self._since = b"", 0.0

    def send(self, request: bytes) -> None:
        self._got, self._since = b"", time.perf_counter()
        self.socket.sendall(request)

    def took(self) -> float | None:
        """How long the answer took; None while it is not whole."""
        self._got += self.socket.recv(1 << 20)
        head, end, body = self._got.partition(b"\r\n\r\n")
        size = head.lower().partition(b"content-length: ")[2].split(b"\r", 1)[0]
        if not end or len(body) < int(size):
            return None
        if b" 200 " not in head[:16]:
            raise SystemExit(f"{head.decode()} where an answer was wanted")
        return time.perf_counter() - self._since


def memory(process: int) -> float:
    """The megabytes that a process holds."""
    text = Path(f"/proc/{process}/status").read_text(encoding="ascii")
    return int(text.partition("VmRSS:")[2].split()[0]) / 1000


def main() -> None:
    """Start a server, and ask it."""
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("--seconds", type=float, default=20)
    seconds = parser.parse_args().seconds / 4
    folder = Path(tempfile.mkdtemp())
    token = Tokens(folder / "tokens.json").make("bench", ["asking"])
    with socket.socket() as free:
        free.bind(("127.0.0.1", 0))
        port = free.getsockname()[1]
    command = [sys.executable, "-c", "from prim_lantern.cli.start import run; run()", "serve"]
    options = ["--port", str(port), "--tokens", str(folder / "tokens.json"), "--rate", "1000000"]
    variables = {**os.environ, "PRIM_LANTERN_SITE": str(pl.DEMO_FOLDER)}
    server = subprocess.Popen([*command, *options], env=variables, stderr=subprocess.DEVNULL)
    try:
        for _ in range(100):
            try:
                socket.create_connection(("127.0.0.1", port)).close()
                break
            except OSError:
                time.sleep(0.1)
        asking = Server(port, token)
        rng, data = Random(2), pl.open_demo().data
        some = [question(rng, list(data.users), list(data.items)) for _ in range(5_000)]
        single = [json.dumps(each).encode() for each in some]
        batches = [
            json.dumps({"evaluations": some[start : start + BATCH]}).encode()
            for start in range(0, len(some), BATCH)
        ]
        asking.load("/access/v1/evaluation", single, 2)
        before = memory(server.pid)
        times = asking.load("/access/v1/evaluation", single, seconds)
        rate = len(times) / seconds
        print(f"single: {rate:,.0f} a second")
        found = asking.load("/access/v1/evaluations", batches, seconds)
        print(f"in batches of {BATCH}: {len(found) * BATCH / seconds:,.0f} a second")
        times = asking.load("/access/v1/evaluation", single, 2 * seconds, rate / 2)
        slowest = times[int(len(times) * 0.99)] * 1000
        print(
            f"at half that pace: {len(times) / seconds / 2:,.0f} a second, 99 % in {slowest:.1f} ms"
        )
        print(f"memory: {before:.0f} MB before, {memory(server.pid):.0f} MB after")
    finally:
        server.terminate()
        server.wait()


if __name__ == "__main__":
    main()
