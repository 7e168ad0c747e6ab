"""Changes, their effects and the history as text."""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Sequence
from typing import Any, Final

from prim_lantern.change.effects.effects import Effects
from prim_lantern.change.effects.summary import Line
from prim_lantern.change.pieces import Piece
from prim_lantern.change.record import Record
from prim_lantern.formats.entries import plain
from prim_lantern.show.records import csv_text
from prim_lantern.show.terminal import styled, wrapped
from prim_lantern.site.moments import written

_GUEST = "guest"
_BY_HAND = "somebody, by hand in the files"


def effect_lines(
    lines: Sequence[Line],
    later: Sequence[tuple[str, Sequence[Line]]],
    because: Sequence[str],
    effects: Effects,
) -> Iterator[str]:
    """Who gains and who loses what, in short: now, and later with when; where nobody does, why; and
    what was not counted."""
    if not lines:
        only = " now; later it does" if later else " by it, as things are now"
        what = "anything that is counted here" if effects.not_counted else "anything"
        yield from wrapped(f"Nobody gains or loses {what}{only}.")
        for each in () if later else because:
            yield from wrapped(f"- {each}", "  ", "  ")
    else:
        yield styled("What changes", "strong")
        yield from marked(lines)
    for when, some in later:
        yield styled(when, "strong")
        yield from marked(some)
    for each in effects.not_counted:
        yield from wrapped(each, "  ")


_MARKS: Final = {True: ("+", "yes"), False: ("-", "no"), None: ("…", "faint")}


def marked(lines: Iterable[Line]) -> Iterator[str]:
    """Lines of effects, each with a mark: for gains, for losses, or for more that is not named."""
    for line in lines:
        mark = styled(*_MARKS[line.gains])
        first, *more = wrapped(f"x {line}", "  ", "  ")
        yield first.replace("x", mark, 1)
        yield from more


def caution_lines(cautions: Sequence[str]) -> Iterator[str]:
    """What to think of before a change is made."""
    if cautions:
        yield styled("Worth a second thought", "strong")
        for each in cautions:
            yield from wrapped(f"! {each}", "  ", "  ")


def effect_rows(effects: Effects) -> Iterator[tuple[str, str, str, str]]:
    """Every effect by itself: who, what, where, and whether it is gained or lost."""
    for each in effects:
        yield each.who or _GUEST, each.action, each.where, "gains" if each.gained else "loses"


def effects_csv(effects: Effects) -> str:
    """Every effect as CSV (RFC 4180): who, action, where, effect."""
    keys = ("who", "action", "where", "effect")
    return csv_text(keys, (dict(zip(keys, row, strict=True)) for row in effect_rows(effects)))


def effects_dict(effects: Effects, lines: Sequence[Line]) -> dict[str, Any]:
    """The effects for programs: the lines in short, and all of them where they can be named."""
    found: dict[str, Any] = {
        "in_short": list(map(str, lines)),
        "pairs": effects.size,
        "counts": [
            {
                "action": each.action,
                "where": each.where,
                "gained": each.gained,
                "lost": each.lost,
                "guests": {1: "gain", -1: "lose"}.get(each.guests),
            }
            for each in effects.changed
        ],
        "not_counted": list(effects.not_counted),
    }
    return found


def record_rows(records: Iterable[Record]) -> Iterator[tuple[str, str, str, str]]:
    """The history as rows: number, when, by whom, and what with why and its effects."""
    for each in records:
        what = "; ".join(each.said)
        why = f"\nbecause: {each.reason}" if each.reason else ""
        effects = "".join(f"\n- {line}" for line in each.effects[:3])
        more = len(each.effects) - 3
        rest = f"\n  and {more} more; 'history show {each.number}' has all" if more > 0 else ""
        rest += "\n" if effects else ""
        when = each.at.strftime("%Y-%m-%d %H:%M")
        yield str(each.number), when, each.by or f"({each.maker})", f"{what}{why}{effects}{rest}"


def record_lines(record: Record) -> Iterator[str]:
    """One change whole: who, when, why, its effects, and what was before and after."""
    by = record.by or ("the website" if record.from_the_website else _BY_HAND)
    at = f"{record.at:%Y-%m-%d %H:%M:%S} UTC"
    yield styled(f"Change {record.number}", "strong") + f", {at}, by {by}"
    if record.reason:
        yield from wrapped(f"because: {record.reason}", "  ", "  ")
    for each in record.said:
        yield from wrapped(f"- {each}", "  ", "  ")
    if record.effects:
        yield styled("What it changed", "strong")
        for line in record.effects:
            yield from wrapped(f"- {line}", "  ", "  ")
    pieces = [piece for patch in record.patches for piece in patch.pieces]
    renames = [patch.renames for patch in record.patches]
    if pieces or any(each.paths or each.groups for each in renames):
        yield styled("Before and after", "strong")
    for moved in renames:
        for old, new in (*moved.paths.items(), *moved.groups.items()):
            yield f"  {old} is now {new}, with all that is set there"
    for piece in pieces:
        yield from piece_lines(piece)


def piece_lines(piece: Piece) -> Iterator[str]:
    """One thing that differs: as it was, and as it is."""
    name = f" {piece.name}" if piece.name else ""
    yield f"  {piece.part}{name}"
    for mark, style, each in (("-", "no", piece.before), ("+", "yes", piece.after)):
        if each is not None:
            first, *more = wrapped(f"x {_said(piece.part, each)}", "    ", "  ")
            yield first.replace("x", styled(mark, style), 1)
            yield from more


def _said(part: str, each: Any) -> str:
    values = plain(part, each)
    if not isinstance(values, dict):
        return str(values)
    return ", ".join(
        f"{key} = {', '.join(map(str, v)) if isinstance(v, list) else v}"
        for key, v in values.items()
    )


def record_dict(record: Record) -> dict[str, Any]:
    """One change for programs."""
    return {
        "number": record.number,
        "at": written(record.at),
        "by": record.by or None,
        "because": record.reason,
        "said": list(record.said),
        "operations": [dict(each) for each in record.operations],
        "effects": list(record.effects),
        "undoes": record.undoes,
        "pieces": [
            {
                "part": piece.part,
                "name": piece.name,
                "before": plain(piece.part, piece.before),
                "after": plain(piece.part, piece.after),
            }
            for patch in record.patches
            for piece in patch.pieces
        ],
    }
