"""The OpenID AuthZEN Authorization API 1.0: may they, and who and what may be."""

from __future__ import annotations

import base64
import json
from bisect import bisect_right
from collections.abc import Callable, Iterator, Mapping, Sequence
from hashlib import sha256
from typing import Any, Final

from starlette.concurrency import run_in_threadpool
from starlette.requests import Request
from starlette.responses import JSONResponse
from starlette.routing import Route

from prim_lantern.decide.decision import Decision
from prim_lantern.errors import PrimLanternError, StoreTrouble, UnknownName
from prim_lantern.live import Site
from prim_lantern.serve.bodies import body_of
from prim_lantern.serve.guard import Metrics, token_for
from prim_lantern.serve.problems import Problem, plainly
from prim_lantern.site.actions import MANAGING_ACTIONS, NEED_MORE, SITE_WIDE_ACTIONS
from prim_lantern.site.places import tree_order

_BATCH: Final = 10_000  # evaluations in one request
_A_MOMENT: Final = 20  # evaluations, of which nobody else notices anything
_PAGE: Final = 1_000
_SEMANTICS: Final = ("execute_all", "deny_on_first_deny", "permit_on_first_permit")
_PARTS: Final = ("subject", "action", "resource", "context")
_V1: Final = "/access/v1"


class Authorization:
    """The endpoints of the Authorization API."""

    def __init__(self, site: Site, metrics: Metrics) -> None:
        self._site, self._metrics = site, metrics

    def routes(self) -> Iterator[Route]:
        """Where they are (AuthZEN 1.0, sections 6 to 10)."""
        yield Route("/.well-known/authzen-configuration", self.configuration, methods=["GET"])
        for path, answer in (
            ("/evaluation", self.evaluation),
            ("/evaluations", self.evaluations),
            ("/search/subject", self._searching(self._subjects)),
            ("/search/resource", self._searching(self._resources)),
            ("/search/action", self._searching(self._actions)),
        ):
            yield Route(_V1 + path, answer, methods=["POST"])

    async def configuration(self, request: Request) -> JSONResponse:
        """Where everything is (section 9)."""
        base = str(request.base_url).rstrip("/")
        found = {
            "policy_decision_point": base,
            "access_evaluation_endpoint": f"{base}{_V1}/evaluation",
            "access_evaluations_endpoint": f"{base}{_V1}/evaluations",
            "search_subject_endpoint": f"{base}{_V1}/search/subject",
            "search_resource_endpoint": f"{base}{_V1}/search/resource",
            "search_action_endpoint": f"{base}{_V1}/search/action",
        }
        return JSONResponse(found)

    # Evaluation -------------------------------------------------------------------------------

    async def evaluation(self, request: Request) -> JSONResponse:
        """One question (section 6)."""
        token = token_for(request.scope, "asking")
        body = await body_of(request)
        return await self._answered(body, reasons=token.allows("reading"))

    async def evaluations(self, request: Request) -> JSONResponse:
        """Several questions (section 7); what a question leaves out it has from the whole."""
        token = token_for(request.scope, "asking")
        body = await body_of(request)
        return await self._answered(body, reasons=token.allows("reading"), several=True)

    async def _answered(
        self, body: Mapping[str, Any], *, reasons: bool, several: bool = False
    ) -> JSONResponse:
        """The answers to one question or several. What takes more than a moment is worked out in a
        thread: others are answered meanwhile."""
        some = body.get("evaluations") if several else None
        decided = self._all_decided if some not in (None, []) else self._decided
        if self._site.ready and not (isinstance(some, list) and len(some) > _A_MOMENT):
            return JSONResponse(decided(body, reasons=reasons))
        return JSONResponse(await run_in_threadpool(decided, body, reasons=reasons))

    def _all_decided(self, body: Mapping[str, Any], *, reasons: bool) -> dict[str, Any]:
        """The answers to several questions, in their order, as far as they are wanted."""
        some = body["evaluations"]
        if not isinstance(some, list) or not all(isinstance(each, dict) for each in some):
            raise Problem(400, "evaluations is to be a list of objects.")
        if len(some) > _BATCH:
            raise Problem(400, f"evaluations may have {_BATCH:,} entries at most.")
        options = _object(body, "options", optional=True)
        semantic = options.get("evaluations_semantic", _SEMANTICS[0])
        if semantic not in _SEMANTICS:
            raise Problem(400, f"evaluations_semantic is to be one of {', '.join(_SEMANTICS)}.")
        shared: dict[str, Any] = {name: body[name] for name in _PARTS if name in body}
        found = []
        for each in some:
            answer = self._decided({**shared, **each}, reasons=reasons)
            found.append(answer)
            ends = {"deny_on_first_deny": False, "permit_on_first_permit": True}.get(semantic)
            if ends is not None and answer["decision"] is ends:
                break
        return {"evaluations": found}

    def _decided(self, body: Mapping[str, Any], *, reasons: bool) -> dict[str, Any]:
        """The answer to one question. What is not known is a no that says so."""
        context = _object(body, "context", optional=True)
        subject, action, resource = (_object(body, name) for name in _PARTS[:3])
        for part in (subject, resource):
            _text(part, "type"), _text(part, "id")
        _text(action, "name")
        wanted = context.get("reasons") or []
        if not isinstance(wanted, list):
            raise Problem(400, "reasons is to be a list: user, admin.")
        try:
            decision = self._asked(subject, action, resource, context)
        except StoreTrouble:
            raise
        except PrimLanternError as error:
            self._metrics.decisions.labels("unknown").inc()
            status = 404 if isinstance(error, UnknownName) else 400
            said = {"status": status, "message": plainly(error)}
            return {"decision": False, "context": {"error": said}}
        self._metrics.decisions.labels("yes" if decision else "no").inc()
        found: dict[str, Any] = {"decision": decision.allowed}
        if wanted:
            told = {}
            if "user" in wanted:
                told["reason_user"] = {"en": _for_people(decision, action["name"])}
            if "admin" in wanted and reasons:
                told["reason_admin"] = {"en": decision.reason}
            found["context"] = told
        return found

    def _asked(
        self,
        subject: Mapping[str, Any],
        action: Mapping[str, Any],
        resource: Mapping[str, Any],
        context: Mapping[str, Any],
    ) -> Decision:
        site, who, at = self._site, _login(subject), context.get("time")
        name, where = action["name"], resource["id"]
        more = _object(action, "properties", optional=True)
        if resource["type"] == "place":
            return site.may_manage(who, name, where, at)
        if resource["type"] != "item":
            raise UnknownName("The resource type", resource["type"])
        if name == "create":
            filed = more.get("categories", [])
            return site.may_create(who, _text(more, "kind"), where, filed, at)
        if name == "file-under":
            return site.may_file(who, where, _text(more, "category"), at)
        if name == "move":
            return site.may_move(who, where, _text(more, "to"), at)
        return site.may(who, name, where, at)

    # Search ---------------------------------------------------------------------------------------

    def _searching(self, search: Callable[[Mapping[str, Any]], Sequence[Any]]) -> Any:
        async def answer(request: Request) -> JSONResponse:
            token_for(request.scope, "asking")
            body = await body_of(request)
            try:
                found = await run_in_threadpool(search, body)
            except UnknownName as error:
                raise Problem(404, plainly(error)) from None
            return JSONResponse(_paged(body, found))

        return answer

    def _subjects(self, body: Mapping[str, Any]) -> list[dict[str, str]]:
        """Who may do something (section 8.4): users, or the guest."""
        action, resource = _object(body, "action"), _object(body, "resource")
        kind = _text(_object(body, "subject"), "type")
        name, where, at = _text(action, "name"), _text(resource, "id"), _time(body)
        if kind == "guest":
            asked = self._asked({"type": "guest", "id": "guest"}, action, resource, {"time": at})
            return [{"type": "guest", "id": "guest"}] if asked else []
        if kind != "user":
            raise UnknownName("The subject type", kind)
        if _text(resource, "type") == "item" and name not in NEED_MORE:
            logins = list(self._site.who_may(name, where, at))
        else:
            active = (u.login for u in self._site.data.users.values() if u.status == "active")
            told = {"time": at}
            logins = sorted(
                login
                for login in active
                if self._asked({"type": "user", "id": login}, action, resource, told)
            )
        return [{"type": "user", "id": login} for login in logins]

    def _resources(self, body: Mapping[str, Any]) -> list[dict[str, str]]:
        """To what somebody may do something (section 8.5): items, or places."""
        who = _login(_object(body, "subject"))
        name = _text(_object(body, "action"), "name")
        kind, at = _text(_object(body, "resource"), "type"), _time(body)
        if kind == "item":
            paths = self._site.items_for(who, name, at)
        elif kind == "place":
            data = self._site.data
            wide = name in SITE_WIDE_ACTIONS
            places = ["site"] if wide else ["site", *data.categories, *data.tree.sections()]
            paths = [p for p in places if self._site.may_manage(who, name, p, at)]
        else:
            raise UnknownName("The resource type", kind)
        return [{"type": kind, "id": path} for path in sorted(paths, key=tree_order)]

    def _actions(self, body: Mapping[str, Any]) -> list[dict[str, str]]:
        """What somebody may do to something (section 8.6)."""
        subject, resource = _object(body, "subject"), _object(body, "resource")
        who, at, where = _login(subject), _time(body), _text(resource, "id")
        site, kind = self._site, _text(resource, "type")
        if kind == "place":
            names = [
                each
                for each in MANAGING_ACTIONS
                if where == "site" or each not in SITE_WIDE_ACTIONS
                if site.may_manage(who, each, where, at)
            ]
        elif kind == "item":
            viewer = site.viewer(who, at)
            some = (each for each in site.data.item_actions if each not in NEED_MORE)
            names = [each for each in some if viewer.may(each, where)]
        else:
            raise UnknownName("The resource type", kind)
        return [{"name": name} for name in sorted(names)]


def _for_people(decision: Decision, action: str) -> str:
    """What a visitor is told: nothing that they might not know."""
    return "You may do this." if decision else f"You may not do this ({action})."


def _login(subject: Mapping[str, Any]) -> str | None:
    kind = _text(subject, "type")
    if kind == "guest":
        return None
    if kind != "user":
        raise UnknownName("The subject type", kind)
    return _text(subject, "id")


def _time(body: Mapping[str, Any]) -> Any:
    return _object(body, "context", optional=True).get("time")


def _object(body: Mapping[str, Any], name: str, *, optional: bool = False) -> Mapping[str, Any]:
    found = body.get(name)
    if found is None and optional:
        return {}
    if not isinstance(found, dict):
        raise Problem(400, f"{name} is to be an object.")
    return found


def _text(part: Mapping[str, Any], name: str) -> str:
    found = part.get(name)
    if not isinstance(found, str) or not found:
        raise Problem(400, f"{name} is to be a text, and is asked for.")
    return found


# Pages --------------------------------------------------------------------------------------------


def _paged(body: Mapping[str, Any], found: Sequence[Mapping[str, str]]) -> dict[str, Any]:
    """One page of what was found (section 8.2). A token says after what the next one begins, so
    that nothing is told twice where something has changed meanwhile."""
    page = _object(body, "page", optional=True)
    most = page.get("limit", _PAGE)
    if not isinstance(most, int) or isinstance(most, bool) or most < 1:
        raise Problem(400, "limit is to be a number, 1 or more.")
    most = min(most, _PAGE)
    question = {name: value for name, value in body.items() if name != "page"}
    mark = sha256(json.dumps(question, sort_keys=True).encode()).hexdigest()[:16]
    start = 0
    if page.get("token"):
        keys = [_key(each) for each in found]
        start = bisect_right(keys, _key_of(page["token"], mark))
    some = found[start : start + most]
    more = start + most < len(found)
    token = _token(mark, some[-1]) if more else ""
    told = {"next_token": token, "count": len(some), "total": len(found)}
    return {"results": list(some), "page": told}


def _key(one: Mapping[str, str]) -> tuple[str, ...]:
    return tree_order(one["id"] if "id" in one else one["name"])


def _token(mark: str, last: Mapping[str, str]) -> str:
    raw = json.dumps([mark, last["id"] if "id" in last else last["name"]])
    return base64.urlsafe_b64encode(raw.encode()).decode()


def _key_of(token: Any, mark: str) -> tuple[str, ...]:
    try:
        made_for, last = json.loads(base64.urlsafe_b64decode(str(token).encode()))
    except ValueError:
        made_for, last = None, None
    if made_for != mark or not isinstance(last, str):
        raise Problem(400, "This page token belongs to another question.")
    return tree_order(last)
