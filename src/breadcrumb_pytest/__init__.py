"""Run check files under pytest: `pytest --crumbs PATH check_harbour.py`.

The plugin gives the `trace` fixture and collects `check_*` functions of `check_*.py` files, loaded and judged as the
command does it. It imports the library only when a trace is asked for, so that other test runs do not pay for it.
"""

from collections.abc import Generator
from pathlib import Path
from typing import TYPE_CHECKING, Any

import pytest

if TYPE_CHECKING:
    from breadcrumb.run.loading import Loader
    from breadcrumb.run.results import Result
    from breadcrumb.trace.opened import Trace
    from breadcrumb.trace.vocabulary import Vocabulary

UNTESTED = "untested"
"""The outcome of a check that its session did not exercise."""

_loader: pytest.StashKey["Loader"] = pytest.StashKey()
_result: pytest.StashKey["Result"] = pytest.StashKey()
_outcomes: pytest.StashKey[dict[str, set[str]]] = pytest.StashKey()
_unknown: pytest.StashKey[set[str]] = pytest.StashKey()
_situations: pytest.StashKey[dict[tuple[str, str], int]] = pytest.StashKey()
_known: pytest.StashKey["Vocabulary"] = pytest.StashKey()


def pytest_addoption(parser: pytest.Parser) -> None:
    """Add `--crumbs`."""
    group = parser.getgroup("breadcrumb", "checks on recorded play sessions")
    group.addoption(
        "--crumbs", action="append", default=[], metavar="PATH", help="a trace to check; repeat, or use * and ?"
    )


def pytest_configure(config: pytest.Config) -> None:
    """Collect check files when there is a trace to check."""
    if config.getoption("crumbs"):
        config.addinivalue_line("python_files", "check_*.py")
        config.addinivalue_line("python_functions", "check_*")
        config.stash[_outcomes] = {}
        config.stash[_unknown] = set()
        config.stash[_situations] = {}


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
    if _takes_a_trace(metafunc.config, metafunc.fixturenames):
        paths = _paths(metafunc.config)
        metafunc.parametrize("trace", paths, ids=[path.stem for path in paths], indirect=True, scope="session")


@pytest.fixture(scope="session")
def trace(request: pytest.FixtureRequest) -> "Trace":
    """Give one of the traces named by `--crumbs`."""
    from breadcrumb.trace.opened import open_trace

    if not hasattr(request, "param"):
        pytest.fail("this check takes a trace, and none was given: pass --crumbs PATH", pytrace=False)
    return open_trace(request.param)


@pytest.hookimpl(tryfirst=True)
def pytest_pyfunc_call(pyfuncitem: pytest.Function) -> bool | None:
    """Run a check as the command does; all traces of the run know each other's names."""
    if not _takes_a_trace(pyfuncitem.config, pyfuncitem.fixturenames):
        return None
    from breadcrumb.run.checking import observe
    from breadcrumb.run.loading import Check, info_of
    from breadcrumb.trace.vocabulary import knowing

    arguments = {name: pyfuncitem.funcargs[name] for name in pyfuncitem._fixtureinfo.argnames}
    loader = _loader_of(pyfuncitem.config)
    recorded: Trace = pyfuncitem.funcargs["trace"]  # type: ignore[assignment]
    info = info_of(pyfuncitem.obj, pyfuncitem.path, pyfuncitem.originalname)
    check = Check(info, pyfuncitem.obj, loader.namespace_of(pyfuncitem.path))
    with knowing(_vocabulary(pyfuncitem.config)) as here:
        ran = observe(check, lambda: pyfuncitem.obj(**arguments), recorded.label, pyfuncitem.path)
    pyfuncitem.config.stash[_unknown].update(here.unknown)
    pyfuncitem.stash[_result] = ran.result
    _raise_if_it_failed(ran.result, ran.raised)
    return True


def _raise_if_it_failed(result: "Result", raised: BaseException | None) -> None:
    """Let pytest know of a failure: by what the check raised, or by the explanation of what it never asserted."""
    from breadcrumb.errors import Broken, NeverExercised

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
    """Give the report of a check its outcome: held and broken are pytest's own, untested is one more."""
    report = yield
    if report.when == "call" and _result in item.stash:
        result = item.stash[_result]
        outcome = report.outcome
        if report.passed and result.outcome == UNTESTED:
            report.user_properties.append((UNTESTED, result.why_untested))
            outcome = UNTESTED  # type: ignore[assignment]
        check = item.nodeid.partition("[")[0]
        item.config.stash[_outcomes].setdefault(check, set()).add(outcome)
        times = item.config.stash[_situations]
        for words, more in result.situations.items():
            times[check, words] = times.get((check, words), 0) + more
        del item.stash[_result]  # its evidence would fill the memory over thousands of sessions
    return report


def pytest_report_teststatus(report: Any) -> tuple[str, str, str] | None:
    """Show untested checks as such."""
    if report.when == "call" and report.passed and UNTESTED in dict(report.user_properties):
        return UNTESTED, "u", "UNTESTED"
    return None


def pytest_sessionfinish(session: pytest.Session, exitstatus: int) -> None:
    """Fail the run if no session exercised a check, or asked for a name that no session knows."""
    if exitstatus == pytest.ExitCode.OK and (_never_exercised(session.config) or _unknown_names(session.config)):
        session.exitstatus = pytest.ExitCode.TESTS_FAILED


def pytest_terminal_summary(terminalreporter: Any, config: pytest.Config) -> None:
    """Name the untested checks with their reasons, and those that no session exercised."""
    reports = terminalreporter.stats.get(UNTESTED, [])
    if reports:
        terminalreporter.section("untested checks")
        for report in reports:
            terminalreporter.line(f"UNTESTED {report.nodeid}: {dict(report.user_properties)[UNTESTED]}")
    for check in _never_exercised(config):
        terminalreporter.line(f"UNTESTED {check}: no session exercised it", red=True)
    for (check, words), times in config.stash.get(_situations, {}).items():
        if not times:
            terminalreporter.line(f"NEVER {words}, a situation of {check}", yellow=True)
    for name in _unknown_names(config):
        terminalreporter.line(f"WRONG {name} was neither seen nor declared in any session of this run", red=True)


def _loader_of(config: pytest.Config) -> "Loader":
    from breadcrumb.run.loading import Loader

    return config.stash.setdefault(_loader, Loader())


def _takes_a_trace(config: pytest.Config, fixtures: list[str]) -> bool:
    """Tell whether a test is given recorded sessions; without `--crumbs` a fixture named `trace` is not ours."""
    return bool(config.getoption("crumbs")) and "trace" in fixtures


def _never_exercised(config: pytest.Config) -> list[str]:
    return [check for check, outcomes in config.stash.get(_outcomes, {}).items() if outcomes == {UNTESTED}]


def _unknown_names(config: pytest.Config) -> list[str]:
    if _unknown not in config.stash:
        return []
    names: set[str] = config.stash[_unknown]
    return sorted(names)


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

    if _known not in config.stash:
        known = Vocabulary()
        for path in _paths(config):
            known |= open_trace(path).vocabulary
        config.stash[_known] = known
    return config.stash[_known]
