"""Units: which go together, and what comes of them; an unknown unit goes with any and gives an unknown one."""

from breadcrumb.errors import Misuse

SECOND = "s"


def per_second(unit: str) -> str:
    """Return the unit of a rate.

    Example:
        >>> per_second("m"), per_second("m/s"), per_second("m/s2"), per_second("")
        ('m/s', 'm/s2', 'm/s3', '')
    """
    if not unit:
        return ""
    of, slash, power = unit.rpartition("/s")
    return f"{of}/s{int(power or 1) + 1}" if slash and (not power or power.isdigit()) else f"{unit}/s"


def per_frame(unit: str) -> str:
    """Return the unit of a change per frame."""
    return f"{unit}/frame" if unit else ""


def shared(first: str, second: str, what: str) -> str:
    """Return the unit of a sum or a comparison of two values.

    Raises:
        Misuse: they have different units.
    """
    if first and second and first != second:
        turns = {first, second} == {"deg", "rad"}
        hint = "convert one with np.deg2rad or np.rad2deg" if turns else "convert one, or give both the same unit"
        raise Misuse(f"{what}: the first is in {first} and the second in {second}; {hint}")
    return first if second else ""


def product(first: str, second: str) -> str:
    """Return the unit of a product of two values: that of a rate times seconds; else it is unknown.

    Example:
        >>> product("m/s", "s"), product("s", "m/s"), product("m", "m")
        ('m', 'm', '')
    """
    for rate, time in ((first, second), (second, first)):
        if time == SECOND and rate.endswith("/s"):
            return rate.removesuffix("/s")
    return ""


def quotient(first: str, second: str) -> str:
    """Return the unit of a quotient of two values: none of equal units, that of a rate over seconds; else unknown.

    Example:
        >>> quotient("m", "s"), quotient("m", "m"), quotient("m", "kg")
        ('m/s', '', '')
    """
    return per_second(first) if second == SECOND and first != SECOND else ""
