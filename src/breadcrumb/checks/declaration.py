"""The one declaration that every check goes through: what it takes, its rule, its words, and what all checks share."""

import functools
import inspect
import re
from collections.abc import Callable, Mapping
from dataclasses import dataclass, replace
from typing import Any, ParamSpec, TypeAlias, TypedDict

from breadcrumb.algebra.durations import Duration
from breadcrumb.algebra.matching import is_noting, noting_matches
from breadcrumb.algebra.signals import Signal
from breadcrumb.algebra.units import per_second
from breadcrumb.checks.accepting import Accepted, accepted_by, refuse_other_types, refuse_unknown_entry, valueless
from breadcrumb.checks.describing import as_data, body_words, in_words, subject_of
from breadcrumb.checks.episodes import in_each_episode
from breadcrumb.checks.pieces import in_pieces
from breadcrumb.checks.templates import Template
from breadcrumb.errors import Misuse, near_names
from breadcrumb.trace.objects import Objects, position_of
from breadcrumb.verdicts.collecting import active_collector, within_the_library
from breadcrumb.verdicts.findings import OBJECTS_KEPT
from breadcrumb.verdicts.outcomes import Outcome
from breadcrumb.verdicts.rules import Rule
from breadcrumb.verdicts.verdict import Verdict

P = ParamSpec("P")
Arguments: TypeAlias = Mapping[str, Any]
UnitOf: TypeAlias = Callable[[Arguments], str]
"""Gives the unit of the numbers among the arguments of a check."""

SCOPE = ("at", "after", "during", "except_during", "except_at", "match")
"""The arguments that say which part of a session a rule is about."""


class Common(TypedDict, total=False):
    """What every check takes besides its own arguments."""

    occasions: int
    """The least number of occasions to test."""
    occasions_each: int
    """The least number of occasions to test of each object."""
    id: str
    """The name of the rule in results, if the check's own is not to be used."""


_COMMON_DOC = """\
        occasions: the least number of occasions to test; with fewer, the rule is untested.
        occasions_each: the least number of occasions to test of each object.
        id: a name for the rule in results, instead of the one made from file, function, check and subject."""


def of_subject(arguments: Arguments) -> str:
    """Return the unit of the first argument; of objects, that of their position."""
    first = next(iter(arguments.values()))
    first = first[0] if isinstance(first, tuple) and first else first
    if isinstance(first, Objects):
        return str(first.signal("position").unit) if first.has("position") else ""
    return str(getattr(first, "unit", ""))


def of_rate(arguments: Arguments) -> str:
    """Return the unit of a velocity: the recorded one that was given, or that of the change of position."""
    velocity = arguments.get("velocity")
    return str(velocity.unit) if isinstance(velocity, Signal) else per_second(of_subject(arguments))


def of_second_rate(arguments: Arguments) -> str:
    """Return the unit of an acceleration."""
    velocity = arguments.get("velocity")
    return per_second(velocity.unit if isinstance(velocity, Signal) else per_second(of_subject(arguments)))


def without_unit(arguments: Arguments) -> str:
    """Return the unit of counts, and of what has a unit of its own."""
    return ""


def of_objects(arguments: Arguments) -> str:
    """Return the unit of the position of the second argument."""
    return of_subject({"objects": arguments["objects"]})


def of_measure(arguments: Arguments) -> str:
    """Return the unit of what is measured in several sessions."""
    return str(arguments["measure"](arguments["traces"][0]).unit) if arguments["traces"] else ""


def of_angle(arguments: Arguments) -> str:
    """Return the session's unit of angles, else degrees."""
    first = next(iter(arguments.values()))
    return position_of(first).track.session.angles.get("unit", "deg")


def of_turn(arguments: Arguments) -> str:
    """Return the unit of the angle of the objects that `angle` names."""
    return str(arguments["objects"].signal(arguments["angle"]).unit)


@dataclass(frozen=True, slots=True)
class Declaration:
    """What is declared of a check."""

    name: str
    """The check with its module, as `movement.stays_inside`."""
    signature: inspect.Signature
    """Its arguments, those that all checks share among them."""
    template: Template
    unit: UnitOf
    passes_on: bool
    """Whether the check demands occasions by itself, of the checks that it is made of."""
    per_lifetime: bool
    """Whether it judges each lifetime by itself."""
    defaults: Arguments
    """What each argument of its own is by default; nothing of those of which there may be any number."""
    first: str
    """What is judged."""
    several: str
    """The name of the arguments of which there may be any number, if there are such."""
    told: frozenset[str]
    """The arguments that the template mentions."""
    places: tuple[str, ...]
    """The arguments that may be given by place."""
    names: frozenset[str]
    """The arguments that may be given by name."""
    required: frozenset[str]
    accepted: tuple[Accepted, ...]
    """What each argument may be."""

    @classmethod
    def of(
        cls, function: Callable[..., Any], template: Template, unit: UnitOf, *, passes_on: bool, per_lifetime: bool
    ) -> "Declaration":
        """Return the declaration of a function."""
        signature = _with_common(inspect.signature(function))
        every = signature.parameters.values()
        named = [one for one in every if one.kind in (one.POSITIONAL_OR_KEYWORD, one.KEYWORD_ONLY)]
        return cls(
            _name_of(function), signature, template, unit, passes_on, per_lifetime,
            {one.name: _NOTHING.get(one.kind, one.default) for one in every if one.name not in Common.__annotations__},
            next(iter(signature.parameters)),
            next((one.name for one in every if one.kind is one.VAR_POSITIONAL), ""),
            template.names,
            tuple(one.name for one in named if one.kind is one.POSITIONAL_OR_KEYWORD),
            frozenset(one.name for one in named),
            frozenset(one.name for one in named if one.default is one.empty),
            accepted_by(function, signature),
        )  # fmt: skip

    def bind(self, args: tuple[Any, ...], given: dict[str, Any]) -> dict[str, Any]:
        """Return the arguments of a call by name, those alone that were given.

        Raises:
            Misuse: there is one too many, one is missing, or there is none of that name.
        """
        bound = {**dict(zip(self.places, args, strict=False)), **given}
        if len(bound) == len(args) + len(given) and self.required <= bound.keys() <= self.names:
            return bound  # twenty times faster than the signature, which is left the rarer calls and the errors
        try:
            return self.signature.bind(*args, **given).arguments
        except TypeError as error:
            wrong = [name for name in given if name not in self.signature.parameters]
            near = near_names(wrong[0], self.signature.parameters) if wrong else []
            hint = f"; did you mean {near[0]}=?" if near else f"; it takes {', '.join(self.signature.parameters)}"
            raise Misuse(f"{self.name}: {error}{hint}") from None

    def rule(self, bound: Arguments, given_id: str) -> Rule:
        """Return the rule that a call asks for."""
        arguments = {**self.defaults, **bound}
        first, *others = arguments
        subject = arguments[first]
        steps = isinstance(subject, tuple) and first == self.several
        given = {name for name in others if not _same(arguments[name], self.defaults[name])}
        told = {name: as_data(arguments[name]) for name in others if name in given}
        if steps:
            told[first] = [as_data(one) for one in subject[1:]]
        return Rule(
            self._words(arguments, given | {first}),
            self.name,
            subject_of(subject),
            {name: value for name, value in told.items() if name not in SCOPE},
            {name: value for name, value in told.items() if name in SCOPE},
            given_id=given_id,
        )

    def _words(self, arguments: Arguments, given: set[str]) -> str:
        first = arguments[self.first]
        judged = first.owner if isinstance(first, Signal) else getattr(first, "called", "")

        def say(name: str, how: str) -> str:
            value = arguments[name]
            if how == "bodies":
                return body_words(arguments, value, lambda: self.unit(arguments))
            if not how and judged and isinstance(value, Signal) and value.owner and value.owner != judged:
                return value.title  # what is of others is told with its owner
            return in_words(value, how, lambda: self.unit(arguments))

        said = self.template.words(say, given.__contains__, lambda name: bool(arguments[name]))
        return said + self._tolerance(given, say) + self._scope(given, say)

    def _tolerance(self, given: set[str], say: Callable[[str, str], str]) -> str:
        allowed = [say(name, "") for name in ("tol", "time_tol") if name in given - self.told]
        allowed += [f"{say('rel_tol', 'percent')} of it"] if "rel_tol" in given else []
        return f" (± {' and '.join(allowed)})" if allowed else ""

    def _scope(self, given: set[str], say: Callable[[str, str], str]) -> str:
        words = {"during": " during ", "except_during": " except during ", "except_at": " except at ", "match": ", "}
        return "".join(
            before + say(name, "match" if name == "match" else "")
            for name, before in words.items()
            if name in given - self.told
        )


_NOTHING: dict[Any, Any] = {inspect.Parameter.VAR_POSITIONAL: (), inspect.Parameter.VAR_KEYWORD: {}}
"""What stands for arguments of which there may be any number, if there is none."""

DECLARED: dict[str, Declaration] = {}
"""Every check, by its name with its module."""


def check(
    template: str,
    *,
    unit: UnitOf = of_subject,
    passes_on: bool = False,
    whole: bool | str = False,
    per_lifetime: bool = False,
) -> Callable[[Callable[P, Verdict]], Callable[P, Verdict]]:
    """Declare a check: a function of what is judged that returns a verdict, to which this gives its rule.

    Args:
        template: the rule in words, as `breadcrumb.checks.templates` has it; the tolerance and the scope are added
            behind it unless it tells them itself.
        unit: gives the unit of numbers in it from the arguments.
        passes_on: whether the check hands `occasions` on to checks that it is made of, rather than have them counted.
        whole: whether it is about the whole session, or with which argument; else each episode is judged by itself.
        per_lifetime: whether it judges each lifetime by itself, so that a large group can be judged a few at a time.
    """

    def declare(function: Callable[P, Verdict]) -> Callable[P, Verdict]:
        declaration = Declaration.of(
            function, Template.of(template), unit, passes_on=passes_on, per_lifetime=per_lifetime
        )
        DECLARED[declaration.name] = declaration

        judge = functools.partial(in_pieces, function) if per_lifetime else function

        @functools.wraps(function)
        def asked(*args: P.args, **given: P.kwargs) -> Verdict:
            __tracebackhide__ = True
            bound = declaration.bind(args, given)
            if unknown := valueless(declaration.accepted, bound):
                return asked(**(bound | unknown))  # type: ignore[call-arg]
            refuse_other_types(declaration.name, declaration.accepted, bound)
            if not is_noting():  # a check that is made of others hands them some of its moments
                refuse_unknown_entry(declaration.name, bound)
            common = {name: bound.pop(name) for name in Common.__annotations__ if name in bound}
            first = bound.get(declaration.first, ())
            own = {name: value for name, value in given.items() if passes_on or name not in common}
            with within_the_library(), noting_matches() as matched:
                about_all = whole if isinstance(whole, bool) else bound.get(whole) is not None
                verdict = in_each_episode(judge, args, own, whole=about_all)
                few = "" if passes_on else _too_few(verdict, first, **common)
            rule = declaration.rule(bound, common.get("id", ""))
            changed: dict[str, Any] = {"outcome": Outcome.UNTESTED, "why_untested": few} if few else {}
            verdict = replace(verdict, rule=rule, matched=tuple(dict.fromkeys(matched)), **changed)
            collector = active_collector()
            return verdict if collector is None else collector.makes(verdict)

        asked.__signature__ = declaration.signature  # type: ignore[attr-defined]
        asked.__doc__ = _documented(function.__doc__ or "")
        return asked

    return declare


def _name_of(function: Callable[..., Any]) -> str:
    _, _, module, *_ = (*function.__module__.split("."), "")
    return function.__name__ if module == "conditions" else f"{module}.{function.__name__}"


def _with_common(signature: inspect.Signature) -> inspect.Signature:
    """Return a signature in which what all checks share is written out."""
    own = [one for one in signature.parameters.values() if one.name != "common"]
    behind = [one for one in own if one.kind is one.VAR_KEYWORD]
    defaults = {"occasions": 1, "occasions_each": 0, "id": ""}
    more = [
        inspect.Parameter(name, inspect.Parameter.KEYWORD_ONLY, default=defaults[name], annotation=kind)
        for name, kind in Common.__annotations__.items()
        if name not in signature.parameters
    ]
    return signature.replace(parameters=[*(one for one in own if one not in behind), *more, *behind])


def _documented(doc: str) -> str:
    """Return the docstring of a check with the arguments that all checks share after its own."""
    if "        occasions: " in doc:
        return doc
    return re.sub(
        r"(\n    Args:\n(?:        .*\n|\n(?=        ))+)", lambda match: match[1] + _COMMON_DOC + "\n", doc, count=1
    )


def _same(value: Any, default: Any) -> bool:
    plain = (bool, int, float, str, tuple, dict, Duration)
    return value is default or (isinstance(value, plain) and isinstance(default, plain) and value == default)


def demand(verdict: Verdict, subject: Any, *, occasions: int = 1, occasions_each: int = 0, id: str = "") -> Verdict:
    """Return a verdict that is untested if too little was tested, of all or of one object."""
    few = _too_few(verdict, subject, occasions, occasions_each)
    return replace(verdict, outcome=Outcome.UNTESTED, why_untested=few) if few else verdict


def _too_few(verdict: Verdict, subject: Any, occasions: int = 1, occasions_each: int = 0, id: str = "") -> str:
    """Return why a verdict that held tested too little; empty if it did not."""
    if verdict.outcome != "held":
        return ""
    counted = verdict.parts[0] if verdict.parts else verdict
    if counted.tested < occasions:
        return f"{counted.tested} of {occasions} occasions"
    return _missing_of_one(counted, subject, occasions_each) if occasions_each else ""


def _missing_of_one(verdict: Verdict, subject: Any, least: int) -> str:
    tested = {one.object: one.tested for one in verdict.tallies}
    ids = _ids_of(subject) or tuple(tested)
    if len(ids) > OBJECTS_KEPT:
        raise Misuse(f"occasions_each: expected at most {OBJECTS_KEPT} objects, found {len(ids)}; use occasions=")
    few = next((id for id in ids if tested.get(id, 0) < least), None)
    return "" if few is None else f"{tested.get(few, 0)} of {least} occasions of {few}"


def _ids_of(subject: Any) -> tuple[str, ...]:
    """Return the ids of the objects that a rule is about, those that were never tested among them."""
    if isinstance(subject, Objects):
        return subject.ids
    if isinstance(subject, Signal):
        return tuple(subject.track.session.names[index] for index in subject.track.names.tolist() if index >= 0)
    return ()
