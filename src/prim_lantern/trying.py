"""A change that is tried: its steps, what they come to, and whether its maker may make it."""

from __future__ import annotations

import secrets
from collections.abc import Mapping
from datetime import datetime
from typing import Any, Self

from prim_lantern.arguments import explains_its_arguments
from prim_lantern.change.effects.effects import Effects
from prim_lantern.change.effects.later import later_effects
from prim_lantern.change.effects.nothing import why_nothing
from prim_lantern.change.effects.second_thoughts import cautions_of
from prim_lantern.change.effects.summary import Line, lines_later, lines_of
from prim_lantern.change.gate import Judged, lost_by, missing_for, whom_to_ask
from prim_lantern.change.operations import invitations, operation_from
from prim_lantern.change.operations.base import Made, Operation, Texts
from prim_lantern.change.operations.renaming import with_login
from prim_lantern.change.pieces import Piece
from prim_lantern.change.proposal import Proposal
from prim_lantern.change.record import Record
from prim_lantern.change.renames import Misfit, new_logins
from prim_lantern.change.undoing import resting_on
from prim_lantern.changeable import Changeable
from prim_lantern.errors import BadChange, BadValue, NotAllowed
from prim_lantern.site import texts
from prim_lantern.site.data import SiteData
from prim_lantern.site.moments import Duration, now, told_in
from prim_lantern.site.places import Place
from prim_lantern.steps import Steps


@explains_its_arguments()
class Tried(Steps):
    """The steps that somebody wants to make on a site, tried on what it says now."""

    def _begin(self, site: Changeable, by: str, reason: str) -> None:
        self._site = site
        self._seen = site.seen
        self._by = by
        self._reason = texts.text(reason)
        self._asked: list[Operation | Record | tuple[SiteData, str]] = []
        self._proposal = self._fresh(self._seen.data)
        self._judged: Proposal | None = None
        self._judged_steps = 0
        self._effects: Effects | None = None
        self._lines: tuple[Effects, list[Line]] | None = None
        self._made = False

    def _fresh(self, data: SiteData) -> Proposal:
        at = told_in(self._now(), data.zone)
        engine, site = self._site.engine_for(data, at), Place("site", "site")
        brings_in = self._by in data.users and engine.may_manage(self._by, "manage-rights", site)
        return Proposal(data, Made(self._by, at, brings_in))

    def _now(self) -> datetime:
        """The moment it is; the history's moments never go back."""
        return max(now(), self._seen.at) if self._seen.at is not None else now()

    # Steps ------------------------------------------------------------------------------

    def do(self, operation: Operation | Mapping[str, Any]) -> Self:
        """Add a step: an operation, or one as plain data, as `Operation.to_dict` gives it.

        Raises `BadChange` for what is no operation, and what each operation raises.

        >>> import prim_lantern as pl
        >>> change = pl.open_demo().change(by="hana.okafor")
        >>> change.do({"do": "suspend", "login": "sam.whitlock"}).said
        ('suspend sam.whitlock',)
        """
        if isinstance(operation, Mapping):
            operation = operation_from(operation)
        if isinstance(operation, invitations.Accept):
            raise BadChange("An invitation is accepted by its link alone.")
        if isinstance(operation, invitations.SignUp):
            raise BadChange("Whoever signs up does it by themselves: see Site.sign_up.")
        self._add(operation)
        return self

    def accept(self, login: str, token: str) -> Self:
        """Add the step that accepts an invitation; it has to be the only one, and is nobody's
        change: the token of the link is all that it asks.

        Raises `BadChange` for a link that is not known, was replaced or has ended.

        >>> import prim_lantern as pl
        >>> site = pl.open_demo()
        >>> with site.change(by="hana.okafor") as change:
        ...     token = change.invite("mo.tarn", name="Mo")
        >>> site.change(by="mo.tarn").accept("mo.tarn", token).make().said
        ('accept the invitation of mo.tarn',)
        """
        if self._asked:
            raise BadChange("An invitation is accepted in a change of its own.")
        self._add(invitations.Accept(login, invitations.hash_of(token)))
        return self

    def _add(self, operation: Operation) -> None:
        self._may_go_on()
        self._proposal.do(operation)
        self._asked.append(operation)
        self._effects = None

    def _may_go_on(self) -> None:
        if self._made:
            raise BadChange("This change was made already; begin another one.")
        if self._is_nobodys:
            raise BadChange("Accepting, and signing up, is a change of its own.")

    @property
    def _is_nobodys(self) -> bool:
        """Whether it asks for no right."""
        return any(isinstance(each, invitations.NOBODYS) for each in self._asked)

    def undo(self, number: int) -> Self:
        """Add the step that takes back a change of the history.

        Raises `BadChange` where later changes rest on it, which it names.

        >>> import prim_lantern as pl
        >>> site = pl.open_demo()
        >>> number = site.change(by="hana.okafor").suspend("sam.whitlock").make().number
        >>> site.change(by="hana.okafor").undo(number).make().undoes
        1
        """
        self._may_go_on()
        if any(isinstance(each, Record) for each in self._asked):
            raise BadChange("Take back one change at a time, each in a change of its own.")
        if isinstance(number, bool | float):
            raise BadValue(number, "is no number of a change.")
        record = self._site.store.record(number)
        if record.from_the_website:
            raise BadChange(f"Change {number} is of the website's content: take it back there.")
        if not record.patches:
            raise BadChange(f"Change {number} only notes what somebody looked at.")
        again = self._site.store.taken_back_by(number)
        if again is not None:
            raise BadChange(f"Change {number} was taken back already, by change {again}.")
        try:
            self._undo(record)
        except BadChange as error:
            resting = resting_on(self._proposal.data, record, self._site.store.touching(record))
            if not resting.numbers:
                raise
            raise BadChange(resting.why(number)) from error
        self._asked.append(record)
        self._effects = None
        return self

    def replace_with(self, data: SiteData, said: str) -> Self:
        """Add the step that makes the site say what another one says, such as a folder's; `said` is
        what the history has for it.

        >>> import prim_lantern as pl
        >>> change = pl.open_demo().change(by="hana.okafor")
        >>> other = pl.open_demo()
        >>> _ = other.change(by="hana.okafor").suspend("sam.whitlock").make()
        >>> change.replace_with(other.data, "as the folder says").in_short()[0]
        'Sam Whitlock gains read at /sign-in'
        """
        self._may_go_on()
        self._proposal.replace_with(data, said)
        self._asked.append((data, said))
        self._effects = None
        return self

    def _undo(self, record: Record) -> None:
        try:
            self._proposal.undo(record)
        except Misfit:
            raise BadChange(
                f"Change {record.number} no longer fits; nothing was changed."
            ) from None

    def invite(
        self,
        login: str,
        *,
        name: str = "",
        email: str = "",
        groups: Texts = (),
        attributes: Mapping[str, str] | None = None,
        lasts: str = "14 days",
    ) -> str:
        """Add the step that invites a person, and return the token of their link.

        It is to be had only here: of the token just a hash is kept. The link ends after `lasts`.
        Somebody invited already gets a new link, and the one before ends.

        >>> import prim_lantern as pl
        >>> change = pl.open_demo().change(by="hana.okafor")
        >>> token = change.invite("mo.tarn", name="Mo", groups="friends", lasts="7 days")
        >>> change.said
        ('invite Mo',)
        """
        token = secrets.token_urlsafe(32)
        until = Duration.read(lasts).after(self._proposal.made.at.replace(microsecond=0))
        self.do(
            invitations.Invite(
                login, invitations.hash_of(token), until, name, email, groups, attributes or {}
            )
        )
        return token

    @property
    def site(self) -> Changeable:
        """The site that is to be changed."""
        return self._site

    @property
    def by(self) -> str:
        """The login of the one who makes it."""
        return self._by

    # Looking first ------------------------------------------------------------------------

    @property
    def said(self) -> tuple[str, ...]:
        """The steps in a few words each."""
        return tuple(step.said for step in self._proposal.steps)

    @property
    def data(self) -> SiteData:
        """The site as it would be."""
        return self._proposal.data

    def effects(self) -> Effects:
        """Who would gain and who would lose what now; `NotAllowed` where the maker may not.

        >>> import prim_lantern as pl
        >>> change = pl.open_demo().change(by="hana.okafor")
        >>> effects = change.allow("edit", to="group:friends", where="/friends").effects()
        >>> effects.people("edit", "/friends")[0][:2]
        ['kit.farrow', 'nuala.brook']
        """
        self.judge()
        if self._effects is None:
            self._effects = self._effects_of(self._proposal)
        return self._effects

    def judge(self) -> None:
        """Raise `NotAllowed` where the one who makes it may not make the change as it is, whole.

        >>> import prim_lantern as pl
        >>> change = pl.open_demo().change(by="sam.whitlock").suspend("kit.farrow")
        >>> change.judge()
        Traceback (most recent call last):
            ...
        prim_lantern.errors.NotAllowed: ...
        """
        if self._judged is self._proposal and self._judged_steps == len(self._proposal.steps):
            return
        proposal, at = self._proposal, self._proposal.made.at
        if not self._is_nobodys:
            judged = Judged(
                self._site.engine_for(proposal.before, at),
                proposal.data,
                proposal.renames,
                proposal.made,
                then=self._then(),
                taking_back=any(isinstance(each, Record) for each in self._asked),
            )
            missing = missing_for(judged)
            if missing:
                ask = whom_to_ask(judged, missing)
                raise NotAllowed(self._by, list(map(str, missing)), ask=ask)
        self._judged, self._judged_steps = proposal, len(proposal.steps)

    def _then(self) -> SiteData | None:
        """The site before a change of one's own that is taken back."""
        own = [each for each in self._asked if isinstance(each, Record) and each.by == self._by]
        return self._site.store.before_change(own[0].number) if own else None

    def _effects_of(self, proposal: Proposal) -> Effects:
        before = self._site.engine_for(proposal.before, proposal.made.at)
        for old, new in new_logins(proposal.before, proposal.data).items():
            before = before.after(with_login(before.data, old, new), before.at)
        after = before.after(proposal.data, proposal.made.at)
        return Effects(before, after, proposal.renames)

    def lines(self) -> list[Line]:
        """The effects in some lines: guests first, then those most people share.

        >>> import prim_lantern as pl
        >>> change = pl.open_demo().change(by="hana.okafor")
        >>> line = change.allow("edit", to="user:sam.whitlock", where="/visit/prices").lines()[0]
        >>> line.who, line.gains
        ('Sam Whitlock', True)
        """
        effects = self.effects()
        if self._lines is None or self._lines[0] is not effects:
            self._lines = effects, lines_of(effects)
        return self._lines[1]

    def in_short(self) -> list[str]:
        """The same as texts, and what was not counted, if anything.

        >>> import prim_lantern as pl
        >>> change = pl.open_demo().change(by="hana.okafor")
        >>> change.allow("edit", to="user:sam.whitlock", where="/visit/prices").in_short()
        ['Sam Whitlock gains see-drafts and edit at /visit/prices']
        """
        return [*map(str, self.lines()), *self.effects().not_counted]

    def later(self) -> list[tuple[str, list[Line]]]:
        """What it comes to later, each with when ("From 2027-09-01", "Once accepted"), as in
        `lines`: of words that begin then, of what becomes public, of people who are invited.

        >>> import prim_lantern as pl
        >>> change = pl.open_demo().change(by="hana.okafor")
        >>> _ = change.allow("edit", to="group:friends", where="/friends", since="2099-01-01")
        >>> [when for when, _ in change.later()]
        ['From 2099-01-01']
        """
        self.judge()
        proposal = self._proposal
        before = self._site.engine_for(proposal.before, proposal.made.at)
        found = later_effects(before, proposal.data, proposal.renames, self._pieces)
        return lines_later(self.effects(), found)

    def why_nothing(self) -> list[str]:
        """Where nobody gains or loses anything by it: why, a sentence each.

        >>> import prim_lantern as pl
        >>> change = pl.open_demo().change(by="hana.okafor")
        >>> change.allow("read", to="user:omar.delgarno", where="/visit").why_nothing()
        ['Omar Delgarno may read /visit without it: it is published, and open to everyone.']
        """
        effects = self.effects()
        if effects or effects.not_counted or self._only_renames:
            return []
        return why_nothing(effects.before, effects.after, self._pieces)

    def cautions(self) -> list[str]:
        """Why the change is worth a second thought, a sentence each; often none.

        >>> import prim_lantern as pl
        >>> change = pl.open_demo().change(by="hana.okafor")
        >>> change.hand_over("ruth.adeyemi").cautions()[0]
        'Ruth Adeyemi becomes the owner of the site.'
        """
        effects = self.effects()
        found = [] if self._only_renames else cautions_of(effects, self._pieces)
        if self._proposal.data.users.get(self._by) is not None:
            found = [*self._own_loss(), *found]
        return found

    @property
    def _only_renames(self) -> bool:
        """Whether all it does is to give new names, or to take those back, so that nothing goes
        and nothing comes."""
        made = [op for each in self._asked if isinstance(each, Record) for op in each.operations]
        made += [s.operation for s in self._proposal.steps if s.operation["do"] != "undo"]
        return all(str(each["do"]).startswith("rename-") for each in made)

    def _own_loss(self) -> list[str]:
        """What the one who makes it gives away, so that they could not take it back."""
        proposal, at = self._proposal, self._proposal.made.at
        before = self._site.engine_for(proposal.before, at)
        return lost_by(Judged(before, proposal.data, proposal.renames, proposal.made), self._by)

    @property
    def _pieces(self) -> list[Piece]:
        return [piece for step in self._proposal.steps for piece in step.patch.pieces]
