"""What is handed over before anything is recorded: the conventions of a world and names, made plain or refused."""

from collections.abc import Iterable, Mapping
from typing import Any

from breadcrumb.errors import Misuse
from breadcrumb.record.plain import plain_data, plain_text, words_of
from breadcrumb.record.shapes import Shape

SPACES = ("world", "parent", "screen")
"""What the values of a property may be relative to: the world, the object's own parent, or the screen.

They may also be relative to one of the session's `areas`.
"""
_SIZES = {"origin": (2, 3), "turn": (4,)}
"""How many numbers an area's origin may have, and its turn if that is a quaternion."""
CONVENTIONS = ("axes", "angles", "units", "spaces")


def wrong_convention(about: Mapping[str, Any]) -> str:
    """Return what is wrong with the conventions, in words; empty if nothing is.

    Example:
        >>> wrong_convention({"units": {"position": "m"}, "spaces": {"grip": "hand"}})
        "expected world, parent, screen or the name of one of areas at spaces.grip, found 'hand'"
    """
    areas = about.get("areas")
    if problem := _wrong_shape(about.get("shapes")) or _wrong_area(areas):
        return problem
    spaces = (*SPACES, *(areas or ()))
    for field in CONVENTIONS:
        told = about.get(field)
        if told is None:
            continue
        if not isinstance(told, Mapping):
            return f"expected texts by name at {field}, found {told!r}"
        for name, text in told.items():
            if not isinstance(text, str):
                return f"expected a text at {field}.{name}, found {text!r}"
            if field == "spaces" and text not in spaces:
                return f"expected {', '.join(spaces)} or the name of one of areas at {field}.{name}, found {text!r}"
    return ""


def _plain_shapes(shapes: Any) -> dict[str, Any]:
    """Return shapes that are told with the session as plain data."""
    if not isinstance(shapes, Mapping):
        return {}
    return {"shapes": {kind: one.as_data() if isinstance(one, Shape) else one for kind, one in shapes.items()}}


def _wrong_area(areas: Any) -> str:
    if areas is None:
        return ""
    if not isinstance(areas, Mapping):
        return f"expected an origin by the name of each area at areas, found {areas!r}"
    for name, told in areas.items():
        if name in SPACES:
            return f"expected a name other than {', '.join(SPACES)} at areas, found {name!r}"
        if not isinstance(told, Mapping) or "origin" not in told or told.keys() - _SIZES.keys():
            return f"expected an origin, and a turn if it has one, at areas.{name}, found {told!r}"
        for part, value in told.items():
            numbers = value if isinstance(value, list | tuple) else [value]
            sized = len(value) in _SIZES[part] if isinstance(value, list | tuple) else part == "turn"
            if not sized or not all(type(one) in (int, float) for one in numbers):
                wanted = "2 or 3 numbers" if part == "origin" else "an angle or a quaternion"
                return f"expected {wanted} at areas.{name}.{part}, found {value!r}"
    return ""


def _wrong_shape(shapes: Any) -> str:
    if shapes is None:
        return ""
    if not isinstance(shapes, Mapping):
        return f"expected a shape by kind at shapes, found {shapes!r}"
    for kind, told in shapes.items():
        try:
            Shape.of(told)
        except Misuse as error:
            return f"{error}, at shapes.{kind}"
    return ""


def plain_about(about: Mapping[str, Any]) -> dict[str, Any]:
    """Return what is known of the session as plain data.

    Raises:
        Misuse: it cannot be made plain, or a convention is not what it can be.
    """
    try:
        plain: dict[str, Any] = plain_data({**about, **_plain_shapes(about.get("shapes"))})
    except Exception as error:  # what a game hands over may raise anything when it is looked at
        raise Misuse(f"Recorder: what is told of the session cannot be written: {words_of(error)}") from None
    if problem := wrong_convention(plain):
        raise Misuse(f"Recorder: {problem}")
    return plain


def names_of(names: Iterable[Any]) -> list[str]:
    """Return several names as texts.

    Raises:
        TypeError: it is one text.
        Exception: whatever a name itself raises when its text is asked for.
    """
    if isinstance(names, str):
        raise TypeError(f"expected a list of names, found the text {names!r}")
    return [plain_text(name) for name in names]


def kind_of(kind: Any) -> str:
    """Return the name of a kind.

    Raises:
        Misuse: it is empty, or has no text.
    """
    try:
        name = plain_text(kind)
    except Exception as error:  # what a game hands over may raise anything when it is looked at
        raise Misuse(f"kind: expected a text, found what has none: {words_of(error)}") from None
    if not name:
        raise Misuse("kind: expected a text of one letter or more, found an empty one")
    return name
