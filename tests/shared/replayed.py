"""What a replay's page holds, read from its file."""

import json
import re
from pathlib import Path
from typing import Any


def replay_data(page: Path) -> dict[str, Any]:
    """Return the data of the page of a replay."""
    (found,) = re.findall(
        r'<script type="application/json" id="data">(.*?)</script>', page.read_text("utf-8"), re.DOTALL
    )
    data: dict[str, Any] = json.loads(found)
    return data
