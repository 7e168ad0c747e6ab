"""The lighthouse trust as a small website: who sees and does what is asked of Prim Lantern.

    python examples/website/app.py            then http://127.0.0.1:8000
    python examples/website/app.py FOLDER     keeps its database there

Whoever visits signs in by choosing a person; a real website asks for a password there.
"""

from __future__ import annotations

import os
import secrets
import sys
import tempfile
from collections.abc import Mapping
from pathlib import Path
from typing import Any

from sqlalchemy import func, insert, or_, select, update
from starlette.applications import Starlette
from starlette.concurrency import run_in_threadpool
from starlette.exceptions import HTTPException
from starlette.middleware import Middleware
from starlette.middleware.sessions import SessionMiddleware
from starlette.requests import Request
from starlette.responses import FileResponse, RedirectResponse, Response
from starlette.routing import Route
from starlette.templating import Jinja2Templates
from table import COLUMNS, opened, pages, row_of

import prim_lantern as pl
from prim_lantern.web import AsgiViewers, LanternExtension, cache_headers, requires

HERE = Path(__file__).parent
ON_A_PAGE = 20
STEPS = ("submit", "send-back", "publish", "withdraw", "archive")


class Website:
    """The views of the website; `app` is the whole application."""

    def __init__(self, folder: Path) -> None:
        """Take the folder that its database is kept in."""
        self.engine, self.site = opened(folder)
        self.templates = Jinja2Templates(HERE / "templates")
        self.templates.env.add_extension(LanternExtension)

    def answer(self, request: Request, name: str, status: int = 200, **values: Any) -> Response:
        """A page made for whoever looks."""
        viewer = request.state.viewer
        values |= {
            "viewer": viewer,
            "data": self.site.data,
            "acting": request.session.get("login"),
            "looking_as": request.session.get("looking_as"),
            "manages": bool(viewer.may_manage("manage-rights")),
        }
        headers = cache_headers(self.site, viewer)
        return self.templates.TemplateResponse(request, name, values, status, headers)

    # Looking ------------------------------------------------------------------------------------

    @requires("read", lambda _, request: where(request))
    def page(self, request: Request) -> Response:
        """One page: its text, its panels, what is further in, and what may be done with it."""
        viewer, path = request.state.viewer, where(request)
        with self.engine.connect() as connection:
            may_read = self.site.sql_filter(self.looker(request), "read", COLUMNS)
            row = connection.execute(select(pages).where(pages.c.path == path)).mappings().one()
            above = path.rstrip("/") + "/"
            below = select(pages.c.path, pages.c.title).where(
                pages.c.path.startswith(above, autoescape=True),
                pages.c.path.not_in([path]),
                func.instr(func.substr(pages.c.path, len(above) + 1), "/") == 0,
                pages.c.kind.not_in(["panel", "banner", "link"]),
                may_read,
            )
            parts = {part.path for part in viewer.parts(path)}
            panels = select(pages).where(pages.c.path.in_(parts)).order_by(pages.c.path)
            return self.answer(
                request,
                "page.html",
                page=row,
                below=connection.execute(below.order_by(pages.c.path).limit(ON_A_PAGE)).all(),
                panels=connection.execute(panels).mappings().all(),
                steps=[
                    each
                    for each in STEPS
                    if viewer.is_possible(each, path) and viewer.allows(each, path)
                ],
            )

    def listing(self, request: Request) -> Response:
        """All pages, or those that a search finds: what is hidden is not counted either."""
        words = request.query_params.get("words", "")
        at = page_number(request.query_params.get("at", ""))
        fits = or_(*(c.icontains(words, autoescape=True) for c in (pages.c.title, pages.c.body)))
        found = select(pages.c.path, pages.c.title, pages.c.state).where(
            pages.c.kind.not_in(["panel", "banner", "link"]),
            self.site.sql_filter(self.looker(request), "read", COLUMNS),
            fits,
        )
        with self.engine.connect() as connection:
            count = connection.scalar(select(func.count()).select_from(found.subquery())) or 0
            rows = connection.execute(
                found.order_by(pages.c.path).limit(ON_A_PAGE).offset((at - 1) * ON_A_PAGE)
            ).all()
        more = count > at * ON_A_PAGE
        told: dict[str, Any] = {"words": words, "at": at, "more": more}
        return self.answer(request, "list.html", rows=rows, count=count, **told)

    def queue(self, request: Request) -> Response:
        """What waits for whoever is signed in."""
        login = self.looker(request)
        waiting = self.site.queue(login) if login is not None else None
        return self.answer(request, "queue.html", waiting=waiting)

    def why(self, request: Request) -> Response:
        """For administrators: why somebody may or may not do something."""
        viewer = request.state.viewer
        if not viewer.may_manage("manage-rights"):
            raise pl.Refused(viewer.login or "a guest", "read", "/-/why", hidden=True)
        who = request.query_params.get("who") or None
        action = request.query_params.get("action", "read")
        path = request.query_params.get("path", "/")
        try:
            told = self.site.why(who, action, path)
        except pl.UnknownName as error:
            return self.not_made(request, error)  # an administrator may know what is near
        return self.answer(request, "why.html", told=told, who=who, action=action, path=path)

    # Signing in ---------------------------------------------------------------------------------

    def sign_in(self, request: Request) -> Response:
        """Choosing who one is."""
        people = [user for user in self.site.data.users.values() if user.status == "active"]
        return self.answer(request, "sign_in.html", people=sorted(people, key=lambda u: u.called))

    def looker(self, request: Request) -> str | None:
        """Who looks."""
        login: str | None = request.state.viewer.login
        return login

    def signed_in(self, request: Request, form: Mapping[str, str]) -> Response:
        """Somebody has chosen who they are; nobody, who signs out."""
        request.session.clear()
        if form.get("login") in self.site.data.users:
            request.session["login"] = form["login"]
        return RedirectResponse("/", 303)

    def look_as(self, request: Request, form: Mapping[str, str]) -> Response:
        """Begin to see the site as somebody else, or end that."""
        by, whom = request.session.get("login"), form.get("whom")
        if whom is None:
            request.session.pop("looking_as", None)
        elif by is not None:
            self.site.looking_as(whom, by=by)  # asks for the right to it, and notes it
            request.session["looking_as"] = whom
        return RedirectResponse("/", 303)

    # Writing ------------------------------------------------------------------------------------

    @requires("edit", lambda _, request, *__: where(request))
    def edit(self, request: Request) -> Response:
        """The text of a page to edit."""
        with self.engine.connect() as connection:
            found = select(pages).where(pages.c.path == where(request))
            row = connection.execute(found).mappings().one()
        return self.answer(request, "edit.html", page=row)

    @requires("edit", lambda _, request, *__: where(request))
    def edited(self, request: Request, form: Mapping[str, str]) -> Response:
        """What was edited is kept, in the table and in the site at once."""
        path, by = where(request), self.as_themselves(request)
        with self.engine.begin() as connection:
            text = {"title": form["title"].strip(), "body": form["body"]}
            connection.execute(update(pages).where(pages.c.path == path).values(text))
            if self.site.data.items[path].title != text["title"]:
                change = self.site.change(by=by).change_item(path, title=text["title"])
                change.make(connection=connection)
            else:
                self.site.content.touched(path, by, connection=connection)
        return self.kept(path)

    def new(self, request: Request) -> Response:
        """What may be added where, and filed under what."""
        viewer = request.state.viewer
        kinds = {
            kind.name: parents
            for kind in self.site.data.all_kinds.values()
            if not (kind.part or kind.link)
            and (parents := viewer.parents_for(kind.name, limit=ON_A_PAGE))
        }
        kind = request.query_params.get("kind", "")
        parent = request.query_params.get("parent", "")
        offered = viewer.categories_for(kind, parent) if parent in kinds.get(kind, []) else None
        return self.answer(
            request, "new.html", kinds=kinds, kind=kind, parent=parent, categories=offered
        )

    def created(self, request: Request, form: Mapping[str, str]) -> Response:
        """Something new is kept, as a draft."""
        by, title = self.as_themselves(request), form["title"].strip()
        name = "-".join("".join(c if c.isalnum() else " " for c in title.lower()).split())
        path = f"{form['parent'].rstrip('/')}/{name}"
        filed = [form["category"]] if form.get("category") else []
        viewer = request.state.viewer
        if not viewer.may_create(form["kind"], form["parent"], filed):
            viewer.require("read", form["parent"])  # what is hidden is as if it were not there
            raise pl.Refused(by, "create", form["parent"], hidden=False)
        with self.engine.begin() as connection:
            change = self.site.change(by=by).add_item(path, form["kind"], title, categories=filed)
            change.make(connection=connection)
            row = {**row_of(change.data.items[path]), "body": form["body"]}
            connection.execute(insert(pages).values(row))
        return self.kept(path)

    @requires("read", lambda _, request, *__: where(request))
    def stepped(self, request: Request, form: Mapping[str, str]) -> Response:
        """A page is submitted, published …."""
        path, by = where(request), self.as_themselves(request)
        with self.engine.begin() as connection:
            change = self.site.change(by=by).take_step(path, form["step"])
            change.make(connection=connection)
            row = row_of(change.data.items[path])
            connection.execute(update(pages).where(pages.c.path == path).values(row))
        return self.kept(path)

    def as_themselves(self, request: Request) -> str:
        """Who changes something: nobody does while looking as somebody else."""
        login = request.session.get("login")
        if login is None or request.session.get("looking_as"):
            raise pl.Refused("a guest", "edit", where(request), hidden=False)
        return str(login)

    def kept(self, path: str) -> Response:
        """Go on to a page that has just changed."""
        self.site.catch_up()  # the transaction is over: it is known here from now on
        return RedirectResponse(path, 303)

    # Putting it together ------------------------------------------------------------------------

    def refused(self, request: Request, error: Exception) -> Response:
        """What those get who may not, or who ask for what is not there: both look alike. Of a name
        that is unknown nothing is told: our error names what is near, which may be hidden."""
        status = error.status if isinstance(error, pl.Refused) else 403
        if isinstance(error, HTTPException | pl.UnknownName):
            status = error.status_code if isinstance(error, HTTPException) else 404
        said = error.detail if isinstance(error, HTTPException) and status == 400 else ""
        return self.answer(request, "refused.html", status, hidden=status == 404, said=said)

    def not_made(self, request: Request, error: Exception) -> Response:
        """What a change comes to that could not be made."""
        return self.answer(request, "refused.html", status=422, said=str(error))

    def style(self, _: Request) -> Response:
        """The style sheet, the same for all."""
        return FileResponse(HERE / "style.css", headers={"Cache-Control": "public, max-age=3600"})

    def app(self) -> Starlette:
        """The application: who looks is found before anything else."""
        routes = [
            Route("/-/style.css", self.style),
            Route("/-/list", self.listing),
            Route("/-/queue", self.queue),
            Route("/-/why", self.why),
            Route("/-/sign-in", self.sign_in),
            Route("/-/sign-in", posted(self.signed_in), methods=["POST"]),
            Route("/-/look-as", posted(self.look_as), methods=["POST"]),
            Route("/-/new", self.new),
            Route("/-/new", posted(self.created), methods=["POST"]),
            Route("/-/edit/{path:path}", self.edit),
            Route("/-/edit/{path:path}", posted(self.edited), methods=["POST"]),
            Route("/-/step/{path:path}", posted(self.stepped), methods=["POST"]),
            Route("/{path:path}", self.page),
        ]
        return Starlette(
            routes=routes,
            middleware=[
                Middleware(SessionMiddleware, secret_key=secrets.token_hex(), same_site="strict"),
                Middleware(AsgiViewers, site=self.site, who=who_looks),
            ],
            exception_handlers={
                pl.Refused: self.refused,
                pl.NotAllowed: self.refused,
                pl.UnknownName: self.refused,
                HTTPException: self.refused,
                pl.PrimLanternError: self.not_made,
            },
        )


def where(request: Request) -> str:
    """The path that a request is about."""
    return "/" + str(request.path_params.get("path", ""))


def page_number(text: str) -> int:
    """Which page of a list somebody asks for; the first, where that is no number."""
    return max(1, int(text)) if text.isdecimal() and len(text) < 6 else 1


class Form(dict[str, str]):
    """What was sent; what is left out is refused where it is needed."""

    def __missing__(self, name: str) -> str:
        raise HTTPException(400, f"{name} is missing.")


def who_looks(scope: Any) -> str | None:
    """The login of whoever is signed in, or of whom they look as."""
    session = scope["session"]
    found: str | None = session.get("looking_as") or session.get("login")
    return found


def posted(view: Any) -> Any:
    """A view that gets the form that was sent, in a thread of its own."""

    async def with_form(request: Request) -> Response:
        form = Form({name: str(value) for name, value in (await request.form()).items()})
        found: Response = await run_in_threadpool(view, request, form)
        return found

    return with_form


if __name__ == "__main__":
    import uvicorn

    os.environ.setdefault("PRIM_LANTERN_NOW", "2027-05-10")  # the demo's day
    folder = Path(sys.argv[1] if len(sys.argv) > 1 else tempfile.mkdtemp())
    uvicorn.run(Website(folder).app(), host="127.0.0.1", port=int(os.environ.get("PORT", "8000")))
