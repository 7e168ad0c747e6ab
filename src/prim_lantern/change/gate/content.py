"""What a change asks of items: created, removed, changed, moved and taken along their states."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from typing import Final

from prim_lantern.change.gate.judged import Judged
from prim_lantern.change.gate.missing import Missing, to_manage
from prim_lantern.change.renames import Renames
from prim_lantern.decide import subject
from prim_lantern.decide.subject import Subject
from prim_lantern.site.actions import STEPS
from prim_lantern.site.content import (
    ARCHIVED,
    DRAFT,
    IN_REVIEW,
    PUBLISHED,
    SCHEDULED,
    Item,
)
from prim_lantern.site.places import SITE, parent_of, place, way_to
from prim_lantern.values import names_of, replace
from prim_lantern.wording import with_article

PUBLIC: Final = (SCHEDULED, PUBLISHED)
TOUCHED: Final = frozenset({"title", "links_to", "categories", "kind", "authors"})
_LEADS_TO: Final = {  # each state, and the steps that lead to another from it
    DRAFT: (("submit", IN_REVIEW), ("publish", PUBLISHED)),
    IN_REVIEW: (("send-back", DRAFT), ("withdraw", DRAFT), ("publish", PUBLISHED)),
    SCHEDULED: (("withdraw", DRAFT),),
    PUBLISHED: (("withdraw", DRAFT), ("archive", ARCHIVED)),
    ARCHIVED: (("publish", PUBLISHED),),
}


def missing(judged: Judged) -> Iterator[Missing]:
    """What somebody who is not the top lacks for what becomes of items."""
    for number, each in enumerate(judged.renames):
        if each.paths:
            yield from _moved(judged, number, each)
    brings_in = judged.manages("manage-rights", SITE)
    for piece in judged.of("items"):
        if piece.before is None:
            if not brings_in:
                yield from _new(judged, piece.after)
        elif piece.after is None:
            yield from _may(judged, "delete", judged.earlier(piece.name))
        else:
            yield from _changed(judged, piece.before, piece.after)


def differing(before: Item, after: Item) -> set[str]:
    """The fields in which two items differ."""
    return {
        name
        for name in names_of(Item)
        if name != "origin" and getattr(before, name) != getattr(after, name)
    }


# Four eyes ----------------------------------------------------------------------------------------


def own_work(judged: Judged) -> Iterator[Missing]:
    """What four eyes forbid, the owner too: that one of its hands makes something public."""
    for piece in judged.of("items"):
        if piece.after is not None and _newly_public(judged, piece.before, piece.after):
            hands = {*piece.after.authors, *piece.after.changed_by}
            if piece.before is not None:
                hands |= {*piece.before.authors, *piece.before.changed_by}
                if differing(piece.before, piece.after) & TOUCHED:
                    hands.add(judged.by)
            if judged.by in hands:
                kind = judged.after.all_kinds[piece.after.kind]
                yield Missing(
                    f"{with_article(kind.called)} asks for four eyes: nobody makes public what "
                    f"they wrote or changed, and they did so with {piece.name}",
                    nobody=True,
                )


def _newly_public(judged: Judged, before: Item | None, after: Item) -> bool:
    """Whether an item becomes public that asks for four eyes, or comes to ask for them so."""
    kind = judged.after.all_kinds[after.kind]
    if kind.part or not kind.four_eyes or after.state not in PUBLIC:
        return False
    if before is None or before.state not in PUBLIC:
        return True
    had = judged.base.all_kinds[before.kind]
    if before.kind != after.kind and not had.four_eyes:
        return True
    at = judged.made.at
    return before.state_at(at) == ARCHIVED and after.state_at(at) != ARCHIVED


# Rights -------------------------------------------------------------------------------------------


def _may(judged: Judged, action: str, path: str, states: Sequence[str] = ()) -> Iterator[Missing]:
    """`path` is one of before; with `states`, one of them is enough."""
    about = judged.subject_before(path)
    asked = [about._replace(state=state) for state in states] or [about]
    if not any(judged.engine.allows_of(judged.by, action, each) for each in asked):
        yield Missing(f"they may not {action} {path}")


def _new(judged: Judged, item: Item) -> Iterator[Missing]:
    parent = parent_of(item.path)
    kind = judged.after.all_kinds[item.kind]
    if parent is None:
        yield to_manage("manage-rights", SITE)  # the home page belongs to the site
        return
    yield from _creates(judged, item, parent)
    if judged.by not in item.authors and not kind.part:
        if not judged.manages_rights(place(item.path)):
            yield to_manage("manage-rights", judged.earlier_place(place(item.path)))
    elif len(item.authors) > 1 and not judged.manages_rights(place(item.path)):
        yield to_manage("manage-rights", judged.earlier_place(place(item.path)))
    if kind.part:
        return
    about = standing(judged, item)
    if item.state != DRAFT:
        yield from _steps(judged, about, item, DRAFT)
    elif item.public_from or item.public_until:
        yield from _allowed(judged, "publish", about, item.path)


def _creates(judged: Judged, item: Item, parent: str) -> Iterator[Missing]:
    """Whether they may create it as it is, below a path of after."""
    drafted = replace(item, state=DRAFT, authors=(judged.by,))
    engine, by = judged.engine, judged.by
    above = judged.earlier(parent)
    parent_read = above not in judged.before.items or engine.allows(by, "read", above)
    fresh = below(judged, drafted, parent)
    abouts = [fresh]
    if not judged.after.all_kinds[item.kind].part and _spoken_of(judged, item.path):
        abouts.append(standing(judged, drafted))  # words stand there that nobody took away
    allowed = parent_read and all(
        engine.allows_of(by, "create", about, any_state=True)
        and all(engine.file(by, about, each, any_state=True) for each in item.categories)
        for about in abouts
    )
    if not allowed:
        kind = judged.after.all_kinds[item.kind].called
        filed = f", filed under {' and '.join(item.categories)}," if item.categories else ""
        yield Missing(f"they may not create {with_article(kind)}{filed} below {parent}")


def _spoken_of(judged: Judged, path: str) -> bool:
    return ("path", judged.earlier(path)) in set(judged.engine.rights.spots())


def _changed(judged: Judged, before: Item, after: Item) -> Iterator[Missing]:
    path = judged.earlier(after.path)
    there = place(after.path)
    changed = differing(before, after)
    is_part = judged.before.is_part(path)
    states = list(_states_between(before, after)) if "state" in changed and not is_part else []
    if changed & {"title", "links_to", "kind", "categories"}:
        yield from _may(judged, "edit", path, states)
    if "kind" in changed:
        yield from _other_kind(judged, before, after)
    for category in sorted(set(before.categories) ^ set(after.categories)):
        if not judged.engine.file(judged.by, judged.subject_before(path), category):
            yield Missing(f"they may not file {path} under {category}, or take it out")
    if "authors" in changed and not judged.manages_rights(there):
        yield to_manage("manage-rights", judged.earlier_place(there))
    if "state" in changed:
        yield from _steps(judged, judged.subject_before(path), after, before.state, before)
    if changed & {"public_from", "public_until"}:
        yield from _may(judged, "publish", path)


def _other_kind(judged: Judged, before: Item, after: Item) -> Iterator[Missing]:
    parent = parent_of(after.path)
    if parent is None:
        return  # of the home page only editing is asked
    yield from _creates(judged, after, parent)
    if DRAFT not in (before.state, after.state):
        path = judged.earlier(after.path)
        yield from _may(judged, "publish", path)
        about = judged.subject_before(path)._replace(kinds=frozenset({after.kind}))
        yield from _allowed(judged, "publish", about, path)


def _allowed(judged: Judged, action: str, about: Subject, path: str) -> Iterator[Missing]:
    if not judged.engine.allows_of(judged.by, action, about):
        yield Missing(f"they may not {action} {path}")


# Steps --------------------------------------------------------------------------------------------


def _states_between(before: Item, after: Item) -> Iterator[str]:
    """The states that an item goes through, both ends among them."""
    yield before.state
    for _, state in _way(before.state, after.state) or ():
        yield state


def _way(start: str, end: str) -> list[tuple[str, str]] | None:
    """The shortest row of steps from one state to another, each with the state it leads to;
    scheduled and published are one here, as the time tells them apart."""
    end = PUBLISHED if end == SCHEDULED else end
    rows: list[list[tuple[str, str]]] = [[]]
    seen = {start}
    for row in rows:  # grows while it is walked: breadth first
        at = row[-1][1] if row else start
        if row and at == end:
            return row
        for step, state in _LEADS_TO[at]:
            if state not in seen or state == end:
                seen.add(state)
                rows.append([*row, (step, state)])
    return None


def _steps(
    judged: Judged, about: Subject, after: Item, start: str, before: Item | None = None
) -> Iterator[Missing]:
    """Each step on the way to a state has to be theirs, in the state in which it is taken."""
    if before is not None and before.state in PUBLIC and after.state in PUBLIC:
        yield from _allowed(judged, "publish", about, after.path)
        return
    start = before.state_at(judged.made.at) if before is not None else start
    missing: list[Missing] = []
    for row in _rows(start, after.state):
        missing = []
        at = start
        for step, state in row:
            own_only = STEPS[step].own_only_from
            own = at not in own_only or judged.by in about.authors
            if not own or not judged.engine.allows_of(judged.by, step, about._replace(state=at)):
                missing.append(Missing(f"they may not {step} {after.path}"))
            at = state
        if not missing:
            return
    if judged.taking_back and after.state not in PUBLIC:
        # whoever may take a step may take it back
        for step, state in _LEADS_TO[_stored(after.state)]:
            same = state == _stored(start)
            if same and judged.engine.allows_of(judged.by, step, about._replace(state=after.state)):
                return
    yield from missing[:1] or [Missing(f"no step leads {after.path} from {start} to {after.state}")]


def _stored(state: str) -> str:
    return PUBLISHED if state == SCHEDULED else state


def _rows(start: str, end: str) -> Iterator[list[tuple[str, str]]]:
    """The shortest row of steps, once for each first step that begins one so short."""
    shortest = _way(start, end)
    if shortest is None:
        return
    for step, state in _LEADS_TO[start]:
        rest = [] if state == _stored(end) else _way(state, end)
        if rest is not None and len(rest) + 1 == len(shortest):
            yield [(step, state), *rest]


# Moving -------------------------------------------------------------------------------------------


def _moved(judged: Judged, number: int, renames: Renames) -> Iterator[Missing]:
    """Editing it and all below, and creating it as pictured there; publishing what is no draft."""
    earlier, later = judged.renames[:number], judged.renames[number + 1 :]
    for old, new in renames.paths.items():
        was, parent, now = old, parent_of(new) or "/", new
        for each in reversed(earlier):
            was, parent = each.inverse.path(was), each.inverse.path(parent)
        for each in later:
            now = each.path(now)
        if not judged.before.tree.holds(was):
            continue  # it came with this very change
        data, engine = judged.before, judged.engine
        moving = [each for each in (was, *data.tree.below(was)) if each in data.items]
        for path in moving:
            if not engine.allows(judged.by, "edit", path):
                yield Missing(f"they may not edit {path}, which moves")
                break
        if parent == parent_of(was):
            continue  # it only gets another name
        top = data.items.get(was)
        above = parent_of(now) or "/"
        if top is not None:
            about = below(judged, top, above)
            yield from _arrives(judged, about, top, above)
        for path in moving:
            yield from _published_there(judged, path, path.removeprefix(was), above)


def _arrives(judged: Judged, about: Subject, item: Item, above: str) -> Iterator[Missing]:
    engine, by = judged.engine, judged.by
    parent = judged.earlier(above)
    allowed = (
        (parent not in judged.before.items or engine.allows(by, "read", parent))
        and engine.allows_of(by, "create", about, any_state=True)
        and all(engine.file(by, about, each, any_state=True) for each in item.categories)
    )
    if not allowed:
        kind = judged.before.all_kinds[item.kind].called
        yield Missing(f"they may not create {with_article(kind)} below {above}, where it moves to")


def _published_there(judged: Judged, path: str, further: str, above: str) -> Iterator[Missing]:
    data = judged.before
    item = data.items[path]
    kind = data.all_kinds[item.kind]
    if kind.part and further:
        return  # it moves with its page
    page = data.items[data.page_of(path)]
    if page.state_at(judged.made.at) == DRAFT:
        return
    about = below(judged, item, above, further)
    if kind.part and about.page == judged.subject_before(path).page:
        return  # it stays on its page
    if not judged.engine.allows_of(judged.by, "publish", about):
        yield Missing(f"they may not publish {path} where it moves to, below {above}")


# Pictured -----------------------------------------------------------------------------------------


def standing(judged: Judged, item: Item) -> Subject:
    """An item of after, at its own path, with the paths of before."""
    about = subject.of_item(judged.after, item, judged.made.at)
    return _with_paths(judged, about, judged.earlier(item.path))


def _with_paths(judged: Judged, about: Subject, path: str) -> Subject:
    own = frozenset(map(judged.earlier, about.own_paths))
    page = judged.earlier(about.page) if about.page is not None else None
    return about._replace(way=way_to(path), own_paths=own, page=page)


def below(judged: Judged, item: Item, above: str, further: str = "") -> Subject:
    """An item as it would stand at a fresh path below a path of after; `further` is where it
    stands below what comes there."""
    return subject.newly(judged.after, item, above, judged.earlier(above), further, judged.made.at)
