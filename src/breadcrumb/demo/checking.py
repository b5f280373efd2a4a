"""Where the check files of Lantern Bay are."""

from pathlib import Path


def checks_folder() -> Path:
    """Return the folder of the example check files: in the wheel, or in a checkout among the examples."""
    here = Path(__file__).parent
    packed = here / "checks"
    return packed if packed.is_dir() else here.parents[2] / "examples" / "lantern_bay"
