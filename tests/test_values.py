"""Values: frozen, compared by their fields, and dataclasses to whoever asks."""

from __future__ import annotations

import copy
import dataclasses
import inspect
import pickle

import pytest

import prim_lantern as pl
from prim_lantern.site.people import StandIn
from prim_lantern.values import field, replace, value


@value
class Lamp:
    name: str
    lit: bool = False
    parts: dict = field(default_factory=dict)
    seen: int = field(default=0, compare=False, repr=False)


def test_values_are_told_apart_by_the_fields_that_count():
    assert Lamp("a", seen=1) == Lamp("a", seen=2) != Lamp("a", lit=True)
    assert hash(pl.Limit("page", "/", 3)) == hash(pl.Limit("page", "/", 3, pl.Origin("f", 1)))
    assert Lamp("a").__eq__("a") is NotImplemented
    assert Lamp("a") != pl.Limit("a", "/", 3)
    assert repr(Lamp("a", True, seen=4)) == "Lamp(name='a', lit=True, parts={})"
    assert StandIn("ada") == StandIn("ada") != pl.User("ada")


def test_each_has_a_default_of_its_own():
    one, other = Lamp("a"), Lamp("b")
    one.parts["wick"] = 1
    assert other.parts == {}
    assert Lamp("a", parts={"wick": 1}).parts == {"wick": 1}


@pytest.mark.parametrize(
    "change",
    [
        lambda e: setattr(e, "lit", True),
        lambda e: setattr(e, "new", 1),
        lambda e: delattr(e, "lit"),
    ],
)
@pytest.mark.parametrize("made", [Lamp("a"), pl.SiteData("Harbour", "mo")])
def test_none_can_be_set_again(change, made):
    with pytest.raises(dataclasses.FrozenInstanceError, match="never changes"):
        change(made)


def test_replacing_keeps_the_rest_and_knows_its_fields():
    lamp = Lamp("a", parts={"wick": 1}, seen=3)
    assert replace(lamp, lit=True) == Lamp("a", True, {"wick": 1})
    assert replace(lamp, lit=True).seen == 3
    assert dataclasses.replace(lamp, name="b") == replace(lamp, name="b")
    assert lamp.__replace__(lit=True) == replace(lamp, lit=True)
    with pytest.raises(TypeError, match="bright"):
        replace(lamp, bright=True)


def test_the_standard_library_takes_them_for_dataclasses():
    assert dataclasses.is_dataclass(Lamp)
    told = {each.name: (each.default, each.compare, each.repr) for each in dataclasses.fields(Lamp)}
    assert told["seen"] == (0, False, False)
    assert told["parts"][0] is told["name"][0] is dataclasses.MISSING
    assert dataclasses.fields(Lamp)[2].default_factory is dict
    assert dataclasses.asdict(Lamp("a")) == {"name": "a", "lit": False, "parts": {}, "seen": 0}
    assert list(inspect.signature(pl.Limit).parameters) == ["kind", "where", "at_most", "origin"]


@pytest.mark.parametrize(
    "made", [pl.Item("/log", "page", "Log"), pl.SiteData("Harbour", "mo"), StandIn("ada")]
)
def test_they_are_copied_and_pickled(made):
    for again in (copy.copy(made), copy.deepcopy(made), pickle.loads(pickle.dumps(made))):
        assert again == made
        assert type(again) is type(made)
