"""Operations as the commands that make them."""

from __future__ import annotations

import shlex
from collections.abc import Iterator, Mapping
from dataclasses import fields
from typing import Any, Final, NamedTuple

from prim_lantern.change.operations.base import Operation
from prim_lantern.site.rights import Capability


class _Form(NamedTuple):
    """A command: its words, the fields that are written after it in order (those that end with
    `*` as several words, others that hold several joined with commas), and the options of others;
    one that ends with a comma takes several joined, any other is said for each."""

    command: str
    arguments: tuple[str, ...]
    options: Mapping[str, str] = {}


_TIMES: Final = {"since": "--since", "until": "--until"}
_WORD: Final = {
    "reach": "--reach",
    "kinds": "--kind",
    "whose": "--whose",
    "in_state": "--in-state",
    **_TIMES,
    "id": "--id",
    "note": "--note",
}
_FORMS: Final[Mapping[str, _Form]] = {
    "add-members": _Form("group add-members", ("group", "logins*"), _TIMES),
    "remove-members": _Form("group remove-members", ("group", "logins*")),
    "add-group": _Form(
        "group add", ("name",), {"label": "--label", "about": "--about", "counts_in": "--counts-in"}
    ),
    "change-group": _Form(
        "group change",
        ("name",),
        {"label": "--label", "about": "--about", "count_in": "--counts-in",
         "no_longer_in": "--not-in", "external_id": "--external-id"},
    ),
    "remove-role": _Form("role remove", ("name",)),
    "remove-group": _Form("group remove", ("name",)),
    "remove-readership": _Form("readership remove", ("name",)),
    "add-role": _Form("role add", ("name",), {"label": "--label", "includes": "--on"}),
    "change-role": _Form(
        "role change",
        ("name",),
        {"label": "--label", "build_on": "--on", "no_longer_on": "--not-on", "drop": "--drop,"},
    ),
    "add-user": _Form("user add", ("login",), {"name": "--name", "groups": "--group"}),
    "change-user": _Form("user change", ("login",), {"name": "--name"}),
    "sign-up": _Form("user sign-up", ("login",), {"groups": "--group"}),
    "suspend": _Form("user suspend", ("login",)),
    "bring-back": _Form("user bring-back", ("login",)),
    "enrol": _Form("plan enrol", ("plan", "logins*"), {"since": "--since"}),
    "end-enrolment": _Form("plan end", ("plan", "logins*")),
    "renew-enrolment": _Form("plan renew", ("plan", "logins*")),
    "give": _Form("give", ("role", "to"), {"within_any": "--within", **_TIMES}),
    "take-back": _Form("take-back", ("role", "to"), {"within_any": "--within", **_TIMES}),
    "allow": _Form("allow", ("to", "actions", "where"), _WORD),
    "deny": _Form(
        "deny", ("to", "actions", "where"), {**_WORD, "no_exceptions": "--no-exceptions"}
    ),
    "remove-rule": _Form("rule remove", ("rule",)),
    "stop-from-above": _Form("from-above", ("where",), {"off": "--let-in"}),
    "add-readership": _Form(
        "readership add",
        ("name", "readers"),
        {"label": "--label", "all_of": "--all-of", "but_not": "--but-not"},
    ),
    "change-readership": _Form(
        "readership change",
        ("name",),
        {"label": "--label", "add": "--add", "drop": "--drop", "also_all_of": "--all-of",
         "also_but_not": "--but-not",
         "no_longer_all_of": "--not-all-of", "no_longer_but_not": "--but-again"},
    ),
    "set-readership": _Form(
        "readership set", ("where", "readership"), {"reach": "--reach", "alone": "--alone"}
    ),
    "clear-readership": _Form("readership clear", ("where",)),
    "take-step": _Form(
        "item step", ("path", "step"), {"public_from": "--from", "public_until": "--until"}
    ),
    "change-item": _Form(
        "item change",
        ("path",),
        {"file_under": "--filed", "no_longer_under": "--not-filed", "add_authors": "--add-author",
         "drop_authors": "--drop-author", "public_from": "--public-from",
         "public_until": "--public-until", "links_to": "--links-to", "title": "--title"},
    ),
    "move-item": _Form("item move", ("path", "new_parent"), {"name": "--as"}),
    "add-item": _Form(
        "item add", ("path", "kind"), {"title": "--title", "categories": "--filed",
                                       "authors": "--author", "links_to": "--links-to"}
    ),
    "set-stewards": _Form("group stewards", ("group",), {"add": "--add", "drop": "--drop"}),
}  # fmt: skip

_ROWS: Final = {"add-role": "capabilities", "change-role": "add"}  # what a role can do, by rows


def command_of(operation: Operation) -> str:
    """The command (what follows `prim-lantern`) that makes an operation.

    Raises `KeyError` for an operation that nothing here proposes, and where it says more than the
    command is known to.

    >>> from prim_lantern.change.operations.groups import AddMembers
    >>> command_of(AddMembers("keepers", ("sam.whitlock",)))
    'group add-members keepers sam.whitlock'
    """
    form = _FORMS[operation.do]
    found = [form.command]
    for name in form.arguments:
        value = getattr(operation, name.removesuffix("*"))
        if name.endswith("*") or isinstance(value, str):
            found += [shlex.quote(each) for each in _texts(value)]
        else:
            found.append(shlex.quote(",".join(value)))
    if operation.do == "stop-from-above" and not getattr(operation, "off", False):
        found.append("--stop")
    for row in getattr(operation, _ROWS.get(operation.do, ""), ()):
        found += _row(row)
    return " ".join([*found, *_options(operation, form)])


def _row(row: Capability) -> Iterator[str]:
    """One row of what a role can do, as options."""
    for option, values in (
        ("--can", row.can),
        ("--own", row.own),
        ("--kind", row.kinds),
        ("--in-state", row.in_state),
    ):
        if values:
            yield f"{option} {shlex.quote(','.join(values))}"


def _options(operation: Operation, form: _Form) -> Iterator[str]:
    written_down = {name.removesuffix("*") for name in form.arguments}
    written_down.add(_ROWS.get(operation.do, ""))
    for each in fields(operation):
        value = getattr(operation, each.name)
        taken_away = value == "" and each.default is None
        if not (value or taken_away) or value == each.default or each.name in written_down:
            continue
        option = form.options[each.name]
        if taken_away:
            yield f"{option} ''"
        elif value is True:
            yield option
        elif each.name in ("since", "until"):
            yield f"{option} {value}"
        elif option.endswith(","):
            yield f"{option[:-1]} {shlex.quote(','.join(_texts(value)))}"
        else:
            yield from (f"{option} {shlex.quote(text)}" for text in _texts(value))


def _texts(value: Any) -> tuple[str, ...]:
    if value is None or value == "":
        return ()
    return (value,) if isinstance(value, str) else tuple(map(str, value))
