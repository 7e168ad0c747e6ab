"""Findings of a checkup that are accepted as they are."""

from __future__ import annotations

from dataclasses import dataclass
from typing import ClassVar

from prim_lantern.change.operations.base import Made, Operation, When, times
from prim_lantern.errors import BadChange
from prim_lantern.site import names
from prim_lantern.site.data import SiteData
from prim_lantern.site.findings import Accepted
from prim_lantern.site.moments import moment
from prim_lantern.wording import did_you_mean


@dataclass(frozen=True)
class AcceptFinding(Operation):
    """Accept a finding of the checkup, by its key: with what it says, why it is right as it is, and
    maybe until when. The checkup shows it apart then. One that is accepted already is accepted
    anew."""

    do: ClassVar[str] = "accept-finding"
    finding: str
    because: str
    says: str = ""
    until: When = None

    def apply(self, data: SiteData, made: Made) -> SiteData:
        if not self.because.strip():
            raise BadChange("Say why the finding is right as it is, so that others know later.")
        until = moment(self.until, data.zone) if self.until is not None else None
        if until is not None and until <= made.at:
            raise BadChange(f"Accepted{times(None, self.until)}: that is over already.")
        accepted = Accepted(self.finding, self.says, self.because, until)
        if accepted in data.accepted:
            raise BadChange(f"{self.finding} is accepted so already; nothing would change.")
        others = tuple(each for each in data.accepted if each.finding != self.finding)
        return data.with_parts(accepted=(*others, accepted))

    def said(self) -> str:
        return f"accept the finding {self.finding}{times(None, self.until)}"


@dataclass(frozen=True)
class ReopenFinding(Operation):
    """Accept a finding no longer: the checkup shows it again."""

    do: ClassVar[str] = "reopen-finding"
    finding: str

    def apply(self, data: SiteData, made: Made) -> SiteData:
        left = tuple(each for each in data.accepted if each.finding != self.finding)
        if len(left) == len(data.accepted):
            near = names.nearest(self.finding, [each.finding for each in data.accepted])
            raise BadChange(f"{self.finding} is not accepted.{did_you_mean(near)}")
        return data.with_parts(accepted=left)

    def said(self) -> str:
        return f"accept the finding {self.finding} no longer"
