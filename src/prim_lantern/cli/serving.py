"""`serve` and `token`: Prim Lantern over HTTP, and who may use it."""

from __future__ import annotations

import logging
import sys
from pathlib import Path
from typing import Any

import click

from prim_lantern.cli.common import json_option, opened, print_json, site_option
from prim_lantern.cli.listing import As, listing, show_list
from prim_lantern.errors import BadQuestion

_LOCAL = ("127.0.0.1", "::1", "localhost")

tokens_option = click.option(
    "--tokens",
    "tokens_file",
    envvar="PRIM_LANTERN_TOKENS",
    default="lantern-tokens.json",
    metavar="FILE",
    help="Where the tokens are kept (PRIM_LANTERN_TOKENS; else ./lantern-tokens.json).",
)


@click.command(short_help="Answer other programs over HTTP.")
@click.option("--host", default="127.0.0.1", metavar="HOST", help="Else this machine alone.")
@click.option("--port", default=8181, type=click.IntRange(0, 65535), metavar="N", help="Else 8181.")
@click.option("--tls-certificate", metavar="FILE", help="Serve over TLS, with this certificate …")
@click.option("--tls-key", metavar="FILE", help="… and its key.")
@click.option(
    "--rate", default=5_000, type=click.IntRange(1), metavar="N", help="Requests a second a token."
)
@click.option(
    "--refuse-after",
    default=300,
    type=click.IntRange(1),
    metavar="SECONDS",
    help="Without its store: how long to go on by what is known. Else 300.",
)
@tokens_option
@site_option
def serve(tokens_file: str, where: str, rate: int, refuse_after: int, **listening: Any) -> None:
    """Answer other programs over HTTP: may they (OpenID AuthZEN), people and groups for directories
    (SCIM 2.0), health and metrics. Each needs a token, see 'prim-lantern token'.

    \b
    prim-lantern token make website --for asking
    prim-lantern serve --port 8181
    """
    listens = _listens(**listening)
    try:
        import uvicorn

        from prim_lantern.serve import Tokens, service
        from prim_lantern.serve.connections import Connection
    except ImportError as error:
        raise BadQuestion(
            f"What serves is not installed ({error.name}): pip install 'prim-lantern[serve]'."
        ) from None
    tokens = Tokens(tokens_file)
    if not tokens.all():
        click.echo(
            f"Note: {tokens_file} has no tokens; 'prim-lantern token make' adds one.", err=True
        )
    _log_to_stderr()
    app = service(opened(where), tokens, rate=rate, refuse_after=refuse_after)
    uvicorn.run(
        app,
        **listens,
        log_level="warning",
        access_log=False,
        server_header=False,
        http=Connection,
        limit_concurrency=2_000,
        timeout_keep_alive=15,
    )


def _listens(
    host: str, port: int, tls_certificate: str | None, tls_key: str | None
) -> dict[str, Any]:
    """Where to listen, as the server takes it; `BadQuestion` where tokens could be read on the way,
    and for files that are not there."""
    if (tls_certificate is None) != (tls_key is None):
        raise BadQuestion("--tls-certificate and --tls-key belong together.")
    if host not in _LOCAL and tls_certificate is None:
        raise BadQuestion(
            f"{host} may be reached by others, who could read the tokens on the way: name "
            "--tls-certificate and --tls-key, or serve on 127.0.0.1 behind what has them."
        )
    for file in (tls_certificate, tls_key):
        if file is not None and not Path(file).is_file():
            raise BadQuestion(f"There is no file {file!r}.")
    return {
        "host": host,
        "port": port,
        "ssl_certfile": tls_certificate,
        "ssl_keyfile": tls_key,
    }


def _log_to_stderr() -> None:
    """A line of JSON for each request."""
    handler = logging.StreamHandler(sys.stderr)
    handler.setFormatter(logging.Formatter("%(message)s"))
    log = logging.getLogger("prim_lantern.serve")
    log.addHandler(handler)
    log.setLevel(logging.INFO)


@click.group(short_help="Who may ask over HTTP, and what for.")
def token() -> None:
    """The tokens by which other programs may use 'prim-lantern serve'."""


@token.command("make", short_help="Make a token, shown once.")
@click.argument("name")
@click.option(
    "--for",
    "scopes",
    multiple=True,
    required=True,
    metavar="WHAT",
    help="asking, reading or provisioning; may be said more than once.",
)
@click.option(
    "--as",
    "acts_as",
    metavar="LOGIN",
    help="Provisioning: the user as whom it changes people and groups.",
)
@click.option("--until", metavar="WHEN", help="It is of no use from then on.")
@tokens_option
@site_option
def make(
    name: str,
    scopes: tuple[str, ...],
    acts_as: str | None,
    until: str | None,
    tokens_file: str,
    where: str,
) -> None:
    """Make a token called NAME. It is shown now and never again: only a hash of it is kept.

    \b
    prim-lantern token make website --for asking
    prim-lantern token make directory --for provisioning --as dag.hollis --until 2028-01-01
    """
    from prim_lantern.serve.tokens import Tokens

    login = opened(where).data.login(acts_as) if acts_as is not None else None
    made = Tokens(tokens_file).make(name, scopes, login, until)
    click.echo("Keep it well; it cannot be shown again.", err=True)
    click.echo(made)


@token.command("list", short_help="All tokens.")
@listing
@tokens_option
def list_tokens(tokens_file: str, shown: As) -> None:
    """All tokens: what they are for, as whom they change, and until when."""
    from prim_lantern.serve.tokens import Tokens
    from prim_lantern.show.records import Column

    records = [
        {
            "name": each.name,
            "for": list(each.scopes),
            "as": each.acts_as,
            "made": each.made,
            "until": each.until,
            "ended": each.ended,
        }
        for each in Tokens(tokens_file).all()
    ]
    columns = [Column(name, name.capitalize(), whole=True) for name in ("name", "for", "as")]
    columns += [Column("made", "Made"), Column("until", "Until")]
    show_list(shown, columns, records, "There are no tokens.")


@token.command("withdraw", short_help="Take a token back.")
@click.argument("name")
@tokens_option
@json_option
def withdraw(name: str, tokens_file: str, as_json: bool) -> None:
    """Take the token called NAME back: it is of no use from now on."""
    from prim_lantern.serve.tokens import Tokens

    Tokens(tokens_file).withdraw(name)
    if as_json:
        print_json({"withdrawn": name})
        return
    click.echo(f"Withdrew {name}.")


COMMANDS = {"serve": serve, "token": token}
