"""Follows the tutorial to the letter: saves its files, types its commands, and compares what they return."""

import re
import subprocess
import sys
from pathlib import Path

RETURNED = {
    "walkthrough.md": (0, 0, 1, 0, 1, 0, 0),
    "many-sessions.md": (0, 1, 1, 0, 1, 0),
    "comparing.md": (1, 0, 1, 1, 1, 0),
}
"""The exit code of each console block of a page: the first check is too strict, and faults are found."""


def main() -> None:
    """Do what the page says, in the current folder."""
    path = Path(sys.argv[1])
    page = path.read_text("utf-8")
    blocks = re.findall(r"^```(python|console)\n(.*?)^```", page, re.MULTILINE | re.DOTALL)
    names = iter(re.findall(r"[Ii]n\s+`(check_\w+\.py)`", page))
    file, returned = Path(), iter(RETURNED[path.name])
    for language, text in (block for block in blocks if not block[1].startswith(">>>")):  # which the tests run
        if language == "python" and text.startswith('"""'):
            file = Path(next(names))
            file.write_text(text, "utf-8")
        elif language == "python":  # one line of the file, changed
            name = text.partition(" =")[0]
            file.write_text(re.sub(rf"^{name} = .*\n", text, file.read_text("utf-8"), flags=re.MULTILINE), "utf-8")
        else:
            done = subprocess.run(["bash", "-ec", text], check=False)
            if done.returncode != next(returned):
                sys.exit(f"the tutorial's commands returned {done.returncode}:\n{text}")
    if next(returned, None) is not None or next(names, None) is not None:
        sys.exit("the tutorial has fewer commands or files than were expected")


if __name__ == "__main__":
    main()
