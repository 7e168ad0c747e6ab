"""Words tried near where they stand: what is found so is what is found on the whole site."""

from dataclasses import replace
from random import Random

import pytest

import prim_lantern as pl
from conftest import run
from prim_lantern.change.effects import creating_and_managing
from prim_lantern.change.effects.effects import Effects
from prim_lantern.decide.engine import Engine
from prim_lantern.insight import alike, useless
from prim_lantern.insight.alike import Alike
from prim_lantern.insight.look import Look
from prim_lantern.insight.newcomers import newcomers, with_newcomers
from prim_lantern.insight.useless import but
from prim_lantern.show.changes import effect_lines
from prim_lantern.site.rights import PlaceSetting
from prim_lantern.site.who import Who
from sites import MOMENTS, random_site
from test_asked_before import NOON, dense_site
from test_checkup import AT, GROUPS, SECTION, TOPIC, word


def _words(site):
    given = [each for each in site.given if not site.roles[each.role].all_access]
    return [*site.rules, *given, *(each for each in site.places if each.readership)]


def _without(site, each):
    if isinstance(each, PlaceSetting):
        bare = replace(each, readership=None, readership_from_above=True)
        return site.with_parts(places=tuple(bare if e is each else e for e in site.places))
    part = "rules" if each in site.rules else "given"
    return site.with_parts(**{part: but(getattr(site, part), each)})


def _plainly(engine, other, each):
    """Whether all is decided alike: of everything there, at every moment, and of what may come."""
    site, look = engine.data, Look(engine)
    setting = isinstance(each, PlaceSetting)
    whos = [Who("group", name) for name in site.groups] if setting else each.to
    places = each.within_any if hasattr(each, "within_any") else (each.place,)
    more = with_newcomers(site, newcomers(site, whos), places)
    for both in (site, more):
        now = engine.after(both, engine.at)
        changed = both.with_parts(rules=other.rules, given=other.given, places=other.places)
        for moment in (engine.at, *look._later):
            now = now.after(both, moment)
            if (both is site or moment in (engine.at, *look._turns)) and Effects(
                now, now.after(changed, moment)
            ):
                return False
    return not look.files_otherwise(other)


@pytest.mark.parametrize("seed", range(2))
@pytest.mark.parametrize("make", [dense_site, random_site])
def test_near_a_word_all_is_decided_as_on_the_whole_site(make, seed, monkeypatch):
    monkeypatch.setattr(alike, "_FEW", 0)
    found = set()
    for number in range(12 if make is dense_site else 2):
        rng = Random(f"{make.__name__} {seed} {number}")
        site = make(rng)
        site = replace(site, items=site.content, users=site.people)
        engine = Engine(site, NOON if make is dense_site else rng.choice(MOMENTS))
        words = _words(site)
        for each in rng.sample(words, min(4, len(words))):
            other = _without(site, each)
            decides = Alike(Look(engine)).decides_as(other)
            assert decides == _plainly(engine, other, each), (number, each)
            found.add(decides)
    assert found == {True, False}


PAGES = "\n".join([SECTION, *(f"/a/p{number},page,P,mo,,published,,,,," for number in range(20))])
CREW = "ann,Ann,,active,crew,,\nbo,Bo,,active,,,"


def test_a_word_about_creating_is_not_useless_on_a_big_site(make_site, monkeypatch):
    """Who may create what is not counted there for everybody; what is tried is told all the same."""
    monkeypatch.setattr(creating_and_managing, "_SECTIONS_ASKED", 5)
    create = word("allow", "create", "group:crew", "/a")
    site = make_site(GROUPS + create, CREW, PAGES)
    assert site.checkup(AT, "never-decides") == []
    assert site.tidy(AT).steps == ()
    change = make_site(GROUPS, CREW, PAGES).change(by="mo").allow("create", "group:crew", "/a")
    assert any(each.startswith("Ann gains create") for each in change.in_short())


def test_what_is_not_counted_is_never_said_to_change_nothing(make_site, monkeypatch):
    monkeypatch.setattr(creating_and_managing, "_SECTIONS_ASKED", 5)
    monkeypatch.setattr(creating_and_managing, "_PAIRS_ASKED", 20)
    change = make_site(GROUPS, CREW, PAGES).change(by="mo").allow("create", "signed-in")
    told = " ".join(effect_lines(change.lines(), change.later(), [], change.effects()))
    assert "Nobody gains or loses anything that is counted here" in told
    assert "Who may create what is not counted" in told


def test_each_word_of_very_many_is_tried_where_it_is_asked_for(make_folder, monkeypatch):
    monkeypatch.setattr(useless, "MOST_WORDS", 3)
    many = "".join(word("allow", "edit", "group:crew", f"/a/p{n}") for n in range(3))
    folder = make_folder(GROUPS + many + word("allow", "edit", "user:ann", "/a/p2"), CREW, PAGES)
    site = pl.open_site(folder)
    says = [each.says for each in site.checkup(AT, "never-decides")]
    assert len(says) == 1
    assert says[0].startswith("4 rules, given roles and readerships are too many to try each")
    found = site.checkup(AT, "never-decides", each_word=True)
    assert [each.says for each in found] == [
        "Decides nothing: a rule without a name: Ann may edit at /a/p2 and below."
    ]
    tidied = site.tidy(AT, each_word=True)
    assert (tidied.tried_each, tidied.before.rules - tidied.after.rules) == (True, 1)
    told = run("checkup", "never-decides", "--each-word", site=folder).stdout
    assert "Ann may edit at /a/p2" in " ".join(told.split())


def test_filing_under_a_category_is_decided_wherever_something_stands(make_site):
    """Nothing is filed there yet: only who may file what is there depends on the word."""
    words = TOPIC + GROUPS + word("allow", "read edit", "group:crew", "/a")
    words += word("allow", "file-under", "group:crew", "topic:sea")
    site = make_site(words, CREW, SECTION)
    assert not any("file-under" in each.says for each in site.checkup(AT, "never-decides"))


READERS = (
    '[readerships.desk]\nreaders = ["group:desk"]\n[readerships.crew]\nreaders = ["group:crew"]\n'
    '[[places]]\nwhere = "/a"\nreadership = "desk"\n[[places]]\nwhere = "/a/n"\nreadership = "crew"\n'
)
TWO = "ann,Ann,,active,crew,,\nbo,Bo,,active,crew;desk,,"
FILED = '[[rules]]\nallow = ["file-under"]\nto = ["group:desk"]\nwhere = "/a"\n'
# All that is wrong in it is nothing, though a word decides for one alone, or for what is to come.
DECIDES = {
    "for one of two in the group, whom another word lets": (
        GROUPS + word("allow", "edit", "group:desk") + word("deny", "edit", "group:crew", "/a"),
        TWO, SECTION,
    ),
    "for an item in a state in which nothing new begins": (
        GROUPS + word("allow", "edit", "user:bo", "/a", 'in_state = ["archived"]\nreach = "only-below"\n'),
        TWO, SECTION + "\n/a/x,page,X,mo,,published,,,,,\n/a/y,page,Y,mo,,archived,,,,,",
    ),
    "for what one of two wrote who are spoken of alike": (
        GROUPS + word("allow", "edit", "group:desk") + word("deny", "edit", "group:crew", "/a", 'whose = "own"\n'),
        "abe,Abe,,active,crew;desk,,\n" + TWO, SECTION + "\n/a/y,page,Y,bo,,published,,,,,",
    ),
    "for one of two items by what may be read there": (
        GROUPS + READERS.partition("[[places]]")[0] + word("allow", "edit", "group:desk")
        + word("deny", "edit", "user:bo", "/a", 'in_state = ["archived"]\nreach = "only-below"\n'),
        "bo,Bo,,active,desk,,",
        SECTION + "\n/a/x,page,X,mo,,archived,,crew,,,\n/a/y,page,Y,mo,,archived,,desk,,,",
    ),
    "for what ends later, of two items that are alike now": (
        GROUPS + word("allow", "edit", "group:desk")
        + word("deny", "edit", "user:bo", "/a", 'in_state = ["archived"]\nreach = "only-below"\n'),
        "bo,Bo,,active,desk,,",
        SECTION + "\n/a/x,page,X,mo,,published,,,,,\n/a/y,page,Y,mo,,published,,,,2028-01-01,",
    ),
    "where nothing stands yet, for whoever reads above": (
        GROUPS + READERS, "ann,Ann,,active,,,\neli,Eli,,active,desk,,", SECTION,
    ),
    "later, for somebody new who files": (
        TOPIC + GROUPS + FILED + FILED + "until = 2028-01-01\n", "ann,Ann,,active,,,", SECTION,
    ),
}  # fmt: skip


@pytest.mark.parametrize("case", DECIDES.values(), ids=DECIDES)
def test_a_word_that_decides_for_one_alone_is_not_useless(make_site, case):
    words, people, content = case
    site = make_site(words, people, content)
    words = [each for each in _words(site.data) if not getattr(each, "period", (None, None))[1]]
    alike = Alike(Look(site._state.engine(site.moment(AT))))
    assert not any(alike.decides_as(_without(site.data, each)) for each in words)
