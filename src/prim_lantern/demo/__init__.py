"""The demo site: the invented Oxlip Sound Lighthouse Trust."""

from __future__ import annotations

from pathlib import Path
from typing import Final, NamedTuple

DEMO_FOLDER = Path(__file__).parent / "site"


class Step(NamedTuple):
    """One step of the walk: what it is about, and the commands that show it."""

    title: str
    about: str
    commands: tuple[str, ...]


_AT = "--at 2027-05-10"

# The order in which people do the work; each command gets --site when it is run.
WALK: Final = (
    Step(
        "Who is there",
        "Keepers, volunteers, teachers, patrons, friends: everybody with their groups. Some "
        "groups are listed by hand; others follow from the position, from the bookings system "
        "or from an enrolment.",
        (f"user list --newest {_AT}", f"group show patrons {_AT}"),
    ),
    Step(
        "A role",
        "A role says what somebody can do. It does nothing until it is given, within a place.",
        ("role show field-writer",),
    ),
    Step(
        "Who sees what",
        "A readership is a set of people who may view. It stands at a path or a category, and "
        "holds for all below.",
        ("readership list",),
    ),
    Step(
        "May they?",
        "Sam writes for the log. May Sam publish the seal count? Yes or no, with the reason.",
        (
            f"may sam edit /log/seal-count {_AT}",
            f"may sam publish /log/seal-count {_AT}",
            f"may sam create /log --kind post --filed topic:press {_AT}",
        ),
    ),
    Step(
        "Why, or why not",
        "The same with all that counted: the line where it is written, the way it reaches the "
        "person, what is missing and what comes near.",
        (
            f"why sam publish /log/seal-count {_AT}",
            f"why tomasz sell /back-office/shop {_AT}",
            f"why wendel read /patrons/webcam {_AT}",
        ),
    ),
    Step(
        "Who may do this here",
        "The price list: who may change it, and by which way?",
        (f"who edit /visit/prices {_AT}",),
    ),
    Step(
        "What may this person do",
        "The boat operator's dispatcher, from outside, for one season.",
        (f"what bo.lind {_AT}",),
    ),
    Step(
        "The site as others see it",
        "A guest, Sam, and anybody who is in the group Friends. What is hidden is not there.",
        tuple(
            f"look-as {who} --by tomasz.reeve {_AT}" for who in ("guest", "sam", "group:friends")
        ),
    ),
    Step(
        "The whole at a glance",
        "Groups across, areas down. An empty cell: nobody has spoken.",
        (
            f"grid --who guests --who signed-in --who group:keepers-fennick --who group:volunteers "
            f"--who group:log-approvers --who group:patrons --who group:trustees {_AT}",
        ),
    ),
    Step(
        "Try a change",
        "Lena keeps the price list from now on. Before anything is done: who would gain and who "
        "would lose what? And what of letting everyone edit?",
        (
            "allow lena.osgood edit /visit/prices --by hana.okafor --try",
            "allow everyone edit /visit --by hana.okafor --try",
        ),
    ),
    Step(
        "Make it",
        "With a reason, which the history keeps. Nobody gives what they do not hold: Beatrix looks "
        "after the trustees' pages, and may set rights there alone.",
        (
            "allow lena.osgood edit /visit/prices --by hana.okafor "
            '--because "She keeps the price list"',
            "allow lena.osgood edit /visit/access --by beatrix.lowe",
        ),
    ),
    Step(
        "What was done, and back again",
        "Every change is recorded and can be taken back; the site can be asked as it stood.",
        (
            "history",
            "may lena edit /visit/prices",
            "may lena edit /visit/prices --as-it-stood 2026-01-01",
            "undo 4 --by hana.okafor",
        ),
    ),
)
