"""What no administrator can see by hand: what is wrong, what differs, what would be enough."""

from __future__ import annotations

from collections.abc import Iterable
from typing import TYPE_CHECKING

from prim_lantern.arguments import explains_its_arguments
from prim_lantern.decide.explain import words
from prim_lantern.errors import BadQuestion, BadValue
from prim_lantern.hints import misfit
from prim_lantern.overviews import Overviews
from prim_lantern.site.moments import written
from prim_lantern.state import Moment, Whom

if TYPE_CHECKING:
    from prim_lantern.change.effects.effects import Effects
    from prim_lantern.decide.question import Question
    from prim_lantern.insight.comparing.compare import Compared, Side
    from prim_lantern.insight.comparing.difference import Thing
    from prim_lantern.insight.finding import Finding
    from prim_lantern.insight.gaining.could_gain import Chain, Gains
    from prim_lantern.insight.ladder import Rung
    from prim_lantern.insight.tidying.tidy import Tidied
    from prim_lantern.insight.wishes.suggest import Suggestions
    from prim_lantern.insight.wishes.wish import Wish


@explains_its_arguments()
class Insights(Overviews):
    """What is found by looking at the whole of a site; `Site` is one."""

    def checkup(
        self, at: Moment = None, only: str | None = None, *, each_word: bool = False
    ) -> list[Finding]:
        """What looks wrong with the site: what is serious first, each with where it is written and
        with commands that mend it. `only` is the name of one check. With `each_word`, each rule,
        given role and readership is tried without the others also where there are more than 300,
        which can take many minutes.

        Raises `UnknownName` where there is no such check.

        >>> import prim_lantern as pl
        >>> found = pl.open_demo().checkup("2027-05-10", only="fits-nobody")
        >>> print(found[0].says)
        Group Relief keepers takes in whoever fits “position is releif keeper”, and nobody does. \
Nearest: position “relief keeper”.
        """
        from prim_lantern.insight.checkup import checkup

        state, moment = self._state, self.moment(at)
        return checkup(state.engine(moment), only, each_word=each_word)

    def compare(
        self,
        one: Whom,
        other: Whom,
        at: Moment = None,
        *,
        other_site: Insights | None = None,
        other_at: Moment = None,
        other_called: str = "on the other site",
    ) -> Compared:
        """What one may that the other may not, and the other way round: two people, groups, roles,
        audiences; or the same one on two sites, or at two moments (`other_at`).

        Each is a login, `group:…`, `role:…`, "signed-in", or None for a guest. `other_called` tells
        apart one who is compared with themselves on another site.

        >>> import prim_lantern as pl
        >>> found = pl.open_demo().compare("kit.farrow", "sam.whitlock", "2027-05-10")
        >>> [(each.action, str(each.spots[0])) for each in found.of(0)][:1]
        [('read', '/events/painting-week')]
        """
        from prim_lantern.insight.comparing.compare import Compared

        site = other_site if other_site is not None else self
        moved = other_site is not None or other_at is not None
        then = other_at if other_at is not None else at
        sides = self._side(one, at, other), site._side(other, then, one)
        if moved and sides[0].called == sides[1].called:
            told = [f" on {written(self.moment(each))}" for each in (at, then)]
            if other_site is not None:
                told = ["", ""] if told[0] == told[1] else told
                told[1] += f" {other_called}"
            one_side, other_side = (
                side._replace(called=side.called + text)
                for side, text in zip(sides, told, strict=True)
            )
            return Compared(one_side, other_side)
        return Compared(*sides)

    def _side(self, who: Whom, at: Moment, beside: Whom) -> Side:
        """One side of a comparison, by an engine that both sides can be asked of."""
        from prim_lantern.decide.stand_ins import login_of
        from prim_lantern.insight.comparing.compare import Side

        state = self._state
        engine = state.engine(self.moment(at))
        found = None if who is None else state.who(who)
        given = [found] if found is not None else []
        if beside is not None and beside != who:
            given += [state.who(beside)]
        engine = state.picturing(engine, given)
        login = login_of(found) if found is not None else None
        return Side(engine, login, words.opening(engine.data, login))

    def what_makes_the_difference(
        self,
        one: Whom,
        other: Whom,
        action: str,
        place: str,
        at: Moment = None,
    ) -> list[Thing]:
        """The fewest memberships, rules, given roles … by which two people differ so that one may
        do something to an item (manage a place) and the other may not; none where both may, or
        neither.

        >>> import prim_lantern as pl
        >>> site = pl.open_demo()
        >>> found = site.what_makes_the_difference("mirela.kos", "sam.whitlock", "edit",
        ...                                        "/visit/prices", "2027-05-10")
        >>> [each.says for each in found]
        ['The rule mirela-prices: Mirela Kos may edit at /visit/prices only']
        """
        from prim_lantern.decide.question import trace_of
        from prim_lantern.insight.comparing.difference import what_differs

        sides = self._side(one, at, other), self._side(other, at, one)
        asked = self._asked_of(action, place, at)
        may = []
        for side in sides:
            question = asked._replace(who=side.login)
            may.append(trace_of(side.engine.reference_for(side.login), question).allowed)
        if may[0] == may[1]:
            return []
        first, second = sides if may[0] else sides[::-1]
        return what_differs(first.engine, first.login, second.login, asked)

    def _asked_of(self, action: str, place: str, at: Moment) -> Question:
        from prim_lantern.decide.question import Question
        from prim_lantern.site.actions import MANAGING_ACTIONS

        state = self._state
        if state.data.action(action) in MANAGING_ACTIONS:
            return Question(None, action, self.moment(at), place=state.place(place))
        if place == "site":
            raise BadQuestion(f"{action!r} is asked of an item: add its path, as in '/log'.")
        return Question(None, state.item_action(action), self.moment(at), state.item(place))

    def differences(
        self,
        at: Moment = None,
        *,
        other_site: Insights | None = None,
        other_at: Moment = None,
    ) -> Effects:
        """What anybody may on this site at a moment that they may not on another one, or at another
        moment, and the other way round: as the effects of going from the other to this.

        >>> import prim_lantern as pl
        >>> site = pl.open_demo()
        >>> found = site.differences("2027-07-01", other_at="2027-05-10")
        >>> found.size > 0
        True
        """
        from prim_lantern.change.effects.effects import Effects
        from prim_lantern.decide.engine import Engine
        from prim_lantern.insight.comparing.frozen import frozen

        here, site = self.moment(at), other_site if other_site is not None else self
        there = self.moment(other_at if other_at is not None else at)
        before = Engine(frozen(site.data, there), here)
        return Effects(before, before.after(frozen(self.data, here), here))

    def suggest(
        self, wishes: Wish | Iterable[Wish], by: str | None = None, at: Moment = None
    ) -> Suggestions:
        """The smallest changes by which wishes come true, all of them and nothing else, as far as
        that can be: what has the fewest effects first, then fewer steps, then what is easier to
        keep. Each was tried, and its `effects` are exact; none breaks a promise.

        `by` is the login of whoever would make it: of what they may not make, it is said whom to
        ask. See `wish`.

        >>> import prim_lantern as pl
        >>> site = pl.open_demo()
        >>> found = site.suggest(site.wish("gwen.tarrow", "edit", "/visit/prices"), at="2027-05-10")
        >>> found.options[0].commands
        ('give timetable-desk user:gwen.tarrow --within /visit/prices',)
        """
        from prim_lantern.insight.wishes.suggest import suggest
        from prim_lantern.insight.wishes.wish import Wish

        state = self._state
        some: list[Wish] = [wishes] if isinstance(wishes, Wish) else []
        if not some:
            some = list(wishes) if isinstance(wishes, Iterable) else [wishes]  # type: ignore[arg-type]
        for each in some:
            if not isinstance(each, Wish):
                raise BadValue(each, "is no wish: 'site.wish' makes one.")
        if not some:
            raise BadQuestion("Nothing is wished for: 'site.wish' makes a wish.")
        some = [self._anew(each) for each in some]
        login = None if by is None else state.data.login(by)
        engine = state.picturing(state.engine(self.moment(at)), [each.who for each in some])
        return suggest(engine, some, login)

    def wish(
        self,
        who: str | None,
        action: str,
        place: str = "site",
        *,
        may: bool = True,
        below: bool = False,
        kind: str | None = None,
        categories: Iterable[str] = (),
    ) -> Wish:
        """A wish for `suggest`: that somebody may (or may not) do an action to an item, to all at
        and `below` a path, in a category, or manage a place.

        `kind` and `categories` are for create, one category for file-under. Raises `BadQuestion`,
        and the errors of unknown names.

        >>> import prim_lantern as pl
        >>> pl.open_demo().wish(None, "read", "/patrons").may
        True
        """
        from prim_lantern.insight.wishes.wish import wish
        from prim_lantern.site.who import GUESTS

        found = GUESTS if who is None else self._state.who(who)
        return wish(
            self.data,
            found,
            action,
            place,
            may=may,
            below=below,
            kind=kind,
            categories=tuple(categories),
        )

    def _anew(self, made: Wish) -> Wish:
        """A wish as it makes sense on this site, whoever made it."""
        if wrong := misfit(made, type(made)):
            raise BadValue(wrong.value, f"cannot be {wrong.field} of a wish: it {wrong.says}")
        found = self.wish(
            str(made.who),
            made.action,
            made.place.name,
            may=made.may,
            below=made.below,
            kind=made.kind,
            categories=made.categories,
        )
        return found._replace(aside=made.aside, in_general=made.in_general)

    def could_gain(
        self, who: str | None, with_: Iterable[str] = (), at: Moment = None
    ) -> Gains[Chain]:
        """What somebody could come to by the powers that they hold, alone or together with others
        (`with_`): the shortest chain of steps to each kind of thing, each a change that the one who
        makes it may make. None is a guest, who may sign up where that is open.

        Nothing, for whoever may do everything already. `not_looked_at` of what comes back says what
        was left out, as it would be too much.

        >>> import prim_lantern as pl
        >>> found = pl.open_demo().could_gain("sam.whitlock", at="2027-05-10")
        >>> found[-1].moves[0].command
        'item step /log/seal-count submit --by sam.whitlock'
        """
        from prim_lantern.insight.gaining.could_gain import could_gain

        state = self._state
        login = None if who is None else state.data.login(who)
        others = [state.data.login(each) for each in with_ if each != login]
        return could_gain(state.engine(self.moment(at)), login, others)

    def who_could_gain(
        self, action: str, path: str, at: Moment = None
    ) -> Gains[tuple[str | None, Chain]]:
        """Everybody who may not do this to an item but could come to it, each with the shortest
        chain of steps to it; None for a guest.

        >>> import prim_lantern as pl
        >>> found = pl.open_demo().who_could_gain("withdraw", "/log/seal-count", "2027-05-10")
        >>> [who for who, _ in found]
        ['sam.whitlock']
        """
        from prim_lantern.insight.gaining.could_gain import who_could_gain

        state = self._state
        action, path = state.item_action(action), state.item(path)
        return who_could_gain(state.engine(self.moment(at)), action, path)

    def tidy(
        self, at: Moment = None, *, today_only: bool = False, each_word: bool = False
    ) -> Tidied:
        """The same site with fewer words: what decides nothing is dropped, what is said twice is
        joined, and a group or a role is proposed where many are named alike. Nothing is changed;
        `operations` of what comes back would do it.

        Everybody may do the same to everything then, at every moment; and so could anybody new in
        the groups, at anything new in the places, unless `today_only`. With `each_word`, each word
        is tried without the others also where there are more than 300, which can take many minutes.

        >>> import prim_lantern as pl
        >>> found = pl.open_demo().tidy("2027-05-10")
        >>> found.after.words < found.before.words
        True
        """
        from prim_lantern.insight.tidying.tidy import tidy

        engine = self._state.engine(self.moment(at))
        return tidy(engine, today_only=today_only, each_word=each_word)

    def ladder(self, at: Moment = None) -> list[Rung]:
        """Which role contains which, from the most able to the least: by what they can do, and by
        what somebody could do here who had just this role on the whole site.

        >>> import prim_lantern as pl
        >>> rungs = {each.role: each for each in pl.open_demo().ladder("2027-05-10")}
        >>> rungs["commenter"].contains
        ('course-reader',)
        """
        from prim_lantern.insight.ladder import ladder

        return ladder(self._state.engine(self.moment(at)))
