"""The benchmarks still run: on sites so small that their figures say nothing."""

from __future__ import annotations

import importlib
from pathlib import Path

import pytest

import prim_lantern as pl

BENCHMARKS = Path(__file__).parents[1] / "benchmarks"


@pytest.fixture(autouse=True)
def _beside_the_benchmarks(monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.syspath_prepend(BENCHMARKS)
    monkeypatch.setattr(importlib.import_module("shape"), "WORDS", 200)


@pytest.mark.parametrize("name", sorted(path.stem for path in BENCHMARKS.glob("*.py")))
def test_each_finds_all_that_it_asks(name):
    assert importlib.import_module(name).__doc__


def test_each_row_of_the_table_can_be_measured():
    import measure

    bench = measure.Bench(measure.site_of(120, 400))
    bench.warm_up(50)
    rows = [
        bench.items_of_one(),
        bench.people_of_one(),
        bench.after_a_rule(),
        bench.effects(),
        *bench.effects_of_all(),
        bench.grid(),
        *bench.per_check([bench.engine.allows]),
        bench.per_new_check(),
    ]
    assert all(seconds > 0 for seconds in rows)


def test_what_a_website_meets_can_be_measured(monkeypatch):
    import everyday

    monkeypatch.setattr(everyday, "CHECKS", 100)
    data = everyday.shape.site_of(120, 400)
    rows = dict([*everyday.fresh(data), *everyday.coming_and_going(data)])
    assert len(rows) > 10
    assert all(seconds > 0 for seconds in rows.values())


def test_how_long_a_change_holds_the_store_can_be_measured(tmp_path):
    import recording

    site = pl.put_site(recording.shape.site_of(40, 120), tmp_path / "site")
    assert all(0 < held < whole for _, held, whole in recording.recorded(site))
    assert site.store.check_history() == 1 + 3 * recording.TIMES
