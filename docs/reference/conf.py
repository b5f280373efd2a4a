"""How Sphinx builds the API reference: `sphinx-build -W docs/reference reference`."""

from typing import Any

project = "Breadcrumb"
author = "The Breadcrumb authors"
extensions = ["myst_parser", "sphinx.ext.autodoc", "sphinx.ext.napoleon"]
default_role = "code"
html_theme = "basic"
html_title = "Breadcrumb: API reference"
autodoc_member_order = "bysource"
autodoc_typehints_format = "short"
python_use_unqualified_type_names = True
napoleon_use_rtype = False

INTERNAL = frozenset([
    "as_unseen", "bounds", "by", "clock_index", "condition", "covers", "dimensions", "divided", "each_of", "edges",
    "extremes", "finest", "form", "from_steps", "given_restarts", "grid", "in_order", "in_region", "is_angle",
    "is_divided", "is_flag", "is_known", "is_restart", "is_shared", "is_valueless", "key", "known_noise", "lifetime",
    "moments_at", "noise", "noise_at", "of_lifetimes", "on", "opened_by", "opens", "order", "outlines", "over",
    "owner", "part_at", "participants", "parts", "pick", "pick_rows", "points", "rows", "sampled", "session",
    "sessions", "settled", "sizes", "sort", "space", "step_length", "subject", "take", "texts", "title", "track",
    "turns", "unknown", "unseen", "unwrapped_parts", "usable", "usable_at", "valid", "vocabulary", "why_unknown",
])  # fmt: skip
"""What the packages of the library use of its types, and checks of users do not: it is not in the reference."""


def _skip(_app: Any, _what: str, name: str, _member: object, skip: bool, _options: object) -> bool | None:
    return True if name in INTERNAL or skip else None


def setup(app: Any) -> None:
    """Leave what is internal out."""
    app.connect("autodoc-skip-member", _skip)
