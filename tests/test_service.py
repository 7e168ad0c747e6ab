"""The service over HTTP: authorization, people and groups, tokens, limits."""

from __future__ import annotations

import shutil
import threading
import time

import pytest
import uvicorn
from starlette.testclient import TestClient

import prim_lantern as pl
from prim_lantern.serve import Tokens, service


@pytest.fixture
def tokens(tmp_path):
    return Tokens(tmp_path / "tokens.json")


@pytest.fixture
def site(tmp_path):
    folder = tmp_path / "site"
    shutil.copytree(pl.DEMO_FOLDER, folder)
    return pl.open_site(folder)


@pytest.fixture
def client_for(site, tokens):
    """A client with a token for something."""
    opened = []

    def client(*scopes, acts_as=None, **more):
        token = tokens.make(f"t{len(opened)}", scopes, acts_as)
        made = TestClient(
            service(site, tokens, **more), headers={"authorization": f"Bearer {token}"}
        )
        opened.append(made.__enter__())
        return made

    yield client
    for each in opened:
        each.__exit__(None, None, None)


# SCIM -------------------------------------------------------------------------------------------


@pytest.fixture
def served(site, tokens):
    """The service on a real port, and the token of a directory."""
    token = tokens.make("directory", ["provisioning"], "hana.okafor")
    config = uvicorn.Config(service(site, tokens), port=0, log_level="error")
    server = uvicorn.Server(config)
    thread = threading.Thread(target=server.run)
    thread.start()
    while not server.started:
        time.sleep(0.01)
    yield f"http://127.0.0.1:{server.servers[0].sockets[0].getsockname()[1]}", token
    server.should_exit = True
    thread.join()


def test_a_conformance_tester_finds_nothing(served):
    from httpx2 import Client
    from scim2_client.engines.httpx2 import SyncSCIMClient
    from scim2_tester import Status, check_server

    address, token = served
    with Client(
        base_url=f"{address}/scim/v2", headers={"Authorization": f"Bearer {token}"}
    ) as http:
        client = SyncSCIMClient(http)
        found = check_server(client)
    wrong = [each for each in found if each.status in (Status.ERROR, Status.CRITICAL)]
    assert [f"{each.title}: {each.reason}" for each in wrong] == []
    assert sum(each.status == Status.SUCCESS for each in found) > 20
