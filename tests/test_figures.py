"""Figures: no text over another at few and at many rows; they read in black and white; what they
show is what the site says."""

from __future__ import annotations

import re
from datetime import timedelta
from itertools import pairwise

import numpy as np
import pytest
from click.testing import CliRunner
from matplotlib.figure import Figure
from matplotlib.text import Text

import prim_lantern as pl
from prim_lantern.cli.main import main
from prim_lantern.decide.engine import Engine
from prim_lantern.figures import sorts
from prim_lantern.figures.canvas import SHADES, settings
from prim_lantern.figures.grid import grid_figure
from prim_lantern.figures.reach import reach_figure, tree_figure
from prim_lantern.figures.roles import roles_figure
from prim_lantern.figures.sorts import SORTS, figure_of
from prim_lantern.insight.ladder import ladder
from prim_lantern.site.moments import moment
from prim_lantern.site.who import Who

NOON = moment("2027-05-10T12:00:00Z")


def boxes(figure: Figure):
    """The room that each text takes; of ticks those that are in sight."""
    figure.canvas.draw()
    renderer = figure.canvas.get_renderer()
    unseen = set()
    for axes in figure.axes:
        for axis in (axes.xaxis, axes.yaxis):
            low, high = sorted(axis.get_view_interval())
            ticks = [*axis.get_major_ticks(), *axis.get_minor_ticks()]
            unseen |= {
                x for t in ticks if not low <= t.get_loc() <= high for x in (t.label1, t.label2)
            }
    texts = [
        each
        for each in figure.findobj(Text)
        if each.get_text().strip() and each.get_visible() and each not in unseen
    ]
    return {(n, each.get_text()): each.get_window_extent(renderer) for n, each in enumerate(texts)}


def assert_nothing_overlaps(figure: Figure, slanted=()):
    found = boxes(figure)
    width, height = figure.canvas.get_width_height()
    for (_, text), box in found.items():
        assert box.x0 >= -1 and box.y0 >= -1 and box.x1 <= width + 1 and box.y1 <= height + 1, (
            f"{text!r} is cut off"
        )
    names = [text for _, text in found]
    x0, y0, x1, y1 = np.array([box.extents for box in found.values()]).T[:, :, None]
    over = (x1 - 1 > x0.T) & (x0 < x1.T - 1) & (y1 - 1 > y0.T) & (y0 < y1.T - 1)
    for one, other in zip(*np.nonzero(np.triu(over, 1)), strict=True):
        aslant = names[one] in slanted and names[other] in slanted  # side by side
        assert aslant, f"{names[one]!r} over {names[other]!r}"


def a_site(make_site, rows, groups=12):
    paths = ["/", *(f"/area-{n:02}" for n in range(rows - 1))]
    content = "".join(f"{e},page,An area with quite a long title,,,,,,,,\n" for e in paths)
    names = [f"group-{n}" for n in range(groups)]
    toml = "".join(f'[groups.{n}]\nlabel = "The people of {n} and others"\n' for n in names)
    toml += "".join(
        f'[[rules]]\nallow = ["edit"]\nto = ["group:{n}"]\nwhere = "/area-{i:02}"\n'
        for i, n in enumerate(names)
        if i < rows - 1
    )
    toml += "".join(
        f'[roles.role-{n}]\nlabel = "A role that can do {n} things"\ncapabilities = [{{ can = {["read", "edit", "publish", "delete", "archive"][: n % 5 + 1]} }}]\n'
        for n in range(groups)
    )
    return make_site(toml.replace("'", '"'), content=content)


@pytest.mark.parametrize("rows", [10, 30])
def test_no_text_stands_over_another(make_site, rows):
    engine = Engine(a_site(make_site, rows).data, NOON)
    areas = sorted(engine.data.items)
    whos = ["guests", "signed-in", *(f"group:{each}" for each in engine.data.groups)]
    with settings():
        grid = grid_figure(engine, areas, whos)
        heads = {each.get_text() for each in grid.axes[0].get_xticklabels()}
        assert len(areas) == rows
        assert_nothing_overlaps(grid, heads)
        assert_nothing_overlaps(reach_figure(engine, areas))
        assert_nothing_overlaps(tree_figure(engine, Who("group", "group-1"), "group-1", areas))
        assert_nothing_overlaps(roles_figure(engine.data, ladder(engine)))


def test_the_figures_of_the_demo_have_no_text_over_another(demo):
    state, store = demo._state, demo.store
    for sort in SORTS:
        with settings():
            figure = figure_of(state, store, sort, [], None, NOON)
            slanted = (
                {e.get_text() for e in figure.axes[0].get_xticklabels()} if sort == "grid" else ()
            )
            assert_nothing_overlaps(figure, slanted)


def test_what_has_no_room_is_said(make_site):
    site = a_site(make_site, 70, groups=50)
    for sort, told in (("grid", "10 more places and 10 more columns"), ("reach", "10 more places")):
        with settings():
            figure = figure_of(site._state, site.store, sort, [], None, NOON)
            words = [each.get_text() for each in figure.texts]
        assert any(f"Left out for want of room: {told}." in each for each in words), words


def test_shades_differ_in_black_and_white():
    """Each is clearly darker than the one before (relative luminance, WCAG 2.2)."""

    def light(shade):
        parts = [int(shade[at : at + 2], 16) / 255 for at in (1, 3, 5)]
        r, g, b = (p / 12.92 if p <= 0.04045 else ((p + 0.055) / 1.055) ** 2.4 for p in parts)
        return 0.2126 * r + 0.7152 * g + 0.0722 * b

    lights = [light(each) for each in SHADES]
    assert all(one > 1.15 * other for one, other in pairwise(lights))


def test_every_cell_of_the_grid_says_what_the_site_says(demo):
    with settings():
        figure = grid_figure(
            demo._state.engine(NOON),
            ["/friends", "/learn/packs"],
            ["guests", "group:friends", "group:education"],
        )
    texts = [each.get_text() for each in figure.axes[0].texts]
    assert texts == ["read", "publish"], (
        "guests and education: nothing, friends read; education publishes"
    )
    words = [each.get_text() for each in figure.texts]
    assert any(each.startswith("The most that they may") for each in words)


def test_counts_and_steps_are_those_of_the_site(monkeypatch):
    moments, demo = [], pl.open_demo()
    monkeypatch.setattr(sorts, "over_time_figure", lambda *told: moments.extend(told[-1]))
    now = max(record.at for record in demo.store.records()) if demo.store.records() else NOON
    with demo.change(by="hana.okafor") as change:
        change.add_members("trustees", ["kit.farrow"])
    now = demo.history()[-1].at + timedelta(minutes=1)
    sorts.figure_of(demo._state, demo.store, "over-time", [], "/trustees", now)
    asked = [
        len(demo.who_may("read", "/trustees", now)) - 1,
        len(demo.who_may("read", "/trustees", now)),
    ]
    reads = [each.counts["read"] for each in moments]
    at = next(n for n, each in enumerate(moments) if each.at == now)
    assert reads[0] == asked[0], "before the change"
    assert reads[at] == asked[1], "after it"
    for each in moments[at:-1]:
        assert each.counts["read"] == len(demo.who_may("read", "/trustees", each.at))


def drawn(folder, sort, file, *more):
    words = ["figure", sort, str(file), *more, "--site", str(folder)]
    return CliRunner().invoke(main, words, standalone_mode=False, catch_exceptions=False)


def test_the_command_draws_whole_files_and_refuses_others(demo_folder, tmp_path):
    for sort, *more in (
        ("grid",),
        ("reach",),
        ("reach", "--who", "sam.whitlock"),
        ("reach", "--who", "guest", "--at", "2027-06-01"),
        ("roles",),
        ("over-time", "--in", "/log"),
    ):
        file = tmp_path / f"{sort}-{len(more)}.svg"
        assert drawn(demo_folder, sort, file, *more).exit_code == 0
        text = file.read_text(encoding="utf-8")
        assert "Oxlip Sound Lighthouse Trust" in text
        assert not re.search(r"<dc:date>", text)
    with pytest.raises(pl.NotOverwritten):
        drawn(demo_folder, "grid", tmp_path / "grid-0.svg")
    for words, told in (
        (("grid", "x.pdf"), "says no form"),
        (("reach", "x.svg", "--who", "guest", "--who", "sam.whitlock"), "one of them"),
        (("over-time", "x.svg", "--in", "/nowhere"), "/nowhere"),
    ):
        with pytest.raises(pl.PrimLanternError, match=told):
            drawn(demo_folder, words[0], tmp_path / words[1], *words[2:])
        assert not (tmp_path / words[1]).exists()


def test_a_dollar_sign_in_a_name_is_no_formula(demo_folder, tmp_path):
    site = pl.open_site(demo_folder)
    with site.change(by="hana.okafor") as change:
        change.change_item("/visit", title="From $5 to $10_{each}")
    site.draw("grid", tmp_path / "grid.svg")
    assert "From $5 to $10_{each}" in (tmp_path / "grid.svg").read_text(encoding="utf-8")
