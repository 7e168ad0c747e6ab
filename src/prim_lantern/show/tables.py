"""Tables and trees for a terminal."""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence, Set
from itertools import islice

from rich import box
from rich.console import Group, RenderableType
from rich.table import Table
from rich.text import Text
from rich.tree import Tree

from prim_lantern.decide.explain import words
from prim_lantern.decide.views.grid import Grid, Row
from prim_lantern.decide.views.looking import LookingAs, Offer, Seen
from prim_lantern.show.terminal import width
from prim_lantern.site.content import PUBLISHED
from prim_lantern.site.data import SiteData
from prim_lantern.site.places import category_and_above, parent_of, way_to

_MARKS = {"yes": "green", "own": "yellow", "below": "cyan", "no": "red", "": "default"}
_WHERE_WIDTH = 25
_IN_A_HEADING = 5  # names; of more only the first
_FEW_ROWS = 20
_WORTH_FOLDING = 2  # rows of one sort
_NEARLY_ALL = 3  # so few actions missing are named instead of those that are there


def table(headings: Sequence[str], rows: Iterable[Sequence[str]]) -> Table:
    """A plain table; long cells wrap."""
    found = Table(box=box.SIMPLE_HEAD, pad_edge=False, padding=(0, 1))
    for heading in headings:
        found.add_column(heading, overflow="fold")
    for row in rows:
        found.add_row(*map(Text, row))
    return found


def grid_tables(grid: Grid, *, folded: bool = True) -> RenderableType:
    """The grid, cut into bands of columns that fit the width; those that are the same are one. Of
    many rows, those that say just what the one before them says are folded, and it is said so."""
    asked, grid, joined = len(grid.whos), *_with_joined_columns(grid)
    grid, more = _with_folded_rows(grid) if folded else (grid, {})
    longest_mark = max((len(m) for row in grid.marks for some in row for m in some), default=0)
    widths = [max(len(action), longest_mark, 4) for action in grid.actions]
    longest = max((len(word) for called in grid.called for word in called.split()), default=0)
    column = max(sum(widths) + len(widths) - 1, min(longest, 14))
    per_band = max(1, (width() - _WHERE_WIDTH - 4) // (column + 1))
    starts = range(0, len(grid.whos), per_band)
    bands = [
        _band(grid, range(len(grid.whos))[at : at + per_band], widths, column, more)
        for at in starts
    ]
    notes = list(joined)
    if any(row.own_words or row.below for row in grid.rows):
        notes.append("* words of its own stand here   + words of their own stand further down")
    if any("below" in marks for row in grid.marks for marks in row):
        notes.append("below: not here, but further in, or for what is added")
    if len(grid.whos) < asked:
        notes.append("Columns that are the same are shown as one.")
    if more:
        count = sum(more.values())
        notes.append(
            f"{count:,} rows that say the same as the one before are folded; --all has all."
        )
    notes.append("'prim-lantern why' tells the reason of a mark.")
    return Group(*bands, *(Text(each, style="dim") for each in notes))


def _with_joined_columns(grid: Grid) -> tuple[Grid, list[str]]:
    """The grid with one column for those to whom all the same applies; and who they are, where they
    are too many for a heading."""
    alike: dict[tuple[tuple[str, ...], ...], list[int]] = {}
    for number in range(len(grid.whos)):
        column = tuple(marks[number] for marks in grid.marks)
        alike.setdefault(column, []).append(number)
    firsts = [some[0] for some in alike.values()]
    called, notes = [], []
    for some in alike.values():
        names = [grid.called[number] for number in some]
        if len(names) > _IN_A_HEADING:
            called.append(f"{names[0]} and {len(names) - 1} more")
            notes.append(f"{called[-1]}: {', '.join(names[1:])}")
        else:
            called.append(", ".join(names))
    return grid._replace(
        whos=tuple(grid.whos[number] for number in firsts),
        called=tuple(called),
        marks=tuple(tuple(marks[number] for number in firsts) for marks in grid.marks),
    ), notes


def _with_folded_rows(grid: Grid) -> tuple[Grid, dict[str, int]]:
    """The grid without rows that say just what the one before them says, and have no words of their
    own; and how many such follow which place. Few rows stay as they are."""
    if len(grid.rows) <= _FEW_ROWS:
        return grid, {}
    runs: list[list[int]] = []
    for number, row in enumerate(grid.rows):
        same = bool(runs) and grid.marks[runs[-1][0]] == grid.marks[number]
        if same and not (row.own_words or row.below):
            runs[-1].append(number)
        else:
            runs.append([number])
    folded = [some for some in runs if len(some) > _WORTH_FOLDING]
    more = {grid.rows[some[0]].where: len(some) - 1 for some in folded}
    kept = [n for some in runs for n in (some[:1] if len(some) > _WORTH_FOLDING else some)]
    rows = tuple(grid.rows[number] for number in kept)
    marks = tuple(grid.marks[number] for number in kept)
    return grid._replace(rows=rows, marks=marks), more


def _band(
    grid: Grid, columns: range, widths: Sequence[int], column: int, more: Mapping[str, int]
) -> Table:
    found = Table(box=box.SIMPLE_HEAD, pad_edge=False, padding=(0, 1, 0, 0))
    found.add_column("", width=_WHERE_WIDTH, overflow="ellipsis", no_wrap=True)
    actions = " ".join(map(str.ljust, grid.actions, widths))
    for number in columns:
        heading = Text(f"{grid.called[number]}\n").append(actions, style="not bold dim")
        found.add_column(heading, vertical="bottom", width=column, overflow="fold")
    shown = {row.where for row in grid.rows}
    for row, marks in zip(grid.rows, grid.marks, strict=True):
        cells = [_cells(marks[number], widths) for number in columns]
        found.add_row(Text(_label(row, shown)), *cells)
        if row.where in more:
            found.add_row(Text(f"  … {more[row.where]:,} more, the same", style="dim"))
    return found


def _label(row: Row, shown: Set[str]) -> str:
    """The place of a row: below another row just the last name, further in; the end of what
    is too long; and the signs for words of its own."""
    above = [each for each in way_to(row.where)[1:-1] if each in shown]
    label = "  " * len(above) + row.where.removeprefix(above[-1] + "/" if above else "")
    sign = ("*" if row.own_words else "") + ("+" if row.below else "")
    room = _WHERE_WIDTH - len(sign) - 1
    return f"{label if len(label) <= room else '…' + label[1 - room :]} {sign}"


def _cells(marks: Sequence[str], widths: Sequence[int]) -> Text:
    cells = [Text(mark.ljust(w), _MARKS[mark]) for mark, w in zip(marks, widths, strict=True)]
    return Text(" ").join(cells)


_TOLD = ("read", "edit", "publish")  # what is counted beside a role


def ladder_tree(
    data: SiteData,
    contains: Mapping[str, Sequence[str]],
    counts: Mapping[str, Mapping[str, int]],
) -> Tree:
    """Roles, each above those that it contains, with how many items it lets act on; one that
    several contain is shown with its own below it once."""
    root = Tree(Text("Roles, from the most able", style="bold"), guide_style="dim")
    inside = {name for some in contains.values() for name in some}
    shown: set[str] = set()

    def add(above: Tree, name: str) -> None:
        line = Text().append(name, "bold").append(f"  {data.roles[name].called}")
        told = ", ".join(f"{action} {counts[name].get(action, 0):,}" for action in _TOLD)
        line.append(f"  {told}", style="dim")
        again = name in shown and bool(contains[name])
        node = above.add(line.append("  (as above)") if again else line)
        shown.add(name)
        for each in () if again else contains[name]:
            add(node, each)

    for name in contains:
        if name not in inside:
            add(root, name)
    return root


def looking_tree(data: SiteData, view: LookingAs) -> Tree:
    """The items somebody can read as a tree, with what else they may do beside each."""
    root = Tree(Text(f"The site as {view.called} sees it", style="bold"), guide_style="dim")
    nodes: dict[str, Tree] = {}
    for seen in view.items:
        path = seen.item.path
        label, above = _stands_under(data, path, nodes, root)
        nodes[path] = above.add(_line(data, seen, label))
    return root


def _stands_under(
    data: SiteData, path: str, nodes: dict[str, Tree], root: Tree
) -> tuple[str, Tree]:
    """The rest of a path, and the node under which it stands: of the nearest path above that
    is seen, or that is a section without a page. Below the root, only the parts of the home
    page stand under it.
    """
    above = parent_of(path)
    while above is not None and (above != "/" or data.is_part(path)):
        if above not in nodes and above not in data.items:
            label, outer = _stands_under(data, above, nodes, root)
            nodes[above] = outer.add(Text(f"{label} (no page)", style="dim"))
        if above in nodes:
            return path.removeprefix(above).lstrip("/"), nodes[above]
        above = parent_of(above)
    return path, root


def _line(data: SiteData, seen: Seen, label: str) -> Text:
    line = Text().append(label, "bold" if label.startswith("/") else "")
    kind = data.all_kinds[seen.item.kind]
    if kind.link:
        line.append(f" → {seen.item.links_to}", style="dim")
    elif kind.part:
        line.append(f" ({kind.called})", style="dim")
    if seen.state != PUBLISHED:
        line.append(f" [{seen.state}]", style="yellow")
    if seen.own:
        line.append(" own", style="cyan")
    if seen.may:
        line.append(f"  {_actions(seen)}", style="green")
    return line


def _actions(seen: Seen) -> str:
    """What may be done, in short where it is nearly all."""
    missing = [each for each in seen.possible if each not in seen.may]
    if not missing:
        return "everything"
    if len(missing) <= _NEARLY_ALL and len(seen.may) > _NEARLY_ALL:
        return f"everything but {' and '.join(missing)}"
    return ", ".join(seen.may)


def _categories(data: SiteData, categories: Sequence[str]) -> str:
    """Categories in short: whole sets, and those below another left out."""
    names = []
    for category_set, keys in (
        (each.name, each.categories) for each in data.category_sets.values()
    ):
        every = [f"{category_set}:{key}" for key in keys]
        if every and set(every) <= set(categories):
            names.append(f"any {category_set}")
        else:
            some = [each for each in every if each in categories]
            names += [each for each in some if not _covered(each, some, every)]
    return " or ".join(names)


def _covered(category: str, some: Sequence[str], every: Sequence[str]) -> bool:
    """Whether a category above is among some, with all that is below it."""
    return any(
        above in some and all(each in some for each in every if each.startswith(above + "/"))
        for above in category_and_above(category)[:-1]
    )


def offer_lines(data: SiteData, offers: Sequence[Offer], most: int = 12) -> list[str]:
    """What may be created where, the same offers of several parents joined."""
    joined: dict[tuple[tuple[str, ...], bool, str], list[str]] = {}
    by_parent: dict[str, dict[tuple[tuple[str, ...], bool], list[str]]] = {}
    for offer in offers:
        same = by_parent.setdefault(offer.parent, {})
        same.setdefault((offer.categories, offer.needs_category), []).append(
            data.all_kinds[offer.kind].called
        )
    for parent, groups in by_parent.items():
        for (categories, needed), kinds in groups.items():
            joined.setdefault((categories, needed, ", ".join(kinds)), []).append(parent)
    lines = []
    for (categories, needed, called), parents in islice(joined.items(), most):
        filed = f", filed under {_categories(data, categories)}" if categories else ""
        if categories and not needed:
            filed += " or not at all"
        lines.append(f"{called} below {words.some(parents)}{filed}")
    if len(joined) > most:
        lines.append(f"and {len(joined) - most} more sorts; --json has them all")
    return lines
