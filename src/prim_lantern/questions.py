"""Single questions: may they, and why?"""

from __future__ import annotations

from collections.abc import Iterable
from time import time

from prim_lantern.arguments import explains_its_arguments
from prim_lantern.decide.decision import Decision
from prim_lantern.decide.explain import Explanation
from prim_lantern.decide.question import Question
from prim_lantern.errors import BadQuestion
from prim_lantern.site.actions import MANAGING_ACTIONS, SITE_WIDE_ACTIONS
from prim_lantern.state import Moment, Whom
from prim_lantern.views import Views


@explains_its_arguments(but=("allows",))  # it is in a hurry, and asks `may` where it fails
class Questions(Views):
    """Single questions about access; `Site` is one."""

    def may(self, who: Whom, action: str, path: str, at: Moment = None) -> Decision:
        """May this person do this to the item at this path?

        Raises `BadQuestion` for the actions that need more to be asked: create
        (`may_create`), file-under (`may_file`) and those of managing (`may_manage`).

        >>> import prim_lantern as pl
        >>> bool(pl.open_demo().may("sam.whitlock", "publish", "/log/seal-count"))
        False
        """
        state = self._state
        if at is None:
            seconds = time()
            until, engine = state.now
            if engine is not None and seconds < until:
                try:
                    allowed = engine.allows(who, action, path)  # type: ignore[arg-type]
                    return Decision(allowed, engine, (who, action, path, seconds))  # type: ignore[arg-type]
                except LookupError:
                    pass  # a name in another form, unknown, or somebody pictured
        login, engine, moment = state.asked(who, at)
        action, path = state.item_action(action), state.item(path)
        question = Question(login, action, moment, path)
        return Decision(engine.allows(login, action, path), engine, question)

    def allows(self, who: Whom, action: str, path: str, at: Moment = None) -> bool:
        """The same as a plain bool, for the busiest places of a website's code.

        >>> import prim_lantern as pl
        >>> pl.open_demo().allows(None, "read", "/visit")
        True
        """
        if at is None:
            until, engine = self._state.now
            if engine is not None and time() < until:
                try:
                    return engine.allows(who, action, path)  # type: ignore[arg-type]
                except (LookupError, TypeError, AttributeError):
                    pass  # as in `may`, which explains it
        return self.may(who, action, path, at).allowed

    def may_create(
        self,
        who: Whom,
        kind: str,
        parent: str,
        categories: Iterable[str] = (),
        at: Moment = None,
    ) -> Decision:
        """May this person create an item of this kind below the parent, filed so?

        >>> import prim_lantern as pl
        >>> site = pl.open_demo()
        >>> bool(site.may_create("sam.whitlock", "post", "/log", ["topic:wildlife"]))
        True
        """
        state = self._state
        login, engine, moment = state.asked(who, at)
        kind, parent = state.data.kind(kind).name, state.section(parent)
        filed = tuple(dict.fromkeys(map(state.data.category, categories)))
        question = Question(login, "create", moment, parent, kind=kind, categories=filed)
        return Decision(engine.may_create(login, kind, parent, filed), engine, question)

    def may_file(self, who: Whom, path: str, category: str, at: Moment = None) -> Decision:
        """May this person file the item under the category? (The question of file-under.)

        Filing it needs `edit` on the item as well, which is a question of its own.

        >>> import prim_lantern as pl
        >>> bool(pl.open_demo().may_file("sam.whitlock", "/log/seal-count", "topic:press"))
        False
        """
        state = self._state
        login, engine, moment = state.asked(who, at)
        path, category = state.item(path), state.data.category(category)
        question = Question(login, "file-under", moment, path, category=category)
        return Decision(engine.may_file(login, path, category), engine, question)

    def may_move(self, who: Whom, path: str, new_parent: str, at: Moment = None) -> Decision:
        """May this person move the item, with all below it, under the new parent?

        >>> import prim_lantern as pl
        >>> bool(pl.open_demo().may_move("hana.okafor", "/visit/winter", "/about"))
        True
        """
        state = self._state
        login, engine, moment = state.asked(who, at)
        path, new_parent = state.item(path), state.section(new_parent)
        question = Question(login, "move", moment, path, new_parent=new_parent)
        return Decision(engine.may_move(login, path, new_parent), engine, question)

    def may_manage(
        self, who: Whom, action: str, place: str = "site", at: Moment = None
    ) -> Decision:
        """May this person manage rights at a place, or people, roles, looking as others?

        `place` is "site", a path or a category. Raises `BadQuestion` for an action that is
        not about managing, and for places other than the site where only that is asked.

        >>> import prim_lantern as pl
        >>> bool(pl.open_demo().may_manage("beatrix.lowe", "manage-rights", "/trustees"))
        True
        """
        state = self._state
        login, engine, moment = state.asked(who, at)
        action = state.data.action(action)
        if action not in MANAGING_ACTIONS:
            raise BadQuestion(f"{action!r} is done to items: ask 'may' with a path.")
        where = state.place(place)
        if action in SITE_WIDE_ACTIONS and where.kind != "site":
            raise BadQuestion(f"{action!r} is asked of the whole site: leave the place out.")
        question = Question(login, action, moment, place=where)
        return Decision(engine.may_manage(login, action, where), engine, question)

    def why(self, who: Whom, action: str, path: str, at: Moment = None) -> Explanation:
        """Why this person may, or may not, do this to the item at this path.

        Every other question's decision has the same as its `.explanation`.

        >>> import prim_lantern as pl
        >>> print(pl.open_demo().why("hana.okafor", "read", "/trustees"))
        Yes: Hana Okafor may read “Trustees” (/trustees): they are the owner of the site, who \
may do everything.
        Because:
          - Hana Okafor is the owner of the site  [site.toml, line 6]
        """
        return self.may(who, action, path, at).explanation
