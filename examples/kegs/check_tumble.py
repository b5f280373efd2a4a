"""What touches by the recorded shapes is what the engine says: on nearly all frames, and else within its slop."""

from itertools import combinations_with_replacement

from breadcrumb.checks import collisions, session

AGREE = 0.99  # the share of the frames on which two touch
SLOP = 0.05  # by how much bodies may overlap before an engine moves them apart: pymunk 0.1 m, matter-js 0.05 px


def told(trace):
    """What the engine says touches: the frame, and the ids of the two."""
    events = trace.events("touch")
    pairs = zip(events.with_subject("by").subjects, events.with_subject("on").subjects, strict=True)
    return {(frame, *sorted(two)) for frame, two in zip(events.frames.tolist(), pairs, strict=True)}


def seen(trace, tol=0.0):
    """What touches by the shapes that were recorded, if surfaces may be so far apart."""
    found = set()
    for one, other in combinations_with_replacement(trace.kinds, 2):
        table = collisions.touching(trace.all(one), trace.all(other), tol=tol).pairs.to_frame()
        for touch in table.itertuples():
            found |= {(frame, *sorted((touch.by, touch.on))) for frame in range(touch.first, touch.last + 1)}
    return found


def check_session_runs_clean(trace):
    assert session.runs_clean(trace)


def check_shapes_touch_when_the_engine_says_so(trace):
    engine, shapes = told(trace), seen(trace)
    assert len(engine & shapes) >= AGREE * len(engine | shapes) > 0


def check_what_else_touches_is_within_the_engines_slop(trace):
    engine = told(trace)
    assert not engine - seen(trace, tol=SLOP), "the engine tells a touch of two that are apart"
    assert not seen(trace, tol=-SLOP) - engine, "two overlap, and the engine tells nothing"
