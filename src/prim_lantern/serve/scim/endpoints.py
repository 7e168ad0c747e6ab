"""The endpoints of SCIM (RFC 7644): discovery, reading, writing, search, bulk."""

from __future__ import annotations

import re
from collections.abc import Callable, Iterator, Mapping
from typing import Any, Final

from pydantic import ValidationError
from scim2_models import (
    AuthenticationScheme,
    Bulk,
    BulkRequest,
    ChangePassword,
    Context,
    Error,
    ETag,
    Filter,
    ForbiddenException,
    InvalidSyntaxException,
    ListResponse,
    NotFoundException,
    Patch,
    PatchOp,
    PayloadTooLargeException,
    PreconditionFailedException,
    Resource,
    ResourceType,
    ResponseParameters,
    SCIMException,
    ScimProvider,
    SearchRequest,
    ServiceProviderConfig,
    Sort,
)
from starlette.concurrency import run_in_threadpool
from starlette.requests import Request
from starlette.responses import JSONResponse, Response
from starlette.routing import Route

from prim_lantern.live import Site
from prim_lantern.serve.bodies import LARGEST, body_of
from prim_lantern.serve.guard import token_for
from prim_lantern.serve.problems import Problem
from prim_lantern.serve.scim.directory import Groups, Ids, Kept, Users
from prim_lantern.serve.scim.schemas import Group, User
from prim_lantern.serve.tokens import Token

BASE: Final = "/scim/v2"
_TYPE: Final = "application/scim+json"
_MOST: Final = 1_000  # resources in one answer
_AT_ONCE: Final = 1_000  # operations in one bulk request
_ONE: Final = re.compile(r'\s*(\w+)\s+eq\s+"([^"\\]+)"\s*', re.IGNORECASE)

CONFIG: Final = ServiceProviderConfig(
    patch=Patch(supported=True),
    bulk=Bulk(supported=True, max_operations=_AT_ONCE, max_payload_size=LARGEST),
    filter=Filter(supported=True, max_results=_MOST),
    change_password=ChangePassword(supported=False),
    sort=Sort(supported=True),
    etag=ETag(supported=True),
    authentication_schemes=[
        AuthenticationScheme(
            type=AuthenticationScheme.Type.oauthbearertoken,
            name="Bearer token",
            description="A token that 'prim-lantern token make' gives.",
            primary=True,
        )
    ],
)


class Scim:
    """People and groups over HTTP."""

    def __init__(self, site: Site) -> None:
        ids = Ids(site)
        self._kept: dict[str, Kept[Any]] = {"Users": Users(site, ids), "Groups": Groups(site, ids)}
        self._provider = ScimProvider([each.model for each in self._kept.values()], config=CONFIG)

    def routes(self) -> Iterator[Route]:
        """Where they are."""
        for path, methods, answer in (
            ("/ServiceProviderConfig", ["GET"], self._config),
            ("/ResourceTypes", ["GET"], self._types),
            ("/ResourceTypes/{id}", ["GET"], self._types),
            ("/Schemas", ["GET"], self._schemas),
            ("/Schemas/{id}", ["GET"], self._schemas),
            ("/Bulk", ["POST"], self._bulk),
            ("/.search", ["POST"], self._search),
        ):
            yield Route(BASE + path, self._answering(answer), methods=methods)
        for sort in self._kept:
            for path, methods, answer in (
                ("/.search", ["POST"], self._search),
                ("", ["GET"], self._list),
                ("", ["POST"], self._create),
                ("/{id}", ["GET"], self._get),
                ("/{id}", ["PUT"], self._put),
                ("/{id}", ["PATCH"], self._patch),
                ("/{id}", ["DELETE"], self._delete),
            ):
                answering = self._answering(answer, sort)
                yield Route(f"{BASE}/{sort}{path}", answering, methods=methods)

    def _answering(self, answer: Callable[[Request, Any], Response], sort: str = "") -> Any:
        async def found(request: Request) -> Response:
            request.path_params["sort"] = sort
            try:
                writes = request.method in ("POST", "PUT", "PATCH")
                body = await body_of(request, _TYPE) if writes else None
                return await run_in_threadpool(answer, request, body)
            except ValidationError as error:
                told = Error.from_validation_errors(error)
                return _sent(told[0], told[0].status or 400)
            except SCIMException as error:
                return _sent(error.to_error(), error.to_error().status or 400)
            except Problem as problem:
                told = [Error(status=problem.status, detail=problem.detail)]
                return _sent(told[0], problem.status, problem.headers)

        return found

    # Discovery ------------------------------------------------------------------------------------

    def _config(self, _: Request, __: Any) -> Response:
        return _sent(CONFIG, 200)

    def _types(self, request: Request, _: Any) -> Response:
        return self._discovered(request, list(self._provider.resource_types), ResourceType)

    def _schemas(self, request: Request, _: Any) -> Response:
        schemas = list(self._provider.schemas)
        return self._discovered(request, schemas, type(schemas[0]))

    def _discovered(self, request: Request, some: list[Any], model: type[Any]) -> Response:
        token_for(request.scope, "reading")
        if "filter" in request.query_params:
            raise ForbiddenException(
                detail="What is served cannot be filtered (RFC 7644, section 4)."
            )
        wanted = request.path_params.get("id")
        if wanted is None:
            found = ListResponse[model](  # type: ignore[valid-type]
                total_results=len(some), start_index=1, items_per_page=len(some), resources=some
            )
            return _sent(found, 200)
        for each in some:
            if wanted in (each.id, each.name):
                return _sent(each, 200)
        raise NotFoundException(detail=f"There is no {wanted!r}.")

    # Reading --------------------------------------------------------------------------------------

    def _sort(self, request: Request) -> Kept[Any]:
        return self._kept[request.path_params["sort"]]

    @staticmethod
    def _base(request: Request) -> str:
        return str(request.base_url).rstrip("/") + BASE

    def _get(self, request: Request, _: Any) -> Response:
        token_for(request.scope, "reading")
        found = self._sort(request).get(request.path_params["id"], self._base(request))
        version = found.meta.version
        if version in _named(request, "if-none-match"):
            return Response(status_code=304, headers={"ETag": version})
        return _resource(found, 200, _parameters(type(found), request.query_params))

    def _list(self, request: Request, _: Any) -> Response:
        token_for(request.scope, "reading")
        kept = self._sort(request)
        asked = SearchRequest[kept.model].model_validate(  # type: ignore[name-defined]
            dict(request.query_params), scim_ctx=Context.SEARCH_REQUEST
        )
        return self._found([kept], asked, request)

    def _search(self, request: Request, body: Any) -> Response:
        token_for(request.scope, "reading")
        some = [self._sort(request)] if request.path_params["sort"] else list(self._kept.values())
        model: Any = some[0].model if len(some) == 1 else some[0].model | some[1].model
        asked = SearchRequest[model].model_validate(body, scim_ctx=Context.SEARCH_REQUEST)
        return self._found(some, asked, request)

    def _found(self, some: list[Kept[Any]], asked: Any, request: Request) -> Response:
        base = self._base(request)
        one = _ONE.fullmatch(str(asked.filter or ""))
        known = some[0].known_as(one[1].lower(), one[2]) if one and len(some) == 1 else None
        if known is not None:  # what directories ask most
            matching = [some[0].get(each, base) for each in known]
        else:
            every = (each for kept in some for each in kept.all(base))
            matching = [e for e in every if asked.filter is None or asked.filter.match(e)]
        if asked.sort_by:
            matching = list(asked.sort(matching))
        start = max(1, asked.start_index or 1)
        count = _MOST if asked.count is None else max(0, min(asked.count, _MOST))
        page = matching[start - 1 : start - 1 + count]
        model: Any = some[0].model if len(some) == 1 else some[0].model | some[1].model
        found = ListResponse[model](
            total_results=len(matching), start_index=start, items_per_page=len(page), resources=page
        )
        told = found.model_dump(scim_ctx=Context.SEARCH_RESPONSE, response_parameters=asked)
        return JSONResponse(told, media_type=_TYPE)

    # Writing ----------------------------------------------------------------------------

    def _create(self, request: Request, body: Any) -> Response:
        kept, token = self._sort(request), token_for(request.scope, "provisioning")
        new = self._created(kept, body, token)
        found = kept.get(new, self._base(request))
        return _resource(found, 201, _parameters(kept.model, request.query_params))

    def _created(self, kept: Kept[Any], body: Any, token: Token) -> str:
        body = kept.completed(body)
        new = kept.model.model_validate(body, scim_ctx=Context.RESOURCE_CREATION_REQUEST)
        return kept.create(new, token.acts_as or "", _why(token))

    def _put(self, request: Request, body: Any) -> Response:
        return self._changed(request, lambda kept, before: _replacement(kept, before, body))

    def _patch(self, request: Request, body: Any) -> Response:
        return self._changed(request, lambda kept, before: _patched(kept, before, body))

    def _changed(self, request: Request, make: Callable[[Kept[Any], Any], Any]) -> Response:
        kept, token = self._sort(request), token_for(request.scope, "provisioning")
        one, base = request.path_params["id"], self._base(request)
        before = kept.get(one, base)
        _only_if(request, before)
        kept.replace(before, make(kept, before), token.acts_as or "", _why(token))
        return _resource(kept.get(one, base), 200, _parameters(kept.model, request.query_params))

    def _delete(self, request: Request, _: Any) -> Response:
        kept, token = self._sort(request), token_for(request.scope, "provisioning")
        before = kept.get(request.path_params["id"], self._base(request))
        _only_if(request, before)
        kept.delete(before.id, token.acts_as or "", _why(token))
        return Response(status_code=204)

    # Bulk ---------------------------------------------------------------------------------

    def _bulk(self, request: Request, body: Any) -> Response:
        """Several writes (RFC 7644, section 3.7): each is a change of its own."""
        token = token_for(request.scope, "provisioning")
        model: Any = BulkRequest[User | Group]
        asked = model.model_validate(body, scim_ctx=Context.BULK_REQUEST)
        some = body.get("Operations") or []
        if not isinstance(some, list) or not all(isinstance(each, dict) for each in some):
            raise InvalidSyntaxException(detail="Operations are to be a list of objects.")
        if len(some) > _AT_ONCE:
            raise PayloadTooLargeException(detail=f"{_AT_ONCE:,} operations at most.")
        answers: list[dict[str, Any]] = []
        ids: dict[str, str] = {}
        failed = 0
        for each in some:
            answer = self._one_of_bulk(each, token, ids, self._base(request))
            answers.append(answer)
            failed += int(answer["status"]) >= 400
            if asked.fail_on_errors and failed >= asked.fail_on_errors:
                break
        schema = "urn:ietf:params:scim:api:messages:2.0:BulkResponse"
        return JSONResponse({"schemas": [schema], "Operations": answers}, media_type=_TYPE)

    def _one_of_bulk(
        self, one: Mapping[str, Any], token: Token, ids: dict[str, str], base: str
    ) -> dict[str, Any]:
        told = {name: one[name] for name in ("method", "bulkId", "version") if name in one}
        try:
            found = self._carried_out(one, token, ids, base)
            return {**told, **found}
        except ValidationError as error:
            refused = Error.from_validation_errors(error)[0]
        except SCIMException as error:
            refused = error.to_error()
        return {**told, "status": str(refused.status or 400), "response": refused.model_dump()}

    def _carried_out(
        self, one: Mapping[str, Any], token: Token, ids: dict[str, str], base: str
    ) -> dict[str, Any]:
        """One operation of several: its status, and where the resource is."""
        method = str(one.get("method", "")).upper()
        sort, _, name = str(one.get("path", "")).strip("/").partition("/")
        kept, name, data = self._kept.get(sort), _known(name, ids), _known(one.get("data"), ids)
        if kept is None:
            raise NotFoundException(detail="There are /Users and /Groups.")
        by, why = token.acts_as or "", _why(token)
        if method == "POST":
            name = self._created(kept, data, token)
            ids[str(one.get("bulkId", ""))] = name
        elif method == "DELETE":
            kept.delete(kept.get(name, base).id, by, why)
            return {"status": "204", "location": f"{base}{kept.endpoint}/{name}"}
        else:
            before = kept.get(name, base)
            if one.get("version") not in (None, before.meta.version):
                raise PreconditionFailedException(detail="It was changed meanwhile.")
            make = _patched if method == "PATCH" else _replacement
            kept.replace(before, make(kept, before, data), by, why)
        meta = kept.get(name, base).meta
        status = "201" if method == "POST" else "200"
        return {"status": status, "location": meta.location, "version": meta.version}


def told_as_scim(status: int, detail: str) -> Response:
    """An error of SCIM (RFC 7644, section 3.12)."""
    return _sent(Error(status=status, detail=detail), status)


def _why(token: Token) -> str:
    return f"By a directory, with the token {token.name}"


def _replacement(kept: Kept[Any], before: Any, body: Any) -> Any:
    after = kept.model.model_validate(
        kept.completed(body), scim_ctx=Context.RESOURCE_REPLACEMENT_REQUEST
    )
    after.replace(before)
    return after


def _patched(kept: Kept[Any], before: Any, body: Any) -> Any:
    patch = PatchOp[kept.model].model_validate(  # type: ignore[name-defined]
        body, scim_ctx=Context.RESOURCE_PATCH_REQUEST
    )
    after = before.model_copy(deep=True)
    patch.patch(after)
    return after


def _only_if(request: Request, before: Any) -> None:
    """Go on where somebody changes what they have seen (RFC 7644, section 3.14)."""
    wanted = _named(request, "if-match")
    if wanted and not {"*", before.meta.version} & set(wanted):
        raise PreconditionFailedException(detail="It was changed meanwhile: read it once more.")


def _named(request: Request, header: str) -> list[str]:
    return [each.strip() for each in request.headers.get(header, "").split(",") if each.strip()]


def _parameters(model: type[Resource[Any]], query: Mapping[str, str]) -> Any:
    return ResponseParameters[model].model_validate(dict(query))  # type: ignore[valid-type]


def _resource(found: Any, status: int, asked: Any) -> Response:
    told = found.model_dump(scim_ctx=Context.RESOURCE_QUERY_RESPONSE, response_parameters=asked)
    headers = {"ETag": found.meta.version, "Location": found.meta.location}
    return JSONResponse(told, status, headers, _TYPE)


def _sent(found: Any, status: int, headers: Mapping[str, str] | None = None) -> Response:
    return JSONResponse(found.model_dump(), int(status), dict(headers or {}), _TYPE)


def _known(value: Any, ids: Mapping[str, str]) -> Any:
    """The same with ids in the place of bulkIds."""
    if isinstance(value, str) and value.startswith("bulkId:"):
        return ids.get(value.removeprefix("bulkId:"), value)
    if isinstance(value, dict):
        return {name: _known(each, ids) for name, each in value.items()}
    return [_known(each, ids) for each in value] if isinstance(value, list) else value
