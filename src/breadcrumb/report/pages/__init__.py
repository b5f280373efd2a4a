"""The pages: templates, styles and scripts, put together into files that work offline."""

from functools import cache
from importlib.resources import files
from typing import TYPE_CHECKING, Any

if TYPE_CHECKING:
    from jinja2 import Environment


def render(template: str, **values: Any) -> str:
    """Fill in a template; texts are escaped, and data is put into scripts so that it cannot end them."""
    return _environment().get_template(template).render(**values)


@cache
def _environment() -> "Environment":
    from jinja2 import Environment, FunctionLoader, StrictUndefined, select_autoescape  # here: only pages pay for it

    place = files(__package__)
    environment = Environment(
        loader=FunctionLoader(lambda name: place.joinpath(name).read_text("utf-8")),
        autoescape=select_autoescape(default=True),
        undefined=StrictUndefined,
        trim_blocks=True,
        lstrip_blocks=True,
    )
    environment.globals["file"] = lambda name: place.joinpath(name).read_text("utf-8")
    return environment
