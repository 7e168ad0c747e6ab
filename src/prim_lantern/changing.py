"""A change of a site: tried first, made whole, recorded."""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from types import TracebackType
from typing import Any

from prim_lantern.arguments import explains_its_arguments
from prim_lantern.change.effects.effects import Effects
from prim_lantern.change.operations import invitations
from prim_lantern.change.pieces import differences
from prim_lantern.change.record import Record
from prim_lantern.change.renames import Misfit
from prim_lantern.changeable import Changeable
from prim_lantern.errors import BadChange, ChangedMeanwhile, PrimLanternError
from prim_lantern.site.data import SiteData
from prim_lantern.store.base import Ready
from prim_lantern.trying import Tried


@explains_its_arguments()
class Change(Tried):
    """What somebody wants to change on a site: steps, their effects, and the making.

    Each step is tried at once: one that cannot be made raises an error and is not added. Whether
    `by` may make the change is judged of all steps together, when its effects are looked at and
    again when it is made (`NotAllowed` says what is missing, and whom to ask). Nothing happens to
    the site before `make`, which a `with` block calls at its end; then all steps are made, or none.

    >>> import prim_lantern as pl
    >>> site = pl.open_demo()
    >>> with site.change(by="hana.okafor", reason="A new season") as change:
    ...     _ = change.allow("edit", to="user:sam.whitlock", where="/visit/prices")
    ...     print(*change.in_short())
    Sam Whitlock gains see-drafts and edit at /visit/prices
    >>> bool(site.may("sam.whitlock", "edit", "/visit/prices"))
    True
    """

    def __init__(self, site: Changeable, by: str, reason: str = "") -> None:
        """Begin a change. Raises `UnknownUser` for nobody known as the one who makes it."""
        self._begin(site, site.seen.data.login(by), reason)

    @classmethod
    def of_newcomer(cls, site: Changeable, new: invitations.SignUp) -> Change:
        """The change by which somebody signs up by themselves."""
        change = cls.__new__(cls)
        change._begin(site, new.login, "Signed up")
        change._add(new)
        return change

    def __repr__(self) -> str:
        made = "made" if self._made else "not made yet"
        return f"<Change by {self._by}: {', '.join(self.said) or 'no steps'}; {made}>"

    def make(self, *, effects: bool = True, connection: Any = None) -> Record:
        """Make the change, whole or not at all, and return its line of the history.

        That line says in short who gained and lost what, unless `effects` is false. A `connection`
        of SQLAlchemy to the site's own database makes it part of the transaction there; it is known
        here once that is committed and `Site.fresh_to` has looked.

        Where somebody else changed the site meanwhile, it is made on the site as it is now;
        `ChangedMeanwhile` is raised where its effects would not be those that were looked at, or
        a step can no longer be made. `StoreTrouble` is raised where a disk or database fails.
        Nothing is changed then.

        >>> import prim_lantern as pl
        >>> site = pl.open_demo()
        >>> made = site.change(by="hana.okafor", reason="Moved away").suspend("sam.whitlock").make()
        >>> made.number, made.said, made.effects[0]
        (1, ('suspend sam.whitlock',), 'Sam Whitlock gains read at /sign-in')
        """
        if self._made:
            raise BadChange("This change was made already; begin another one.")
        if not self._proposal.steps:
            raise BadChange("There is nothing to make: no step was added.")
        self.judge()  # most of the work is done before anybody has to wait
        if effects:
            self.in_short()
        looked_at, store = self._effects, self._site.store
        ready = self._ready()
        with store.changing(connection) as turn:
            seen = turn.seen(self._seen)
            if seen.data is not self._seen.data or seen.number != self._seen.number:
                numbers = range(self._seen.number + 1, seen.number + 1)
                if connection is None:  # else it may be taken back with all of the transaction
                    self._site.take(seen)
                self._again(seen.data, looked_at, numbers)
                self._seen = seen  # only now: where a step fails, nothing was looked at anew
                ready = self._ready()
            elif self._site.turn_between(self._proposal.made.at, self._now()):
                self._again(seen.data, looked_at, ())
                ready = self._ready()
            record = self._record(seen.number + 1, self.in_short() if effects else ())
            made = turn.make(record, seen, ready)
        self._made = True
        if connection is None:
            self._site.take(made)
            store.keep(made)
        return record

    def _ready(self) -> Ready:
        after = self._proposal.data
        pieces = differences(self._seen.data, after)
        return self._site.store.ready(self._seen, after, pieces)

    def _again(self, data: SiteData, looked_at: Effects | None, numbers: Sequence[int]) -> None:
        """Try all steps once more on the site as somebody else left it."""
        if self._by not in data.users and not self._is_nobodys:
            raise ChangedMeanwhile(numbers, f"{self._by} is no longer there")
        before, self._proposal = self._proposal, self._fresh(data)
        self._effects = None
        try:
            for each in self._asked:
                if isinstance(each, Record):
                    self._undo(each)
                elif isinstance(each, tuple):
                    self._proposal.replace_with(*each)
                else:
                    self._proposal.do(each)
            self.judge()
        except (PrimLanternError, Misfit) as error:
            self._proposal = before
            raise ChangedMeanwhile(numbers, f"a step cannot be made: {error}") from None
        if looked_at is not None and not self.effects().same_as(looked_at):
            self._proposal, self._effects = before, None
            raise ChangedMeanwhile(numbers, "yours would have other effects")

    def _record(self, number: int, in_short: Iterable[str]) -> Record:
        steps = self._proposal.steps
        undone = [each.number for each in self._asked if isinstance(each, Record)]
        return Record(
            number=number,
            at=self._now(),
            by=self._by,
            reason=self._reason,
            said=tuple(dict.fromkeys(self.said)),
            operations=tuple(step.operation for step in steps),
            patches=tuple(step.patch for step in steps),
            effects=tuple(in_short),
            undoes=undone[0] if undone else None,
        )

    def __enter__(self) -> Change:
        return self

    def __exit__(
        self,
        kind: type[BaseException] | None,
        error: BaseException | None,
        trace: TracebackType | None,
    ) -> None:
        if kind is None and not self._made:
            self.make()
