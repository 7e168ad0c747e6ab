"""The grid of the report: who may do what where, from broad to narrow, with why."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from typing import Final, NamedTuple

from prim_lantern.decide.engine import Engine
from prim_lantern.decide.explain import explain, words
from prim_lantern.decide.question import Question, trace_of
from prim_lantern.decide.stand_ins import login_of
from prim_lantern.decide.views.grid import ACTIONS, Row, grid_of, heading, said_of
from prim_lantern.site.places import is_above, section_of
from prim_lantern.site.who import GUESTS, Who
from prim_lantern.site.who import who as read_who

ALL: Final = "All"
OTHERS: Final = "All others"
_NAMED: Final = 3  # more of them in one column are not named one by one
_MOST_REASONS: Final = 120  # places of which it is told why


class Line(NamedTuple):
    """A place: how deep it is, whether words of its own stand there, and by column what they may
    and why."""

    where: str
    title: str
    depth: int
    own_words: int
    cells: tuple[tuple[str, tuple[str, ...]], ...]


class Section(NamedTuple):
    """A place at the top with all below it that is shown. Those who may the same everywhere in it
    share a column; `folded` counts the places below that say nothing new, and are left out."""

    columns: tuple[str, ...]
    lines: tuple[Line, ...]
    folded: int


class GridPart(NamedTuple):
    """The grid by sections, and whether it tells the reasons."""

    sections: tuple[Section, ...]
    reasons: bool


def grid_part(engine: Engine, areas: Sequence[str], whos: Sequence[str]) -> GridPart:
    """The grid of some places for some whos."""
    asked = [read_who(each) for each in whos]
    found = grid_of(engine, asked, areas, ACTIONS)
    called = list(map(heading, found.whos, found.called))
    with_reasons = len(areas) <= _MOST_REASONS
    tops: dict[str, list[tuple[Row, list[str]]]] = {}
    for row, marks in zip(found.rows, found.marks, strict=True):
        top = section_of(row.where)
        tops.setdefault(top, []).append((row, [said_of(ACTIONS, each) for each in marks]))
    sections = (_section(engine, some, asked, called, with_reasons) for some in tops.values())
    return GridPart(tuple(sections), with_reasons)


def _section(
    engine: Engine,
    rows: Sequence[tuple[Row, list[str]]],
    whos: Sequence[Who],
    called: Sequence[str],
    with_reasons: bool,
) -> Section:
    """The lines of a section, without those that say just what the one above says."""
    alike: dict[tuple[str, ...], list[int]] = {}
    for at in range(len(whos)):
        alike.setdefault(tuple(texts[at] for _, texts in rows), []).append(at)
    columns = sorted(alike.values(), key=len, reverse=True)
    shown: list[tuple[Row, list[str]]] = []
    for row, texts in rows:
        above = next((e for e in reversed(shown) if is_above(e[0].where, row.where)), None)
        if above is None or above[1] != texts or row.own_words:
            shown.append((row, texts))
    lines = [
        Line(
            row.where,
            row.title,
            0 if row.where == "/" else row.where.count("/"),
            row.own_words,
            tuple(
                (texts[some[0]], _reasons(engine, whos[some[0]], row.where) if with_reasons else ())
                for some in columns
            ),
        )
        for row, texts in shown
    ]
    return Section(tuple(_headings(columns, called)), tuple(lines), len(rows) - len(shown))


def _headings(columns: Sequence[Sequence[int]], called: Sequence[str]) -> Iterator[str]:
    """What the columns are called: the one that most are in is that of all others."""
    for number, some in enumerate(columns):
        if number == 0 and len(some) > _NAMED:
            yield ALL if len(columns) == 1 else OTHERS
        else:
            yield words.listed(called[at] for at in some)


def _reasons(engine: Engine, who: Who, where: str) -> tuple[str, ...]:
    """Why they may, or may not, a sentence for each action; of guests just whether they may read.
    Of a section where no page stands nothing is told."""
    if where not in engine.data.items:
        return ()
    login = None if who == GUESTS else login_of(who)
    reference = engine.reference_for(login)
    found = []
    for action in ACTIONS[:1] if login is None else ACTIONS:
        asked = Question(login, action, engine.at, where)
        found.append(explain(reference, asked, trace_of(reference, asked)).sentence)
    return tuple(found)
