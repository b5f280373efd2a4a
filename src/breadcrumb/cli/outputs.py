"""What a run writes while it goes on; what cannot be written is told, and the rest of the run is not affected."""

from collections.abc import Callable, Iterable
from dataclasses import dataclass, field
from pathlib import Path
from typing import NamedTuple, Protocol, Self

from breadcrumb.report.machines import JsonWriter, JunitWriter, ReplacingFile
from breadcrumb.report.naming import titles_of
from breadcrumb.run.results import RunEnd, SessionResult
from breadcrumb.run.tallies import Tally


class Output(Protocol):
    """Something that is written from the results of a run."""

    def add(self, one: SessionResult) -> None:
        """Take what was found in one session."""

    def finish(self, end: RunEnd) -> None:
        """End it."""


class Target(NamedTuple):
    """What is written where."""

    what: str
    where: Path | None
    option: str


@dataclass
class Outputs:
    """The figures, the report and the files of a run, each given the results of one session after the other."""

    problems: list[str] = field(default_factory=list)
    """What could not be written, and what to do."""
    page: Path | None = None
    """The page of the report, unless it could not be written."""
    _open: dict[Target, Output] = field(default_factory=dict)

    def __enter__(self) -> Self:
        return self

    def __exit__(self, *_: object) -> None:
        for one in self._open.values():
            _discard(one)

    def open(self, what: str, where: Path | None, option: str, make: Callable[[], Output]) -> None:
        """Begin something.

        Args:
            what: what is written.
            where: the file or folder.
            option: the option that names another one.
            make: begins it.
        """
        target = Target(what, where, option)
        try:
            self._open[target] = make()
        except OSError as error:
            self._lose(target, error)

    def report(self, folder: Path, show: Callable[[int, int, str], None], *, excerpt: bool = False) -> None:
        """Begin a report."""
        from breadcrumb.report.reporting import ReportWriter  # here: only reports pay for it
        from breadcrumb.store.folder import write_folder

        writer = ReportWriter(folder, write_folder if excerpt else None, lambda what: show(1, 1, f"writing {what}"))
        self.page = writer.page
        self.open("the report", folder, "--report", lambda: writer)

    def lines(self, junit: Path | None, json: Path | None, traces: Iterable[Path]) -> None:
        """Begin the files for other programs."""
        if junit is not None:
            titles = titles_of({str(trace): trace.name for trace in traces})
            self.open("JUnit XML", junit, "--junit", lambda: JunitWriter(junit, titles))
        if json is not None:
            self.open("JSON", json, "--json", lambda: JsonWriter(json))

    def add(self, one: SessionResult) -> None:
        """Give what was found in a session to all of them."""
        self._each(lambda output: output.add(one))

    def finish(self, tally: Tally) -> None:
        """End all of them."""
        tally.note(*self.problems)
        end = tally.end()
        self._each(lambda output: output.finish(end))
        tally.note(*self.problems)
        self._open.clear()

    def _each(self, do: Callable[[Output], None]) -> None:
        for target, output in list(self._open.items()):
            try:
                do(output)
            except OSError as error:
                self._lose(target, error)

    def _lose(self, target: "Target", error: OSError) -> None:
        _discard(self._open.pop(target, None))
        self.page = None if target.option == "--report" else self.page
        where = error.filename if target.where is None else target.where
        reason = error.strerror or error
        self.problems.append(
            f"{target.what} cannot be written to {where} ({reason}); name another place with {target.option}"
        )


def _discard(output: object) -> None:
    """Leave no file behind that is not whole."""
    if isinstance(output, ReplacingFile):
        output.discard()
