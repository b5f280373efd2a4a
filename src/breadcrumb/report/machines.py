"""The results of a run for other programs: JUnit XML, and lines of JSON."""

from collections.abc import Iterator
from contextlib import suppress
from pathlib import Path
from typing import NamedTuple
from xml.etree import ElementTree as ET

from breadcrumb.report.naming import Titles
from breadcrumb.run.results import Result, RunEnd, SessionResult
from breadcrumb.verdicts.words import breach_words, explanation

_LINES = 40
_COUNTED = {"failure": ("broken",), "error": ("error",), "skipped": ("untested", "known")}


class ReplacingFile:
    """A file that is written aside, and takes its place when it is whole."""

    def __init__(self, path: Path) -> None:
        self._path, self._aside = path, path.with_name(f"{path.name}.part")
        path.parent.mkdir(parents=True, exist_ok=True)
        self._file = self._aside.open("wb")

    def _write(self, content: bytes) -> None:
        self._file.write(content)

    def _close(self) -> None:
        """Put the file in its place."""
        self._file.close()
        self._aside.replace(self._path)

    def discard(self) -> None:
        """Leave no part of it behind."""
        with suppress(OSError):
            self._file.close()
        self._aside.unlink(missing_ok=True)


class JunitWriter(ReplacingFile):
    """Writes results as JUnit XML: a suite for each session, a case for each rule, named by its ID.

    A check that raised an error, or asserted nothing, has a case of its own.

    Args:
        path: the file.
        titles: what each session is called, by the path of its trace.
    """

    def __init__(self, path: Path, titles: Titles) -> None:
        super().__init__(path)
        self._titles = titles
        self._write(b"<?xml version='1.0' encoding='utf-8'?>\n<testsuites name=\"breadcrumb\">")

    def add(self, one: SessionResult) -> None:
        """Write the suite of one session.

        Raises:
            OSError: the file cannot be written.
        """
        if not one.results:
            return
        cases = [case for result in one.results for case in _cases(result)]
        counts = {word: str(sum(case.outcome in words for case in cases)) for word, words in _COUNTED.items()}
        title = _clean(self._titles.get(one.trace, one.trace))
        suite = ET.Element(
            "testsuite", name=title, tests=str(len(cases)), failures=counts["failure"], errors=counts["error"],
            skipped=counts["skipped"],
        )  # fmt: skip
        for case in cases:
            element = ET.SubElement(suite, "testcase", classname=_clean(case.file), name=_clean(case.name))
            tag = next((tag for tag, outcomes in _COUNTED.items() if case.outcome in outcomes), None)
            if tag is not None:
                ET.SubElement(element, tag, message=_clean(case.words)).text = _clean(case.lines)
        self._write(ET.tostring(suite, encoding="utf-8"))

    def finish(self, end: RunEnd) -> None:
        """Write the problems of the run, and put the file in its place.

        Raises:
            OSError: the file cannot be written.
        """
        for problem in end.problems:
            suite = ET.Element("testsuite", name="run", tests="1", errors="1", failures="0", skipped="0")
            element = ET.SubElement(suite, "testcase", classname="breadcrumb", name="run")
            ET.SubElement(element, "error", message=_clean(problem))
            self._write(ET.tostring(suite, encoding="utf-8"))
        self._write(b"</testsuites>\n")
        self._close()


class JsonWriter(ReplacingFile):
    """Writes a line of JSON for each result, and at the end one for the run as a whole; `results.schema` tells how."""

    def add(self, one: SessionResult) -> None:
        """Write the lines of one session.

        Raises:
            OSError: the file cannot be written.
        """
        for result in one.results:
            self._write(result.without_evidence().to_json() + b"\n")

    def finish(self, end: RunEnd) -> None:
        """Write the last line, and put the file in its place.

        Raises:
            OSError: the file cannot be written.
        """
        import msgspec  # here: only what leaves the process pays for it

        self._write(msgspec.json.encode(end) + b"\n")
        self._close()


class _Case(NamedTuple):
    """A rule in a session, or a check that came to no rule."""

    file: str
    name: str
    outcome: str
    words: str
    lines: str


def _cases(result: Result) -> Iterator[_Case]:
    check = result.check
    for finding in result.findings:
        words = finding.why_untested if finding.first is None else breach_words(finding.first)
        lines = "\n".join(explanation(finding, _LINES)) if finding.outcome == "broken" else ""
        reason = result.known.get(finding.rule.id)
        outcome = finding.outcome if reason is None else "known"
        words = words if reason is None else f"known failure: {reason}"
        yield _Case(check.stem, finding.rule.id.removeprefix(f"{check.stem}/"), outcome, words, lines)
    if result.error or not result.findings:
        yield _Case(check.stem, check.name, result.outcome, result_words(result), "")


def result_words(result: Result) -> str:
    """Return what a result is about in one line: the first breach, what went wrong, or why it is untested."""
    if result.outcome == "broken":
        broken = result.first_broken
        return breach_words(broken.first) if broken.first is not None else broken.sentence
    return result.error or result.why_untested or ", ".join(result.known.values())


def _clean(text: str) -> str:
    """Return a text without what XML cannot hold."""
    return "".join(
        letter if letter.isprintable() or letter in "\n\t" else "\N{REPLACEMENT CHARACTER}" for letter in text
    )
