"""What the pages of a website ask for one person: the menu, parts, where they may add something."""

from __future__ import annotations

from typing import TYPE_CHECKING, Final

from prim_lantern.arguments import explains_its_arguments
from prim_lantern.errors import BadValue
from prim_lantern.questions import Questions
from prim_lantern.state import Moment, Whom

if TYPE_CHECKING:
    from prim_lantern.decide.engine import Engine
    from prim_lantern.site.content import Item
    from prim_lantern.sql import Columns, Condition


_KEPT: Final = 100


class _Conditions(dict[tuple[object, ...], "Condition"]):
    """The conditions that were asked for last; they hold for as long as an engine does."""

    def __init__(self, _: Engine) -> None:
        super().__init__()


@explains_its_arguments()
class Pages(Questions):
    """Narrow questions, each answered without looking at the whole site; `Site` is one."""

    def menu(self, who: Whom, at: Moment = None) -> list[Item]:
        """The links of the menu that this person can follow, in tree order.

        >>> import prim_lantern as pl
        >>> [link.title for link in pl.open_demo().menu(None)][:3]
        ['Events', 'Learn', 'Log']
        """
        from prim_lantern.decide.views.pages import menu_of

        login, engine, _ = self._state.asked(who, at)
        return menu_of(engine, login)

    def parts(self, who: Whom, page: str, at: Moment = None) -> list[Item]:
        """The parts right below a page that this person sees, in tree order.

        >>> import prim_lantern as pl
        >>> [part.path for part in pl.open_demo().parts(None, "/")]
        ['/appeal', '/next-sailing', '/sign-in']
        """
        from prim_lantern.decide.views.pages import parts_of

        login, engine, _ = self._state.asked(who, at)
        return parts_of(engine, login, self._state.item(page))

    def sql_filter(
        self, who: Whom, action: str, columns: Columns, at: Moment = None, *, limit: int = 5_000
    ) -> Condition:
        """The items to which this person may do this, as a condition on a website's own content
        table: it holds for exactly those rows for which `may` says yes, so that the database itself
        can list, page, search and count.

        Parameters: `columns` says where the table has what access is decided by, see
        `prim_lantern.sql`; the rows are the items of the site. `limit` is how large the condition
        may become.
        Returns the condition, for `where` of SQLAlchemy; its `terms` are its size.
        Raises `BadQuestion` where it would pass the limit, or a column that is needed is missing.
        There is more in `prim_lantern.sql`.

        >>> from sqlalchemy import Column, MetaData, Table, Text, select
        >>> import prim_lantern as pl
        >>> from prim_lantern.sql import Columns
        >>> names = ("path", "kind", "state", "links_to")
        >>> pages = Table("pages", MetaData(), *(Column(name, Text) for name in names))
        >>> columns = Columns(pages.c.path, pages.c.kind, pages.c.state, links_to=pages.c.links_to)
        >>> may_see = pl.open_demo().sql_filter("hana.okafor", "see-drafts", columns)
        >>> listed = str(select(pages.c.path).where(may_see).limit(20))
        >>> listed.startswith("SELECT pages.path"), may_see.terms < 20
        (True, True)
        """
        from prim_lantern.sql.columns import Columns as Asked
        from prim_lantern.sql.condition import condition

        if not isinstance(columns, Asked):
            raise BadValue(columns, "says no columns: give those of prim_lantern.sql.Columns.")
        state = self._state
        login, engine, _ = state.asked(who, at)
        action = state.item_action(action)
        kept, asked = engine.beside(_Conditions), (login, action, columns, limit)
        found = kept.get(asked)
        if found is None:
            reference = engine.reference_for(login)
            found = kept[asked] = condition(reference, login, action, columns, limit)
            if len(kept) > _KEPT:
                kept.pop(next(iter(kept)), None)
        return found

    def parents_for(
        self,
        who: Whom,
        kind: str,
        at: Moment = None,
        *,
        below: str | None = None,
        limit: int | None = None,
    ) -> list[str]:
        """The paths below which this person may create an item of this kind, filed somehow: all,
        those at or `below` a path, or the first `limit` of them.

        >>> import prim_lantern as pl
        >>> pl.open_demo().parents_for("sam.whitlock", "post", at="2027-05-10", limit=2)
        ['/log', '/log/barometer']
        """
        from prim_lantern.decide.views.pages import parents_for

        state = self._state
        login, engine, _ = state.asked(who, at)
        top = state.section(below) if below is not None else None
        if limit is not None and limit < 1:
            raise BadValue(str(limit), "is no limit: say how many, 1 or more, or leave it out.")
        return parents_for(engine, login, state.data.kind(kind).name, top, limit)

    def categories_for(self, who: Whom, kind: str, parent: str, at: Moment = None) -> list[str]:
        """The categories under which this person may file a new item of this kind there.

        >>> import prim_lantern as pl
        >>> pl.open_demo().categories_for("kit.farrow", "event", "/events", at="2027-05-10")
        ['series:work-parties']
        """
        from prim_lantern.decide.views.pages import categories_for

        state = self._state
        login, engine, _ = state.asked(who, at)
        name, where = state.data.kind(kind).name, state.section(parent)
        return categories_for(engine, login, name, where)
