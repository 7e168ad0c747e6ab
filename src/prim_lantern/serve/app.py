"""All that is served, as one ASGI application."""

from __future__ import annotations

from collections.abc import AsyncIterator
from contextlib import asynccontextmanager

from prometheus_client import CONTENT_TYPE_LATEST, generate_latest
from starlette.applications import Starlette
from starlette.exceptions import HTTPException
from starlette.requests import Request
from starlette.responses import JSONResponse, Response
from starlette.routing import Route
from starlette.types import ASGIApp

from prim_lantern.errors import PrimLanternError
from prim_lantern.live import Site
from prim_lantern.serve.authorization import Authorization
from prim_lantern.serve.guard import Guard, Metrics
from prim_lantern.serve.openapi import description
from prim_lantern.serve.problems import Problem
from prim_lantern.serve.scim.endpoints import BASE, Scim, told_as_scim
from prim_lantern.serve.tokens import Tokens


def service(
    site: Site, tokens: Tokens, *, rate: float = 5_000, refuse_after: float | None = 300
) -> ASGIApp:
    """The service for a site, for any ASGI server.

    Parameters: the site; the tokens; how many requests a second each token may make; after how many
    seconds without its store nothing is answered any more (see `Site.keep_fresh`).

    >>> import prim_lantern as pl
    >>> from prim_lantern.serve import Tokens, service
    >>> app = service(pl.open_demo(), Tokens("tokens.json"))
    """
    metrics = Metrics(site)

    @asynccontextmanager
    async def lifespan(_: Starlette) -> AsyncIterator[None]:
        with site.keep_fresh(refuse_after=refuse_after):
            yield

    app = Starlette(
        routes=[
            *_about_itself(site, metrics),
            *Authorization(site, metrics).routes(),
            *Scim(site).routes(),
        ],
        lifespan=lifespan,
        exception_handlers={
            HTTPException: _missing,
            Problem: _told,
            PrimLanternError: _told,
            Exception: _failed,
        },
    )
    return Guard(app, tokens, metrics, rate)


def _about_itself(site: Site, metrics: Metrics) -> list[Route]:
    """What tells how the service is, and what it answers."""

    async def alive(_: Request) -> Response:
        return JSONResponse({"status": "alive"})

    async def ready(_: Request) -> Response:
        try:
            site.allows(None, "read", "/")
        except PrimLanternError as error:
            problem = Problem.of(error)
            if problem.status == 503:  # any other error is an answer as well
                raise problem from None
        told = {"status": "ready", "version": site.version, "trouble": bool(site.freshness.trouble)}
        return JSONResponse(told)

    async def counted(_: Request) -> Response:
        return Response(generate_latest(metrics.registry), media_type=CONTENT_TYPE_LATEST)

    async def openapi(_: Request) -> Response:
        return JSONResponse(description())

    return [
        Route("/-/alive", alive),
        Route("/-/ready", ready),
        Route("/-/metrics", counted),
        Route("/openapi.json", openapi),
    ]


async def _missing(request: Request, error: Exception) -> Response:
    status = error.status_code if isinstance(error, HTTPException) else 500
    if request.url.path.startswith(BASE):
        return told_as_scim(status, "Nothing is served here in this way.")
    return Problem(status, "Nothing is served here in this way.").response()


async def _told(_: Request, error: Exception) -> Response:
    found = Problem.of(error) if isinstance(error, PrimLanternError) else error
    return (found if isinstance(found, Problem) else Problem(500, "")).response()


async def _failed(request: Request, _: Exception) -> Response:
    said = f"Something went wrong here; its id is {request.scope['request_id']}."
    return Problem(500, said).response()
