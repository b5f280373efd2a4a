"""The pennants: each is hoisted in its own time, along its own curve, by the halyard alone."""

from breadcrumb import Signal, Spans, judge, seconds, situation
from breadcrumb.checks import session, triggers, values
from breadcrumb.checks.movement import eases

FIRST_WAIT = seconds(0.3)  # the red pennant moves at once, the others after 0.4 s and more
STAGES = {0: [1, 3], 1: [2, 3], 2: [1, 3], 3: [0, 1]}  # down, hoisting, up, lowering


def check_pennants_move_with_the_bell(trace):
    bell, moves = trace.events("bell.rung"), trace.events("pennant.moves")
    moving = Spans.following(moves.without_subject(), seconds(2.8))
    situation(bell.during(moving), "the bell is rung again while they move")
    situation(bell.where(lambda data: data["to"] == "close"), "they are lowered")
    everyone = bell.for_each(trace.all("pennant").lifetimes)
    assert triggers.leads_to(everyone, moves, within=seconds(0))


def check_each_pennant_eases_in_its_own_time(trace):
    moves = trace.events("pennant.moves")
    over, delay, to = (Signal.from_data(moves, key, unit) for key, unit in (("over", "s"), ("delay", "s"), ("to", "m")))
    curve = Signal.from_data(moves, "curve")
    height = trace.all("pennant").height
    assert eases(height, to, at=moves, over=over, delay=delay, curve=curve, tol=1e-6)


def check_only_the_red_pennant_moves_at_first(trace):
    first = Spans.following(trace.events("pennant.moves").without_subject(), FIRST_WAIT)
    assert session.only_these_change(trace, ["pennant-red.*"], among=["pennant"], during=first)


def check_only_the_halyard_sets_heights(trace):
    assert values.one_of(trace.all("pennant").writer, ["", "halyard"])


def check_pennants_always_have_a_height(trace):
    assert values.never_missing(trace.all("pennant").height)


def check_the_halyard_goes_from_stage_to_stage(trace):
    assert values.moves_through(trace.one("halyard").stage, STAGES)


def check_pennants_end_below_the_top(trace):
    highest, top = trace.parameter("pennant.highest"), trace.parameter("mast.top")
    assert judge((highest >= 1) & (highest <= top), "the highest pennant ends on the mast")
