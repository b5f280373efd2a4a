"""Frame lines: recording from any language, one line of JSON a frame. Never judges, and knows no algebra.

The first line says what is recorded, each line behind it is a frame, and the last one says that this is all:

    {"breadcrumb": 1, "about": {"game": "Lantern Bay", "units": {"position": "m"}}}
    {"frame": 0, "t": 0.0, "appear": [{"id": "heron", "kind": "skiff"}], "state": {"heron": {"position": [0, 0]}}}
    {"frame": 1, "t": 0.0166, "state": {"heron": {"position": [0.1, 0]}}, "events": [{"name": "bell.rung"}]}
    {"end": true}

`state` need only hold what changed. An object that leaves on a frame has no sample on it.
"""
