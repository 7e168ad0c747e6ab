"""`serve` as a process: over TLS, with a token made by a command, and ended by a signal."""

from __future__ import annotations

import json
import signal
import socket
import ssl
import subprocess
import sys
import time
from contextlib import closing, contextmanager
from http.client import HTTPSConnection

import pytest
import trustme

from conftest import run

ASKED = {
    "subject": {"type": "user", "id": "sam.whitlock"},
    "action": {"name": "publish"},
    "resource": {"type": "item", "id": "/log/seal-count"},
}


@pytest.fixture
def files(tmp_path):
    authority = trustme.CA()
    certificate = authority.issue_cert("localhost")
    certificate.cert_chain_pems[0].write_to_path(str(tmp_path / "site.pem"))
    certificate.private_key_pem.write_to_path(str(tmp_path / "site.key"))
    trusted = ssl.create_default_context()
    authority.configure_trust(trusted)
    return tmp_path, trusted


@contextmanager
def serving(folder, site, *options):
    with socket.socket() as free:
        free.bind(("127.0.0.1", 0))
        port = free.getsockname()[1]
    words = ["serve", "--port", str(port), "--site", str(site), *options]
    process = subprocess.Popen(
        [sys.executable, "-c", "from prim_lantern.cli.start import run; run()", *words],
        cwd=folder, stderr=subprocess.PIPE, text=True,
    )  # fmt: skip
    try:
        until = time.monotonic() + 300
        while True:
            try:
                socket.create_connection(("127.0.0.1", port), timeout=1).close()
                break
            except OSError:
                assert process.poll() is None and time.monotonic() < until, process.stderr.read()
                time.sleep(0.05)
        yield port, process
    finally:
        process.kill()
        process.communicate()


def test_it_answers_over_tls_and_ends_when_told(files, demo_folder):
    folder, trusted = files
    made = run("token", "make", "website", "--for", "asking", cwd=folder, site=demo_folder)
    assert made.returncode == 0, made.stderr
    token = made.stdout.split()[0]
    options = ("--tls-certificate", "site.pem", "--tls-key", "site.key")
    with serving(folder, demo_folder, *options) as (port, process):
        headers = {"Authorization": f"Bearer {token}", "Content-Type": "application/json"}
        with closing(HTTPSConnection("localhost", port, context=trusted, timeout=60)) as asked:
            asked.request("POST", "/access/v1/evaluation", json.dumps(ASKED), headers)
            answer = asked.getresponse()
            assert answer.status == 200 and json.loads(answer.read()) == {"decision": False}
        with socket.create_connection(("localhost", port), timeout=60) as plain:
            plain.sendall(b"GET /-/alive HTTP/1.1\r\nHost: localhost\r\n\r\n")
            assert b"200" not in plain.recv(100)  # nothing is told without TLS
        process.send_signal(signal.SIGTERM)
        assert process.wait(20) in (0, -signal.SIGTERM)
        told = process.stderr.read()
        assert "Traceback" not in told and token not in told
        assert json.loads(told.splitlines()[-1])["status"] == 200


@pytest.mark.parametrize(
    ("options", "told"),
    [
        (("--host", "192.0.2.7"), "could read the tokens on the way"),
        (("--tls-key", "site.key"), "belong together"),
        (("--tls-certificate", "none.pem", "--tls-key", "site.key"), "There is no file 'none.pem'"),
        (("--port", "x"), "'x' is not a valid integer"),
        (("--rate", "0"), "0 is not in the range"),
        (("--refuse-after", "soon"), "'soon' is not a valid integer"),
        (("--site", "nowhere"), "no such folder"),
    ],
)
def test_what_cannot_be_served_is_told(files, options, told):
    done = run("serve", *options, cwd=files[0])
    assert done.returncode == 2 and told in " ".join(done.stderr.split()), done.stderr
    assert "Traceback" not in done.stderr


def test_a_port_in_use_and_a_key_that_is_none_are_told(files, demo_folder):
    (files[0] / "bad.key").write_text("no key", encoding="utf-8")
    options = ("--tls-certificate", "site.pem", "--tls-key", "bad.key")
    done = run("serve", "--port", "0", *options, cwd=files[0], site=demo_folder)
    assert done.returncode == 2 and "Traceback" not in done.stderr, done.stderr
    with socket.socket() as taken:
        taken.bind(("127.0.0.1", 0))
        taken.listen()
        port = str(taken.getsockname()[1])
        done = run("serve", "--port", port, cwd=files[0], site=demo_folder)
    assert done.returncode != 0 and "Traceback" not in done.stderr, done.stderr
    assert "in use" in done.stderr
