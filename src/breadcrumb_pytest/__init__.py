"""Run check files under pytest: `pytest --crumbs PATH check_harbour.py`.

The plugin gives the `trace` fixture and collects `check_*` functions of `check_*.py` files, loaded and judged as the
command does it. It imports the library only when a trace is asked for, so that other test runs do not pay for it.
"""

import datetime as dt
from collections.abc import Generator
from pathlib import Path
from typing import TYPE_CHECKING, Any

import pytest

if TYPE_CHECKING:
    from breadcrumb.run.known import KnownFailure
    from breadcrumb.run.loading import Check, Loader
    from breadcrumb.run.references import References
    from breadcrumb.run.results import Result, SessionResult
    from breadcrumb.run.tallies import Tally
    from breadcrumb.run.traces import Traces
    from breadcrumb.trace.opened import Trace
    from breadcrumb.trace.vocabulary import Vocabulary

UNTESTED = "untested"
"""The outcome of a check that its session did not exercise."""
_FOUND = "breadcrumb_found"
"""The attribute of a report that has what was found, as JSON: it comes from the process in which the check ran."""

_loader: pytest.StashKey["Loader"] = pytest.StashKey()
_result: pytest.StashKey["SessionResult"] = pytest.StashKey()
_tally: pytest.StashKey["Tally"] = pytest.StashKey()
_nodes: pytest.StashKey[dict[str, str]] = pytest.StashKey()
_names: pytest.StashKey["Vocabulary"] = pytest.StashKey()
_accepted: pytest.StashKey["References"] = pytest.StashKey()
_known: pytest.StashKey[tuple["KnownFailure", ...]] = pytest.StashKey()


def pytest_addoption(parser: pytest.Parser) -> None:
    """Add `--crumbs`, `--known-failures` and `--reference`."""
    group = parser.getgroup("breadcrumb", "checks on recorded play sessions")
    group.addoption(
        "--crumbs", action="append", default=[], metavar="PATH", help="a trace to check; repeat, or use * and ?"
    )
    group.addoption(
        "--known-failures", metavar="FILE", help="a list of rules that may be broken, as breadcrumb check takes it"
    )
    group.addoption(
        "--reference", action="append", default=[], metavar="PATH", help="accepted sessions: a trace or a directory"
    )


def pytest_configure(config: pytest.Config) -> None:
    """Collect check files when there is a trace to check."""
    if not config.getoption("crumbs"):
        return
    from breadcrumb.run.known import KnownCount, expired
    from breadcrumb.run.tallies import Tally

    config.addinivalue_line("python_files", "check_*.py")
    config.addinivalue_line("python_functions", "check_*")
    failures = _read_known(config.getoption("known_failures"))
    over = expired(failures, dt.date.today())
    config.stash[_known] = tuple(one for one in failures if one not in over)
    config.stash[_tally] = Tally({one.rule: KnownCount(one, has_expired=one in over) for one in failures})
    config.stash[_nodes] = {}
    config.pluginmanager.register(Taker(config), "breadcrumb results")


class CheckFile(pytest.Module):
    """A check file, loaded as the command loads it."""

    def _getobj(self) -> object:
        from breadcrumb.errors import CheckFileError

        try:
            return _loader_of(self.config).module(self.path)
        except CheckFileError as error:
            raise self.CollectError(str(error)) from None


def pytest_pycollect_makemodule(module_path: Path, parent: pytest.Collector) -> pytest.Module | None:
    """Load check files as the command does, if there is a trace to check."""
    if not parent.config.getoption("crumbs") or module_path.name.startswith(("test_", "conftest", "__init__")):
        return None
    module: pytest.Module = CheckFile.from_parent(parent, path=module_path)
    return module


def pytest_generate_tests(metafunc: pytest.Metafunc) -> None:
    """Run each test that takes `trace` once for each trace."""
    if metafunc.config.getoption("crumbs") and "trace" in metafunc.fixturenames:
        paths = _paths(metafunc.config)
        metafunc.parametrize("trace", paths, ids=[path.stem for path in paths], indirect=True, scope="session")


@pytest.fixture(scope="session")
def trace(request: pytest.FixtureRequest) -> "Trace":
    """Give one of the traces named by `--crumbs`."""
    from breadcrumb.trace.opened import open_trace

    if not hasattr(request, "param"):
        pytest.fail("this check takes a trace, and none was given: pass --crumbs PATH", pytrace=False)
    return open_trace(request.param)


@pytest.fixture(scope="session")
def traces(request: pytest.FixtureRequest) -> "Traces":
    """Give all traces named by `--crumbs`, for checks of several sessions."""
    from breadcrumb.run.traces import SessionEntry, Traces, metadata_of
    from breadcrumb.trace.opened import open_trace

    paths = _paths(request.config)
    if not paths:
        pytest.fail("this check takes traces, and none was given: pass --crumbs PATH", pytrace=False)
    return Traces(tuple(SessionEntry(path, metadata_of(open_trace(path))) for path in paths))


@pytest.fixture(scope="session")
def reference(request: pytest.FixtureRequest) -> "References":
    """Give the accepted sessions named by `--reference`; a check is given the one that its trace is compared with."""
    return _references(request.config)


@pytest.fixture(scope="session")
def references(request: pytest.FixtureRequest) -> "References":
    """Give the accepted sessions named by `--reference`; a check is given those of its trace's level."""
    return _references(request.config)


@pytest.hookimpl(tryfirst=True)
def pytest_pyfunc_call(pyfuncitem: pytest.Function) -> bool | None:
    """Run a check as the command does; all traces of the run know each other's names."""
    if not pyfuncitem.config.getoption("crumbs") or not {"trace", "traces"} & set(pyfuncitem.fixturenames):
        return None
    from breadcrumb.run.loading import Check, info_of

    info = info_of(pyfuncitem.obj, pyfuncitem.path, pyfuncitem.originalname)
    check = Check(info, pyfuncitem.obj, _loader_of(pyfuncitem.config).namespace_of(pyfuncitem.path))
    found, raised = _judged(pyfuncitem, check)
    pyfuncitem.stash[_result] = found
    if found.elsewhere:
        words = ", ".join(f"{name}={one}" for name, one in check.applies_in_words.items())
        pytest.skip(f"applies to sessions with {words}")
    _raise_if_it_failed(found.results[0], raised)
    return True


def _judged(item: pytest.Function, check: "Check") -> tuple["SessionResult", BaseException | None]:
    """Return what a check found in its session, or in all of them, and what it raised."""
    from breadcrumb.run.applying import matches
    from breadcrumb.run.checking import observe
    from breadcrumb.run.references import References
    from breadcrumb.run.results import ACROSS, Recording, SessionResult
    from breadcrumb.run.traces import chosen, metadata_of
    from breadcrumb.trace.vocabulary import knowing

    arguments = {name: item.funcargs[name] for name in item._fixtureinfo.argnames}
    recording, path, label, failures = None, ACROSS, "all sessions", item.config.stash[_known]
    if "traces" in arguments:
        given: Traces = item.funcargs["traces"]  # type: ignore[assignment]
        arguments["traces"] = several = chosen(given, check.applies_to)
        if not len(several):
            return SessionResult(path, elsewhere=((check.info, check.applies_in_words),)), None
    known = {one.rule: one.reason for one in failures}
    if "trace" in item.fixturenames:
        recorded: Trace = item.funcargs["trace"]  # type: ignore[assignment]
        path, label = str(item.callspec.params["trace"]), recorded.label
        recording = Recording(path, label, (), metadata_of(recorded))
        known = {one.rule: one.reason for one in failures if one.applies(recording.about)}
        if not matches(recording.about, check.applies_to):
            return SessionResult(path, recording=recording, elsewhere=((check.info, check.applies_in_words),)), None

    def call() -> object:
        about = {} if recording is None else recording.about
        given = {  # what is called so may be a fixture of the user's own
            name: one.given(name, about, path) if isinstance(one, References) else one
            for name, one in arguments.items()
        }
        return item.obj(**given)

    with knowing(_vocabulary(item.config)) as here:
        ran = observe(check, call, label, path, known)
    return SessionResult(path, (ran.result,), recording, unknown=frozenset(here.unknown)), ran.raised


def _raise_if_it_failed(result: "Result", raised: BaseException | None) -> None:
    """Let pytest know of a failure: by what the check raised, or by the explanation of what it never asserted."""
    from breadcrumb.errors import Broken, NeverExercised

    if result.outcome == "known":
        return
    skipped = raised is not None and result.outcome == "untested"
    if raised is not None and not skipped and not isinstance(raised, Broken | NeverExercised):
        if isinstance(raised, Exception):
            raise raised
        pytest.fail(result.error or result.first_broken.explain(), pytrace=False)
    if result.outcome == "broken":
        raise raised if isinstance(raised, Broken) else Broken(f"never asserted: {result.first_broken.explain()}")
    if result.outcome == "error":
        pytest.fail(result.error, pytrace=False)


@pytest.hookimpl(wrapper=True)
def pytest_runtest_makereport(item: pytest.Item) -> Generator[None, pytest.TestReport, pytest.TestReport]:
    """Give the report of a check its outcome: untested is one more, and a known failure is an expected one."""
    report = yield
    if report.when == "call" and _result in item.stash:
        found = item.stash[_result]
        for result in found.results:
            if report.passed and result.outcome == UNTESTED:
                report.user_properties.append((UNTESTED, result.why_untested))
            if report.passed and result.outcome == "known":
                report.outcome, report.wasxfail = "skipped", ", ".join(result.known.values())
        setattr(report, _FOUND, found.to_json().decode())
        del item.stash[_result]  # its evidence would fill the memory over thousands of sessions
    return report


class Taker:
    """Takes up what checks found, in whichever process they ran."""

    def __init__(self, config: pytest.Config) -> None:
        self._tally, self._nodes = config.stash[_tally], config.stash[_nodes]

    def pytest_runtest_logreport(self, report: pytest.TestReport) -> None:
        """Count what a check found."""
        if not hasattr(report, _FOUND):
            return
        from breadcrumb.run.results import SessionResult

        found = SessionResult.from_json(getattr(report, _FOUND).encode())
        self._tally.take(found)
        for check in (*(one.check for one in found.results), *(check for check, _ in found.elsewhere)):
            self._nodes[f"{check.file}/{check.name}"] = report.nodeid.partition("[")[0]


def pytest_report_teststatus(report: Any) -> tuple[str, str, str] | None:
    """Show untested checks as such."""
    if report.when == "call" and report.passed and UNTESTED in dict(report.user_properties):
        return UNTESTED, "u", "UNTESTED"
    return None


def pytest_sessionfinish(session: pytest.Session, exitstatus: int) -> None:
    """Fail the run if no session exercised a check, or asked for a name that no session knows."""
    tally = session.config.stash.get(_tally, None)
    if tally is None or hasattr(session.config, "workerinput"):
        return  # of a run in several processes, the one that takes up the results decides
    tally.close()
    if exitstatus == pytest.ExitCode.OK and (tally.never_exercised or tally.problems):
        session.exitstatus = pytest.ExitCode.TESTS_FAILED


def pytest_terminal_summary(terminalreporter: Any, config: pytest.Config) -> None:
    """Name the untested checks with their reasons, and those that no session exercised."""
    reports = terminalreporter.stats.get(UNTESTED, [])
    if reports:
        terminalreporter.section("untested checks")
        for report in reports:
            terminalreporter.line(f"UNTESTED {report.nodeid}: {dict(report.user_properties)[UNTESTED]}")
    if _tally not in config.stash:
        return
    tally, nodes = config.stash[_tally], config.stash[_nodes]
    for check in tally.never_exercised:
        why = "no session exercised it" if tally.checks[check].counts else "it applies to no session"
        terminalreporter.line(f"UNTESTED {nodes[f'{check.file}/{check.name}']}: {why}", red=True)
    for one in tally.situations:
        if not one.times:
            terminalreporter.line(f"NEVER {one.words}, a situation of {one.check}", yellow=True)
    for note in filter(None, (one.note for one in tally.known.values())):
        terminalreporter.line(f"NOTE {note}", yellow=True)
    for problem in tally.problems:
        terminalreporter.line(f"WRONG {problem}", red=True)


def _read_known(path: str | None) -> tuple["KnownFailure", ...]:
    from breadcrumb.errors import KnownFailuresError
    from breadcrumb.run.known import read_known_failures

    try:
        return () if path is None else read_known_failures(Path(path))
    except KnownFailuresError as error:
        raise pytest.UsageError(str(error)) from None


def _references(config: pytest.Config) -> "References":
    from breadcrumb.errors import TraceError
    from breadcrumb.run.references import References

    if _accepted not in config.stash:
        try:
            config.stash[_accepted] = References.at(map(Path, config.getoption("reference")))
        except TraceError as error:
            raise pytest.UsageError(str(error)) from None
    return config.stash[_accepted]


def _loader_of(config: pytest.Config) -> "Loader":
    from breadcrumb.run.loading import Loader

    return config.stash.setdefault(_loader, Loader())


def _paths(config: pytest.Config) -> list[Path]:
    from breadcrumb.run.finding import find_traces
    from breadcrumb.store.locations import is_remote

    found = find_traces(map(Path, config.getoption("crumbs")))
    missing = [str(path) for path in found if not is_remote(path) and not path.exists()]
    if missing:
        raise pytest.UsageError(f"--crumbs: there is nothing at {', '.join(missing)}")
    return found


def _vocabulary(config: pytest.Config) -> "Vocabulary":
    from breadcrumb.trace.opened import open_trace
    from breadcrumb.trace.vocabulary import Vocabulary

    if _names not in config.stash:
        names = Vocabulary()
        for path in _paths(config):
            names |= open_trace(path).vocabulary
        config.stash[_names] = names
    return config.stash[_names]
