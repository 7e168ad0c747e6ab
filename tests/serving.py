"""A service as tests ask it: within the process, and on a real port."""

from __future__ import annotations

import threading
import time
from contextlib import ExitStack, contextmanager

import uvicorn
from starlette.testclient import TestClient

from prim_lantern.serve import service


@contextmanager
def running(app, connection):
    server = uvicorn.Server(uvicorn.Config(app, port=0, log_level="error", http=connection))
    thread = threading.Thread(target=server.run)
    thread.start()
    while not server.started:
        time.sleep(0.01)
    yield server.servers[0].sockets[0].getsockname()[1]
    server.should_exit = True
    thread.join()


class Clients(ExitStack):
    """Clients of a service of one site, each with a token of its own."""

    def __init__(self, site, tokens):
        super().__init__()
        self._site, self._tokens, self._made = site, tokens, 0

    def client(self, *scopes, acts_as=None, **more):
        """One with a token for something."""
        token = self._tokens.make(f"t{self._made}", scopes, acts_as)
        self._made += 1
        told = {"authorization": f"Bearer {token}"}
        app = service(self._site, self._tokens, **more)
        return self.enter_context(TestClient(app, headers=told))
