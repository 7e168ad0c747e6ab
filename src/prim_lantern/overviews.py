"""What one asks to keep a site in order: places, readerships, promises, what waits, names."""

from __future__ import annotations

from typing import TYPE_CHECKING

from prim_lantern.arguments import explains_its_arguments
from prim_lantern.decide.engine import Engine
from prim_lantern.pages import Pages
from prim_lantern.state import Moment

if TYPE_CHECKING:
    from prim_lantern.decide.views.enrolments import Enrolled
    from prim_lantern.decide.views.naming import Naming
    from prim_lantern.decide.views.place_view import PlaceView
    from prim_lantern.decide.views.promises import PromiseCheck
    from prim_lantern.decide.views.queue import Queue
    from prim_lantern.decide.views.readership_view import ReadershipView


@explains_its_arguments()
class Overviews(Pages):
    """What one asks to keep a site in order; `Site` is one."""

    def place_view(self, place: str = "site", at: Moment = None) -> PlaceView:
        """What a place is, and every readership, rule, given role, limit and promise that holds
        there: its own apart from what reaches it from elsewhere, the nearest first.

        `place` is a path, a category or "site".

        >>> import prim_lantern as pl
        >>> view = pl.open_demo().place_view("/visit/prices")
        >>> [point.name for point in view.here["rights"]]
        ['mirela-prices']
        """
        from prim_lantern.decide.views.place_view import place_view

        state = self._state
        return place_view(state.engine(self.moment(at)), state.place(place))

    def readership_view(self, name: str, at: Moment = None) -> ReadershipView:
        """A readership by its name: who is in it, where it stands, and how many items it counts for
        there. Raises `UnknownWho` where there is none.

        >>> import prim_lantern as pl
        >>> view = pl.open_demo().readership_view("patrons", "2027-05-10")
        >>> len(view.people), view.guests, [(each.place, each.items) for each in view.stands_at]
        (13, False, [('/patrons', 4)])
        """
        from prim_lantern.decide.views.readership_view import readership_view

        engine = self._state.engine(self.moment(at))
        return readership_view(engine, self.data.readership(name))

    def check_promises(self, at: Moment = None, *, ever: bool = False) -> list[PromiseCheck]:
        """How every promise of the site stands, in their order.

        With `ever`, also at every later moment at which something changes by itself: a promise
        that breaks later is told as of the first moment at which it does. For one that is broken
        now, `since` is the change of the history that broke it, if any did.

        >>> import prim_lantern as pl
        >>> [each.kept for each in pl.open_demo().check_promises("2027-05-10")]
        [True, True, False, False, True]
        """
        from prim_lantern.decide.views.promises import check_promises

        state, moment = self._state, self.moment(at)
        found = check_promises(state.engine(moment))
        found = [each if each.kept else self._broken_since(each) for each in found]
        turn = state.timeline.next_turn(moment) if ever else None
        while turn is not None and any(each.kept for each in found):
            later = check_promises(state.engine(turn))
            found = [a if not a.kept else b for a, b in zip(found, later, strict=True)]
            turn = state.timeline.next_turn(turn)
        return found

    def _broken_since(self, check: PromiseCheck) -> PromiseCheck:
        """The change that broke a promise: found by halving, from a moment when it was kept."""
        from prim_lantern.decide.views.promises import check_promises

        def kept_before(number: int) -> bool:
            data = self.store.before_change(number)
            here = [each for each in data.promises if each == check.promise]
            engine = Engine(data.with_parts(promises=tuple(here) or (check.promise,)), check.at)
            try:
                return check_promises(engine)[0].kept
            except LookupError:  # it speaks of somebody who was not there yet
                return True

        last, step = self.seen.number, 1
        broken_before = last + 1  # before this one, that is after the last, it is broken
        while broken_before > 1:
            earlier = max(1, broken_before - step)
            if kept_before(earlier):
                while broken_before - earlier > 1:
                    middle = (earlier + broken_before) // 2
                    if kept_before(middle):
                        earlier = middle
                    else:
                        broken_before = middle
                return check._replace(since=earlier)
            broken_before, step = earlier, step * 2
        return check

    def queue(self, who: str, at: Moment = None, *, days: int = 30) -> Queue:
        """What waits for somebody: items in review that they may publish or send back (the oldest
        first), those of their own that wait or were sent back, and what becomes public or ends
        within some `days`. Who submitted and sent back is known from the history.

        >>> import prim_lantern as pl
        >>> [each.path for each in pl.open_demo().queue("anneke.sorley").to_decide]
        ['/log/gull-colony', '/log/terns']
        """
        from prim_lantern.decide.views.queue import Step, queue_of

        state = self._state
        login, moment = state.data.login(who), self.moment(at)
        steps: dict[str, dict[str, Step]] = {"submit": {}, "send-back": {}}
        for record in self.store.records():
            for each in record.operations:
                if each.get("do") == "take-step" and each.get("step") in steps:
                    step = Step(record.at, record.by, record.reason)
                    steps[str(each["step"])][str(each["path"])] = step
        return queue_of(state.engine(moment), login, steps["submit"], steps["send-back"], days)

    def naming(self, who: str) -> list[Naming]:
        """Everything that names a person, whatever their status: what they are in by hand, rules
        and given roles for them alone, readerships, stewardships, what they wrote.

        >>> import prim_lantern as pl
        >>> [each.what for each in pl.open_demo().naming("mirela.kos")][:3]
        ['membership', 'rule', 'author']
        """
        from prim_lantern.decide.views.naming import naming

        data = self.data
        return naming(data, data.login(who))

    def enrolments(self, at: Moment = None) -> list[Enrolled]:
        """Every enrolment in a plan, those that ended and those to come among them, each with the
        time that it covers.

        >>> import prim_lantern as pl
        >>> found = pl.open_demo().enrolments("2027-05-10")
        >>> [each.login for each in found if each.state == "ended"]
        ['dolores.pine', 'wendel.achter', 'viktor.haim']
        """
        from prim_lantern.decide.views.enrolments import enrolments

        return enrolments(self.data, self.moment(at))
