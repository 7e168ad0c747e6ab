"""`may` and `why`: one question, one answer."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

import click

from prim_lantern.cli.common import (
    answering,
    complete_action,
    complete_place,
    complete_who,
    opened,
    person_or_anybody,
    print_json,
    print_lines,
)
from prim_lantern.decide.decision import Decision
from prim_lantern.decide.explain import words
from prim_lantern.decide.stand_ins import asked_of
from prim_lantern.errors import BadQuestion
from prim_lantern.live import Site
from prim_lantern.show.answers import answer_lines, explanation_lines
from prim_lantern.show.terminal import wrapped
from prim_lantern.site.actions import MANAGING_ACTIONS, STEPS


def _question(command: Callable[..., Any]) -> Callable[..., Any]:
    """The arguments of a question."""
    for decorate in (
        answering,
        click.option("--below", metavar="PARENT", help="For move: the new parent."),
        click.option(
            "--filed", multiple=True, metavar="CATEGORY", help="For create and file-under."
        ),
        click.option("--kind", help="For create: the kind of item."),
        click.argument("place", default="site", shell_complete=complete_place),
        click.argument("action", shell_complete=complete_action),
        click.argument("who", shell_complete=complete_who),
    ):
        command = decorate(command)
    return command


@click.command(short_help="May somebody do this? Yes or no.")
@_question
def may(where: str, as_json: bool, **asked: Any) -> int:
    """May WHO do ACTION at PLACE? Yes (exit code 0) or no (1), with the reason.

    WHO is a login, part of a name, "guest", or for anybody of whom just that is known: group:…,
    role:…, signed-in.
    PLACE is the path of an item; for create the parent, for manage-rights any path,
    category or "site".

    \b
    prim-lantern may sam edit /log/seal-count
    prim-lantern may sam create /log --kind post --filed topic:press
    prim-lantern may anneke file-under /log/bees --filed topic:press
    prim-lantern may leif move /stations/fennick/landing --below /stations/marrow
    prim-lantern may beatrix manage-rights /trustees
    """
    site, decision = _answered(where, **asked)
    explanation = decision.explanation
    if as_json:
        print_json(
            {
                "question": decision.question.to_dict(),
                "allowed": decision.allowed,
                "sentence": explanation.sentence,
            }
        )
    else:
        print_lines(answer_lines(explanation.sentence, decision.allowed))
        print_lines(_of_the_state(site, decision, asked["at"]))
    return 0 if decision.allowed else 1


@click.command(short_help="Why, or why not: all that counted.")
@_question
def why(where: str, as_json: bool, **asked: Any) -> int:
    """Why may WHO do ACTION at PLACE, or why not? Asked like 'may'.

    Says what decided it and in which line that stands, by which way it reaches the
    person, what was outweighed, and for a no what is missing.
    """
    explanation = _answered(where, **asked)[1].explanation
    if as_json:
        print_json(explanation.to_dict())
    else:
        print_lines(explanation_lines(explanation))
    return 0


def _answered(where: str, at: str | None, **asked: Any) -> tuple[Site, Decision]:
    """The site and its answer."""
    site = opened(where)
    return site, _ask(site, **asked, at=at)


def _of_the_state(site: Site, decision: Decision, at: str | None) -> list[str]:
    """That an answer speaks of the right alone, where the item is in no state for the step."""
    asked = decision.question
    if asked.action not in STEPS or asked.path is None or not decision.allowed:
        return []
    who = asked_of(asked.who)
    if site.is_possible(who, asked.action, asked.path, at):
        return []
    if site.data.is_part(asked.path):
        now = f"{asked.path} is a part, and its state is that of its page"
    else:
        state = site.data.items[asked.path].state_at(site.moment(at))
        leads = words.listed(STEPS[asked.action].from_states, "or")
        now = f"{asked.path} is {state} now, and {asked.action} leads from {leads}"
    return [*wrapped(f"This is about the right alone: {now}.")]


def _ask(
    site: Site,
    who: str,
    action: str,
    place: str,
    kind: str | None,
    filed: tuple[str, ...],
    below: str | None,
    at: str | None,
) -> Decision:
    """Put the question in the form that its action needs."""
    login = person_or_anybody(site, who)
    _only_for("--kind", kind, action, "create")
    _only_for("--filed", filed, action, "create", "file-under")
    _only_for("--below", below, action, "move")
    if action in MANAGING_ACTIONS:
        return site.may_manage(login, action, place, at)
    if action != "move":
        site.data.action(action)  # a name that is not known is said before what is missing
    if place == "site":
        raise BadQuestion(f"{action!r} is asked of an item: add its path, as in '/log'.")
    if action == "create":
        if kind is None:
            raise BadQuestion("'create' needs a kind: add --kind, as in '--kind page'.")
        return site.may_create(login, kind, place, filed, at)
    if action == "file-under":
        if len(filed) != 1:
            raise BadQuestion("'file-under' needs one category: add '--filed topic:…'.")
        return site.may_file(login, place, filed[0], at)
    if action == "move":
        if below is None:
            raise BadQuestion("'move' needs the new parent: add --below, as in '--below /log'.")
        return site.may_move(login, place, below, at)
    return site.may(login, action, place, at)


def _only_for(option: str, value: object, action: str, *actions: str) -> None:
    if value and action not in actions:
        raise BadQuestion(f"{option} belongs to {' and '.join(actions)}, not to {action!r}.")


COMMANDS = {"may": may, "why": why}
