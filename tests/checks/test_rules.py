"""A rule is data: what was asked, of what, with which parameters, and in words, whatever came of it."""

import json
import pickle
from collections.abc import Callable
from typing import Any

import numpy as np
import pytest

import breadcrumb.checks
from breadcrumb import Box, Circle, Misuse, Signal, Spans, Trace, UnknownName, Verdict, frames, judge, seconds
from breadcrumb.checks import movement, session, spawns, triggers, values
from breadcrumb.checks.declaration import DECLARED
from breadcrumb.checks.describing import as_data
from breadcrumb.checks.templates import Template
from breadcrumb.verdicts.verdict import all_of
from vocabulary import ROWS, after, at, crowd, declaration_of, east, hop, kegs

LIMIT = 1_000
"""Bytes of a rule's parameters and scope; it holds no samples."""


@pytest.mark.parametrize("name", ROWS)
def test_a_rule_names_its_check_and_its_subject(name: str) -> None:
    """The rule has the check with its module, a subject with key and label, and the same of both outcomes."""
    row = ROWS[name]
    held, broken = row.check(row.held).rule, row.check(row.broken).rule
    assert held.check.rpartition(".")[2] == held.check_name == name.split()[0].rpartition(".")[2]
    assert declaration_of(name).name == held.check
    assert held.subject.key
    assert held.subject.label
    assert held.sentence == broken.sentence
    assert (held.check, held.subject.key, held.parameters, held.scope) == (
        broken.check, broken.subject.key, broken.parameters, broken.scope,
    )  # fmt: skip
    assert (held.id, held.given_id) == ("", "")


@pytest.mark.parametrize("name", ROWS)
def test_a_rule_is_small_and_goes_to_json_and_back(name: str) -> None:
    """Parameters and scope are plain data of a few hundred bytes, without a representation or samples in it."""
    row = ROWS[name]
    rule = row.check(row.held).rule
    told = json.dumps([rule.parameters, rule.scope], allow_nan=False)
    assert json.loads(told) == [rule.parameters, rule.scope]
    assert len(told) < LIMIT
    assert " at 0x" not in told
    assert not {"occasions", "occasions_each", "id"} & {*rule.parameters, *rule.scope}


@pytest.mark.parametrize("name", ROWS)
def test_a_verdict_pickles(name: str) -> None:
    """A verdict goes to another process and is equal there, broken with its evidence as well as held."""
    row = ROWS[name]
    for trace in (row.held, row.broken, row.untested):
        verdict = row.check(trace)
        assert pickle.loads(pickle.dumps(verdict)) == verdict


def _asked(name: str, **more: Any) -> Callable[[Trace], Verdict]:
    """Return what asks a row's check with more keywords than the row gives it."""
    module, _, bare = declaration_of(name).name.partition(".")
    package = getattr(breadcrumb.checks, module)
    check, row = getattr(package, bare), ROWS[name].check

    def ask(trace: Trace) -> Verdict:
        if row is check:
            verdict: Verdict = check(trace, **more)
            return verdict
        with pytest.MonkeyPatch.context() as patched:
            patched.setattr(package, bare, lambda *given, **named: check(*given, **named, **more))
            joined: Verdict = row(trace)
            return joined

    return ask


COUNTED = {"oscillates": -1}
"""Of a check that is made of several, the one whose occasions count, if it is not the first."""


@pytest.mark.parametrize("name", ROWS)
def test_every_check_counts_its_occasions(name: str) -> None:
    """With one occasion more than there are, a rule that held is untested and says of how many; a broken one is broken."""
    row = ROWS[name]
    held = row.check(row.held)
    counted = (held.parts[COUNTED.get(name, 0)] if held.parts else held).tested
    assert _asked(name, occasions=counted)(row.held).outcome == "held"
    more = _asked(name, occasions=counted + 1)(row.held)
    assert (more.outcome, more.why_untested) == ("untested", f"{counted} of {counted + 1} occasions")
    assert _asked(name, occasions=10_000)(row.broken).outcome == "broken"
    assert more.rule.sentence == held.rule.sentence


@pytest.mark.parametrize("name", ROWS)
def test_every_check_takes_a_name_for_its_rule(name: str) -> None:
    """`id=` is kept beside the rule, and changes neither its words nor its parameters."""
    row = ROWS[name]
    named, plain = _asked(name, id="by-name")(row.held), row.check(row.held)
    assert named.rule.given_id == "by-name"
    assert (named.rule.sentence, named.rule.parameters) == (plain.rule.sentence, plain.rule.parameters)


@pytest.mark.parametrize("name", ROWS)
def test_every_check_refuses_a_wrong_keyword(name: str) -> None:
    """A keyword with a typing error is an error that names the near one, or what the check takes."""
    with pytest.raises((Misuse, UnknownName), match="ocasions"):
        _asked(name, ocasions=3)(ROWS[name].held)


def _slow(t: Trace, **more: Any) -> Verdict:
    return judge(kegs(t).n < 9, "n is small", **more)


EACH: dict[str, tuple[Callable[[Trace], Verdict], str, str]] = {
    # what is asked, its outcome, and of which object too little was tested
    "each barrel has samples": (lambda t: _slow(t, occasions_each=3), "held", ""),
    "b has nine": (lambda t: _slow(t, occasions_each=10), "untested", "9 of 10 occasions of b"),
    "all of it has nineteen": (lambda t: _slow(t, occasions=20), "untested", "19 of 20 occasions"),
    "a was never tapped": (
        lambda t: movement.lands_on(kegs(t), (0, 0), at=t.events("tap", by="b"), tol=99, occasions_each=1),
        "untested", "0 of 1 occasions of a",
    ),
    "both were tapped": (
        lambda t: movement.lands_on(kegs(t), (0, 0), at=t.events("tap"), tol=99, occasions_each=1), "held", "",
    ),
    "one object, not its kind": (
        lambda t: movement.lands_on(t.one(id="b"), (0, 0), at=t.events("tap", by="b"), tol=99, occasions_each=1),
        "held", "",
    ),
}  # fmt: skip


@pytest.mark.parametrize("what", EACH)
def test_occasions_of_each_object_are_counted_by_object(what: str) -> None:
    """`occasions_each` asks for so many of every object of the subject, those without any among them."""
    ask, outcome, why = EACH[what]
    trace = crowd(events=[*at("tap", 2), *at("tap", 3, who="b")], n=lambda t: t, position=lambda t: (t, 0.0))
    verdict = ask(trace)
    assert (verdict.outcome, verdict.why_untested) == (outcome, why)


SCOPED: dict[str, tuple[Callable[[Trace, Spans], Verdict], str]] = {
    "during": (lambda t, on: values.equals(kegs(t).n, 3, during=on), " during lit"),
    "except_during": (
        lambda t, on: movement.keeps_speed(kegs(t), 5, tol=1, except_during=on),
        " except during lit",
    ),
    "both": (
        lambda t, on: movement.stays_inside(kegs(t), Box((-9, -9), (9, 9)), during=on, except_during=on),
        " during lit except during lit",
    ),
    "except_at": (
        lambda t, on: movement.never_teleports(kegs(t), 2, except_at=t.events("tap")), " except at tap",
    ),
    "match": (
        lambda t, on: triggers.leads_to(t.events("tap"), t.events("ring"), within=seconds(1), match="any"),
        ", regardless of subject",
    ),
    "match by data": (
        lambda t, on: triggers.leads_to(t.events("tap"), t.events("ring"), within=seconds(1), match="to"),
        ", for each 'to'",
    ),
    "a condition": (lambda t, on: judge(kegs(t).n < 9, "n is small", during=on), " during lit"),
    "a number of objects": (
        lambda t, on: spawns.count_stays(kegs(t), at_most=2, except_during=on), " except during lit",
    ),
    "the frame time": (
        lambda t, on: session.keeps_pace(t, seconds(1), during=on), " during lit",
    ),
    "what may change": (
        lambda t, on: session.only_these_change(t, ["barrel.n"], during=on), " during lit",
    ),
    "a cooldown": (
        lambda t, on: triggers.respects_cooldown(t.events("tap"), frames(2), match="any", except_during=on),
        " regardless of subject except during lit",
    ),
}  # fmt: skip


@pytest.mark.parametrize("what", SCOPED)
def test_every_scope_is_in_the_sentence_and_in_the_data(what: str) -> None:
    """Whatever narrows a rule is said in its sentence, and kept under the argument's own name."""
    ask, words = SCOPED[what]
    trace = crowd(events=at("tap", 2, to=1), n=lambda t: 3.0, position=east, lit=lambda t: t > 0.5)
    rule = ask(trace, kegs(trace).lit.spans()).rule
    assert rule.sentence.endswith(words) or words in rule.sentence
    assert rule.scope
    assert not set(rule.scope) & set(rule.parameters)
    for given in rule.scope:
        assert given in ("at", "after", "during", "except_during", "except_at", "match")


@pytest.mark.parametrize("name", DECLARED)
def test_no_scope_goes_unsaid(name: str) -> None:
    """Each argument that narrows a rule is told by the template, or behind it."""
    declaration = DECLARED[name]
    behind = {"during", "except_during", "except_at", "match"}
    scope = {"at", "after", *behind} & set(declaration.signature.parameters)
    assert scope <= declaration.template.names | behind
    known = set(declaration.signature.parameters)
    assert declaration.template.names <= known, declaration.template.names - known


HALVES: dict[str, tuple[Callable[[Trace, bool], Verdict], Trace]] = {
    # a session in which each cause has its effect, and something else does it too
    "changes_by": (
        lambda t, only: values.changes_by(kegs(t).n, 1, at=t.events("tap", by="a"), only=only),
        crowd(after(3, lambda t: 1.0, "a") | after(6, lambda t: 1.0, "b"), at("tap", 3), n=lambda t: 0.0),
    ),
    "toggles": (
        lambda t, only: values.toggles(kegs(t).lit, at=t.events("tap"), only=only),
        crowd(after(3, lambda t: True, "a", "lit") | after(6, lambda t: True, "b", "lit"), at("tap", 3), lit=lambda t: False),
    ),
    "steps_by": (
        lambda t, only: movement.steps_by(kegs(t).n, 1, at=t.events("tap"), only=only),
        crowd(after(3, lambda t: 1.0, "a") | after(6, lambda t: 1.0, "b"), at("tap", 3), n=lambda t: 0.0),
    ),
}  # fmt: skip


@pytest.mark.parametrize("what", HALVES)
def test_what_else_does_it_is_a_breach_that_names_the_way_out(what: str) -> None:
    """The half that nothing else may do it breaks under its own name, and holds with `only=False`."""
    ask, trace = HALVES[what]
    strict, loose = ask(trace, True), ask(trace, False)
    assert strict.outcome == "broken", strict.explain()
    assert strict.first is not None
    assert strict.first.object == "b"
    assert strict.first.words.endswith("; only=False would allow it")
    assert "and at no other time" in strict.sentence
    assert loose.outcome == "held", loose.explain()
    assert "no other" not in loose.sentence
    assert (strict.rule.parameters.get("only"), loose.rule.parameters["only"]) == (None, False)


def test_a_rule_of_which_only_causes_are_asked_still_needs_a_cause() -> None:
    """With `only=False` and no cause, nothing was tested: it is untested, and never held by what was left out."""
    trace = crowd(n=lambda t: 0.0)
    for only in (True, False):
        verdict = values.changes_by(kegs(trace).n, 1, at=trace.events("tap"), only=only)
        assert verdict.outcome == "untested", verdict.explain()


DATA: dict[str, tuple[Any, Any]] = {
    "a number": (6, 6),
    "a number of NumPy": (np.float64(1.5), 1.5),
    "infinity": (float("-inf"), "-inf"),
    "no number": (float("nan"), "nan"),
    "a duration in seconds": (seconds(0.35), {"s": 0.35}),
    "a duration in frames": (frames(7), {"frames": 7}),
    "a pair": ((seconds(0), seconds(1)), [{"s": 0}, {"s": 1}]),
    "a box": (Box((0, 0), (2, 1)), {"region": "Box", "low": [0, 0], "high": [2, 1]}),
    "a circle": (Circle((1, 2), 0.5), {"region": "Circle", "centre": [1, 2], "radius": 0.5}),
    "an array": (np.zeros(1000), {"array": "float64"}),
    "a long list": (list(range(1000)), {"array": "int"}),
    "a function": (abs, {"function": "abs"}),
    "a set": ({"b", "a"}, ["a", "b"]),
    "a mapping": ({"a": 1}, {"a": 1}),
    "nothing": (None, None),
    "a flag": (True, True),
    "a long text": ("x" * 900, "x" * 199 + "…"),
    "something else": (object(), {"value": "object"}),
}


@pytest.mark.parametrize("what", DATA)
def test_arguments_are_kept_as_plain_data(what: str) -> None:
    """Numbers, durations, regions and lists are kept with all their numbers; arrays and functions by type and name."""
    value, expected = DATA[what]
    told = as_data(value)
    assert told == expected
    assert len(json.dumps(told, allow_nan=False)) < LIMIT


def test_what_is_judged_is_kept_by_key() -> None:
    """A signal is kept as its expression with its key and unit, objects by kind or id, moments and spans by label."""
    trace = crowd(events=at("tap", 2), p=east, lit=lambda t: True)
    barrels, a = kegs(trace), trace.one(id="a")
    assert as_data(barrels) == {"all": "barrel"}
    assert as_data(a) == {"one": "a"}
    moved = barrels.p.x * 2 + 1
    assert as_data(moved) == {"signal": moved.name, "key": "barrel.p.x", "unit": moved.unit}
    assert as_data(trace.events("tap", by="a"))["key"] == "tap(by=a)"
    assert as_data(barrels.lit.spans()) == {"spans": "lit", "key": "barrel.lit"}
    assert as_data(trace) == {"session": "made by hand"}


KEYS: dict[str, Callable[[Trace], Any]] = {
    "barrel.p.x": lambda t: kegs(t).p.x,
    "barrel.p": lambda t: (kegs(t).p - (1, 2)).norm(),
    "a.p": lambda t: t.one(id="a").p,
    "barrel.lit.rises": lambda t: kegs(t).lit.rises(),
    "barrel.n.changes": lambda t: kegs(t).n.changes(),
    "barrel.appears": lambda t: kegs(t).appears,
    "barrel.leaves": lambda t: kegs(t).leaves,
    "tap": lambda t: t.events("tap"),
    "tap(on=a)": lambda t: t.events("tap", on="a"),
    "barrel.lit": lambda t: kegs(t).lit.spans(),
    "barrel.n": lambda t: kegs(t).n.at(t.events("tap").with_subject("on")),
}


@pytest.mark.parametrize("key", KEYS)
def test_what_is_derived_keeps_the_key_of_its_source(key: str) -> None:
    """A key is where a value comes from, whatever is computed with it and whatever it is called."""
    trace = crowd(events=at("tap", 2, on="a"), p=east, n=lambda t: t, lit=lambda t: t > 0.3)
    assert KEYS[key](trace).key.text == key


def test_a_name_given_to_what_is_judged_changes_no_key() -> None:
    """`with_name` changes what a rule is called in messages, and leaves its key."""
    trace = crowd(events=at("tap", 2), n=lambda t: 3.0)
    plain, named = trace.events("tap"), trace.events("tap").with_name("a press")
    assert (named.label, named.key) == ("a press", plain.key)
    signal = kegs(trace).n
    renamed = signal.with_name("the count")
    assert values.equals(renamed, 3).rule.subject.key == values.equals(signal, 3).rule.subject.key == "barrel.n"
    spans = (signal > 1).spans()
    assert spans.with_name("busy").key == spans.key


def test_a_joined_verdict_has_the_beginning_that_its_parts_share() -> None:
    """The key of several rules is what their keys begin with alike, by whole parts; else it is empty."""
    trace = crowd(p=east, n=lambda t: 3.0)
    x, y = values.equals(kegs(trace).p.x, 0, tol=99), values.equals(kegs(trace).p.y, 0)
    assert all_of(x, y).rule.subject.key == "barrel.p"
    n = values.equals(kegs(trace).n, 3)
    assert all_of(x, n).rule.subject.key == "barrel"


TEMPLATES: dict[str, tuple[str, dict[str, Any], str]] = {
    "a plain argument": ("{a} falls", {"a": "x"}, "x falls"),
    "a piece that is not given": ("{a} falls[ by {b}]", {"a": "x"}, "x falls"),
    "a piece that is given": ("{a} falls[ by {b}]", {"a": "x", "b": "2 m"}, "x falls by 2 m"),
    "the other piece": ("{a} keeps [{b}|its speed]", {"a": "x"}, "x keeps its speed"),
    "nested pieces": ("{a} is [{b} to {c}|[from {b}|up to {c}]]", {"a": "x", "c": "9"}, "x is up to 9"),
    "a true argument": ("{a} moves[b?, and rests]", {"a": "x", "b": True}, "x moves, and rests"),
    "a false argument": ("{a} moves[!b?, and rests]", {"a": "x", "b": True}, "x moves"),
    "a way to tell it": ("{a:loud} moves", {"a": "x"}, "X moves"),
}


@pytest.mark.parametrize("what", TEMPLATES)
def test_a_template_puts_a_rule_in_words(what: str) -> None:
    """Pieces in brackets are there if all that they name was given, or if the argument before `?` is true."""
    source, given, said = TEMPLATES[what]
    template = Template.of(source)
    told = template.words(
        lambda name, how: str(given[name]).upper() if how == "loud" else str(given[name]),
        given.__contains__,
        lambda name: bool(given.get(name)),
    )
    assert told == said


@pytest.mark.parametrize("source", ["a [b", "a ] b", "{a} [x|y"])
def test_a_template_with_a_lost_bracket_is_an_error_at_once(source: str) -> None:
    """A declaration with a mistake fails when the library is loaded, not when a check is asked for."""
    with pytest.raises(ValueError, match="template"):
        Template.of(source)


PLAIN: dict[str, Callable[[Trace], Any]] = {
    "a number": lambda t: 3.0,
    "a text": lambda t: "barrel",
    "a method of objects": lambda t: kegs(t).has,
}


@pytest.mark.parametrize("what", PLAIN)
def test_a_plain_value_where_objects_belong_is_an_error(what: str) -> None:
    """A property that is called like an attribute of ours gives a plain value, and the message says how to reach it."""
    trace = crowd(n=hop)
    with pytest.raises(Misuse, match=r"objects\['kind'\]"):
        values.equals(PLAIN[what](trace), 3)


def test_a_check_reads_as_a_python_function() -> None:
    """`help`, a signature and a call by keyword work on a declared check as on any function."""
    signal: Signal = kegs(crowd(n=lambda t: 3.0)).n
    assert values.equals.__name__ == "equals"
    assert values.equals.__doc__ is not None
    assert values.equals.__doc__.startswith("Assert")
    assert values.equals(signal=signal, expected=3.0).outcome == "held"
