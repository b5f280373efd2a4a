import subprocess
import sys

import pytest

import breadcrumb
from breadcrumb.cli.main import _COMMANDS
from breadcrumb.errors import Misuse, is_typing_error
from breadcrumb.testing import make_trace


def test_the_public_api_lists_its_names() -> None:
    """Every public name is there, the list is sorted, and a wrong name is an ordinary attribute error."""
    assert sorted(breadcrumb.__all__) == breadcrumb.__all__ == dir(breadcrumb)
    for name in breadcrumb.__all__:
        assert getattr(breadcrumb, name).__name__ == name
    assert not hasattr(breadcrumb, "Recoder")


@pytest.mark.parametrize(
    "given", [["--help"], ["replay", "--nought"], *([one, "--help"] for one in _COMMANDS)], ids=" ".join
)
def test_help_loads_no_library_but_click(given: list[str]) -> None:
    """Help, of each command too, and a wrong option pay neither for NumPy nor for the terminal or figure libraries."""
    script = (
        f"import sys\nfrom breadcrumb.cli import main\ntry:\n    main({given})\nexcept SystemExit:\n    pass\n"
        "print(sorted({'numpy', 'pyarrow', 'rich', 'matplotlib', 'msgspec', 'asyncio'} & set(sys.modules)))"
    )
    done = subprocess.run([sys.executable, "-c", script], capture_output=True, text=True, check=True)
    assert done.stdout.splitlines()[-1] == "[]"


def test_a_trace_made_by_hand_needs_the_kind_of_each_object() -> None:
    """An object of the states without a kind is named."""
    with pytest.raises(Misuse, match="found none of tern"):
        make_trace([{"heron": {"x": 1.0}, "tern": {"x": 1.0}}], kinds={"heron": "skiff"})


SLIPS = {
    ("flare.thrown", "flare.thrwon"): True,
    ("flare.thrown", "flare.throwns"): True,
    ("flare.thrown", "flare.thown"): True,
    ("flare.thrown", "flare.trown"): True,
    ("flare.thrown", "flare.thrown"): False,
    ("flare.thrown", "flares.thrownn"): False,
    ("flare.lit", "flare.lot"): False,
    ("flare.thrown", "thrown"): False,
    ("gate.open", "gate.oven"): True,
}


def test_a_slip_of_the_keyboard_is_one_edit_in_a_long_word() -> None:
    """One edit or one swap within one dotted part of four letters or more is taken for a typing error."""
    for (one, other), expected in SLIPS.items():
        assert is_typing_error(one, other) is expected, (one, other)
        assert is_typing_error(other, one) is expected, (other, one)
