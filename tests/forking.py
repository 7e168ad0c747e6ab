"""The command line in a process of its own for each call, forked off one that has loaded it.

Started anew, most of a command's time is Python loading modules; some thousand commands in the
tests and documents would take many minutes. `python -m forking SOCKET` listens there.
"""

from __future__ import annotations

import gc
import importlib
import json
import os
import pkgutil
import socket
import subprocess
import sys
import tempfile
import threading
from collections.abc import Mapping, Sequence
from pathlib import Path


class Forking:
    """One such process, for as long as the tests run."""

    def __init__(self) -> None:
        self._folder = tempfile.TemporaryDirectory(prefix="pl-fork-")
        self._address = f"{self._folder.name}/socket"
        here = str(Path(__file__).parent)
        self._server = subprocess.Popen(
            [sys.executable, "-m", "forking", self._address], cwd=here, stdout=subprocess.PIPE
        )
        assert self._server.stdout.readline() == b"ready\n"

    def run(
        self,
        arguments: Sequence[str | Path],
        environment: Mapping[str, str],
        cwd: str,
        timeout: float,
    ) -> tuple[int, str, str]:
        """The exit code of a command, and what it printed on its output and on standard error."""
        with (
            tempfile.TemporaryFile() as out,
            tempfile.TemporaryFile() as err,
            socket.socket(socket.AF_UNIX) as asked,
        ):
            asked.settimeout(timeout)
            asked.connect(self._address)
            what = json.dumps([[*map(os.fspath, arguments)], dict(environment), cwd]).encode()
            socket.send_fds(asked, [len(what).to_bytes(8, "big")], [out.fileno(), err.fileno()])
            asked.sendall(what)
            code = int(asked.recv(16) or b"255")
            said = []
            for each in (out, err):
                each.seek(0)
                said.append(each.read().decode("utf-8"))
            return code, said[0], said[1]

    def stop(self) -> None:
        """End it."""
        self._server.terminate()
        self._server.wait()
        self._server.stdout.close()
        self._folder.cleanup()


def _serve(address: str) -> None:
    with socket.socket(socket.AF_UNIX) as listening:
        listening.bind(address)
        listening.listen()
        print("ready", flush=True)
        while True:
            asked, _ = listening.accept()
            child = os.fork()
            if child == 0:
                _be_the_command(asked)
            threading.Thread(target=_await, args=(asked, child), daemon=True).start()


def _await(asked: socket.socket, child: int) -> None:
    _, status = os.waitpid(child, 0)
    with asked:
        asked.sendall(str(os.waitstatus_to_exitcode(status)).encode())


def _be_the_command(asked: socket.socket) -> None:
    size, files, _, _ = socket.recv_fds(asked, 8, 2)
    raw = b""
    while len(raw) < int.from_bytes(size, "big"):
        raw += asked.recv(1 << 20)
    arguments, environment, cwd = json.loads(raw)
    os.environ.clear()
    os.environ.update(environment)
    os.chdir(cwd)
    nothing = os.open(os.devnull, os.O_RDONLY)
    for number, file in enumerate([nothing, *files]):
        os.dup2(file, number)
    sys.argv = ["prim-lantern", *arguments]
    code = 1
    try:
        from prim_lantern.cli.start import run

        run()
        code = 0
    except SystemExit as ended:
        code = ended.code if isinstance(ended.code, int) else int(ended.code is not None)
    finally:
        sys.stdout.flush()
        sys.stderr.flush()
        os._exit(code)


def _load() -> None:
    """All that commands load."""
    import prim_lantern

    for found in pkgutil.walk_packages(prim_lantern.__path__, "prim_lantern."):
        if ".migrations" not in found.name:
            importlib.import_module(found.name)


if __name__ == "__main__":
    _load()
    gc.freeze()  # what is loaded stays: no child has to go through it, or copy it
    _serve(sys.argv[1])
