"""One readership: who is in it, where it stands, and of how many items it decides there."""

from __future__ import annotations

from collections import Counter
from typing import NamedTuple

from prim_lantern.decide.engine import Engine
from prim_lantern.site.places import parent_of
from prim_lantern.site.rights import Readership
from prim_lantern.site.who import Who


class Stands(NamedTuple):
    """A place where a readership stands; `alone` says that those from above do not count there.
    `items` is how many items it counts for."""

    place: str
    alone: bool
    items: int


class ReadershipView(NamedTuple):
    """Who is in a readership: logins of active users, sorted, and whether guests are. Authors are
    not among them, as that is another thing for each item; whoever has a role counts wherever it
    is given."""

    name: str
    people: tuple[str, ...]
    guests: bool
    stands_at: tuple[Stands, ...]

    def to_dict(self) -> dict[str, object]:
        """The same for programs."""
        places = [each._asdict() for each in self.stands_at]
        return {**self._asdict(), "people": list(self.people), "stands_at": places}


def readership_view(engine: Engine, readership: Readership) -> ReadershipView:
    """A readership at the moment of the engine."""
    data = engine.data
    active = [login for login in data.people.names if engine.acting(login) is not None]
    counted = _counted(engine, readership.name)
    stands = [
        Stands(str(each.place), not each.readership_from_above, counted[str(each.place)])
        for each in data.readerships_at.values()
        if each.readership == readership.name
    ]
    if data.default_readership == readership.name:
        stands.insert(0, Stands("site", False, counted["site"]))
    return ReadershipView(
        readership.name,
        tuple(sorted(login for login in active if _is_in(engine, login, readership))),
        _is_in(engine, None, readership),
        tuple(stands),
    )


def _is_in(engine: Engine, login: str | None, readership: Readership) -> bool:
    whos = engine.crowd.belonging.whos(login)
    roles = {
        Who("role", given.role)
        for given in engine.data.given
        if given.period.holds(engine.at) and not whos.isdisjoint(given.to)
    }
    have = whos | roles
    return (
        not have.isdisjoint(readership.readers)
        and have.issuperset(readership.all_of)
        and have.isdisjoint(readership.but_not)
    )


def _counted(engine: Engine, name: str) -> Counter[str]:
    """For how many items the readership counts, by the place where it stands."""
    data, found, known = engine.data, Counter[str](), dict[object, list[str]]()
    for path in data.content.names:
        about = engine.subject(path)
        own = path if ("path", path) in data.readerships_at else None
        key = own or (parent_of(path), about.categories)
        if key not in known:
            met, _ = engine.reference.readerships_met(about)
            known[key] = [str(each.place) for each in met if each.readership.name == name]
        found.update(known[key])
    return found
