"""Every error of Prim Lantern, in one tree.

    PrimLanternError
    ├── UnknownName            a name that the site does not have
    │   ├── UnknownUser        .login
    │   ├── UnknownItem        .path
    │   ├── UnknownAction      .action
    │   ├── UnknownCategory    .category
    │   ├── UnknownKind        .kind
    │   └── UnknownWho         .who
    ├── SeveralUsers           a text that fits more than one person
    ├── BadQuestion            a question that cannot be asked in this form
    ├── BadValue               a moment, period, place or the like that cannot be read
    ├── BadSite                a site with mistakes: .problems names them all
    ├── NoSite                 nothing to open at the place named
    ├── NotOverwritten         something is already there
    ├── BadChange              a change that cannot be made in this form
    │   ├── NothingToChange    all is so already
    │   ├── AlreadyThere       .name is taken
    │   └── NoSuchChange       the history has no change of this .number
    ├── NotAllowed             .by may not do this
    ├── Refused                a visitor of a website may not do this; .hidden
    ├── NotConfirmed           a change that has to be confirmed: .cautions say why
    ├── ChangedMeanwhile       somebody else changed what a change rests on
    ├── BrokenHistory          a history that does not hold together
    └── StoreTrouble           a disk, file or database that does not do its part

Each error carries its data as attributes; its message names the value, what was
expected and what to do. `exit_code` is what the command line ends with.
"""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from functools import partial
from typing import TYPE_CHECKING, Any

from prim_lantern.wording import did_you_mean, shortened

if TYPE_CHECKING:
    from prim_lantern.decide.decision import Decision
    from prim_lantern.site.origin import Problem


class PrimLanternError(Exception):
    """Anything that Prim Lantern refuses, with a message meant for a person."""

    exit_code = 2


class UnknownName(PrimLanternError):
    """A name that the site does not have; `.suggestions` are the nearest it has."""

    def __init__(self, what: str, name: str, suggestions: Iterable[str] = ()) -> None:
        self.name = name
        self._what, self._near = what, suggestions
        super().__init__(name)

    @property
    def suggestions(self) -> tuple[str, ...]:
        """The nearest names there are: looked for only when somebody wants to know."""
        self._near = tuple(self._near)
        return self._near

    def __str__(self) -> str:
        hint = did_you_mean(self.suggestions)
        return f"{self._what} {self.name!r} is not known on this site.{hint}"

    def __reduce__(self) -> tuple[Any, ...]:
        return type(self), (self.name, self.suggestions)


class UnknownUser(UnknownName):
    """No user has this `.login`."""

    def __init__(self, login: str, suggestions: Iterable[str] = ()) -> None:
        self.login = login
        super().__init__("The user", login, suggestions)


class UnknownItem(UnknownName):
    """No item stands at this `.path`."""

    def __init__(self, path: str, suggestions: Iterable[str] = ()) -> None:
        self.path = path
        super().__init__("The item", path, suggestions)


class UnknownAction(UnknownName):
    """No such `.action`, neither built in nor the site's own."""

    def __init__(self, action: str, suggestions: Iterable[str] = ()) -> None:
        self.action = action
        super().__init__("The action", action, suggestions)


class UnknownCategory(UnknownName):
    """No such `.category`."""

    def __init__(self, category: str, suggestions: Iterable[str] = ()) -> None:
        self.category = category
        super().__init__("The category", category, suggestions)


class UnknownKind(UnknownName):
    """No such `.kind` of item."""

    def __init__(self, kind: str, suggestions: Iterable[str] = ()) -> None:
        self.kind = kind
        super().__init__("The kind", kind, suggestions)


class UnknownWho(UnknownName):
    """No such group, role, audience, readership or plan (`.who`); `.sort` is "group", "role" and so
    on, or "name" where it could have been any of them."""

    def __init__(self, who: str, suggestions: Iterable[str] = (), sort: str = "name") -> None:
        self.who = who
        self.sort = sort
        super().__init__(f"The {sort}", who, suggestions)

    def __reduce__(self) -> tuple[Any, ...]:
        return type(self), (self.who, self.suggestions, self.sort)


class SeveralUsers(PrimLanternError):
    """`.text` fits several people; `.logins` are theirs. Nothing is guessed."""

    def __init__(self, text: str, people: Sequence[tuple[str, str]]) -> None:
        self.text = text
        self.logins = tuple(login for login, _ in people)
        shown = "".join(f"\n  {login}  {name}".rstrip() for login, name in people[:10])
        more = f"\n  and {len(people) - 10} more" if len(people) > 10 else ""
        super().__init__(
            f"{text!r} fits {len(people)} people; say which by the login:{shown}{more}"
        )


class BadQuestion(PrimLanternError):
    """A question that cannot be asked in this form; the message says how to ask it."""


class BadValue(PrimLanternError):
    """`.value` cannot be read; the message says what was expected."""

    def __init__(self, value: object, expected: str) -> None:
        self.value = value
        self.expected = expected
        super().__init__(f"{shortened(value)} {expected}")


class BadSite(PrimLanternError):
    """A site that cannot be used as it is: `.problems` names everything that is wrong."""

    def __init__(self, problems: Sequence[Problem], where: str = "") -> None:
        self.problems = tuple(problems)
        count = f"{len(self.problems)} mistake{'s' if len(self.problems) > 1 else ''}"
        found = f"{count} in {where}" if where else count
        super().__init__("\n".join([f"{found}; nothing was loaded.", *map(str, self.problems)]))


class NoSite(PrimLanternError):
    """There is no site at `.where`."""

    def __init__(self, where: str, because: str) -> None:
        self.where = where
        super().__init__(f"There is no site at {where!r}: {because}")


class NotOverwritten(PrimLanternError):
    """`.where` already holds something, and nobody said to overwrite it."""

    def __init__(self, where: str, hint: str) -> None:
        self.where = where
        super().__init__(f"{where!r} is already there and was left as it is. {hint}")


class BadChange(PrimLanternError):
    """A change that cannot be made in this form; the message says what to do instead."""


class NothingToChange(BadChange):
    """A change that would leave everything as it is."""


class AlreadyThere(BadChange):
    """The `.name` is taken by something that is there already."""

    def __init__(self, what: str, name: str) -> None:
        self.name = name
        super().__init__(f"The {what} {name!r} is there already; change it, or take another name.")


class NoSuchChange(BadChange):
    """The history has no change of this `.number`."""

    def __init__(self, number: int, last: int) -> None:
        self.number = number
        has = f"it has the changes 1 to {last}" if last else "it has no changes yet"
        super().__init__(f"There is no change {number} in the history: {has}.")


class NotAllowed(PrimLanternError):
    """`.by` may not make a change, or not look as another.

    `.because` says what is missing, and `.ask` whom to ask who could do it (logins).
    """

    exit_code = 1

    def __init__(
        self,
        by: str,
        because: Sequence[str],
        what: str = "make this change; nothing was changed",
        ask: Sequence[str] = (),
    ) -> None:
        self.by = by
        self.because = tuple(because)
        self.ask = tuple(ask)
        missing = "".join(f"\n  {each}" for each in self.because)
        others = f"\nWho could: {', '.join(self.ask)}." if self.ask else ""
        super().__init__(f"{by} may not {what}.{missing}{others}")


class Refused(PrimLanternError):
    """Somebody who visits a website may not do an `.action` to the item at a `.path`.

    `.hidden` says that they may not even know whether something is there: answer as for a page that
    does not exist. `.decision` says why, for those who may know; None where nothing is there.
    """

    exit_code = 1

    def __init__(
        self,
        who: str,
        action: str,
        path: str,
        *,
        hidden: bool,
        decision: Decision | None = None,
    ) -> None:
        self.who, self.action, self.path = who, action, path
        self.hidden, self.decision = hidden, decision
        super().__init__(
            f"There is nothing at {path!r} that {who} may read."
            if hidden
            else f"{who} may not {action} {path!r}."
        )

    @property
    def status(self) -> int:
        """The status of HTTP for it: 404 where it is hidden, else 403 (RFC 9110, section 15.5)."""
        return 404 if self.hidden else 403

    def __reduce__(self) -> tuple[Any, ...]:
        return partial(type(self), hidden=self.hidden, decision=self.decision), (
            self.who,
            self.action,
            self.path,
        )


class NotConfirmed(PrimLanternError):
    """A change that nobody has confirmed; `.cautions` are the reasons to, a text each."""

    def __init__(self, cautions: Sequence[str]) -> None:
        self.cautions = tuple(cautions)
        super().__init__("Nothing was changed. Add --yes to make this change all the same.")


class ChangedMeanwhile(PrimLanternError):
    """Somebody else changed what a change rests on; `.changes` are the numbers of theirs."""

    def __init__(self, changes: Sequence[int], what: str) -> None:
        self.changes = tuple(changes)
        numbers = ", ".join(map(str, changes))
        super().__init__(
            f"Nothing was changed: meanwhile somebody made change {numbers}, and now {what}. "
            "Look at the effects once more, and make your change again."
        )


class BrokenHistory(PrimLanternError):
    """A history that does not hold together; `.number` is the first change that does not fit."""

    def __init__(self, number: int, because: str) -> None:
        self.number = number
        super().__init__(
            f"The history is not whole at change {number}: {because}. Bring back a copy from "
            "before it was damaged. Where there is none, put history.jsonl and .last of the folder "
            "aside (of a database: those of a folder that 'prim-lantern folder out' writes): a new "
            "history then begins with the site as it is."
        )


class StoreTrouble(PrimLanternError):
    """A disk, file or database at `.where` that does not do its part; nothing was changed."""

    def __init__(self, where: str, because: str) -> None:
        self.where = where
        super().__init__(f"{where}: {because}")
