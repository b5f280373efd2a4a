"""The results of a run for other programs: JUnit XML, and lines of JSON."""

from collections.abc import Iterator
from pathlib import Path
from typing import NamedTuple
from xml.etree import ElementTree as ET

from breadcrumb.run.results import Result, RunResult
from breadcrumb.verdicts.words import breach_words, explanation

_LINES = 40


def junit_xml(run: RunResult) -> str:
    """Return the results as JUnit XML: a suite for each session, a case for each rule, named by its ID.

    A check that raised an error, or asserted nothing, has a case of its own.
    """
    suites = ET.Element("testsuites", name="breadcrumb")
    by_session: dict[str, list[Result]] = {}
    for result in run.results:
        by_session.setdefault(result.trace, []).append(result)
    for session, mine in by_session.items():
        cases = [case for result in mine for case in _cases(result)]
        counts = {word: str(sum(case.outcome == word for case in cases)) for word in ("broken", "error", "untested")}
        suite = ET.SubElement(
            suites, "testsuite", name=_clean(Path(session).name), tests=str(len(cases)), failures=counts["broken"],
            errors=counts["error"], skipped=counts["untested"],
        )  # fmt: skip
        for case in cases:
            element = ET.SubElement(suite, "testcase", classname=_clean(case.file), name=_clean(case.name))
            tag = {"broken": "failure", "error": "error", "untested": "skipped"}.get(case.outcome)
            if tag is not None:
                ET.SubElement(element, tag, message=_clean(case.words)).text = _clean(case.lines)
    for problem in run.problems:
        suite = ET.SubElement(suites, "testsuite", name="run", tests="1", errors="1", failures="0", skipped="0")
        element = ET.SubElement(suite, "testcase", classname="breadcrumb", name="run")
        ET.SubElement(element, "error", message=_clean(problem))
    return ET.tostring(suites, encoding="unicode", xml_declaration=True)


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
        yield _Case(check.stem, finding.rule.id.removeprefix(f"{check.stem}/"), finding.outcome, words, lines)
    if result.error or not result.findings:
        yield _Case(check.stem, check.name, result.outcome, result_words(result), "")


def json_lines(run: RunResult) -> Iterator[bytes]:
    """Yield a line of JSON for each result, and at the end one for the run as a whole; `results.schema` tells how."""
    import msgspec  # here: only what leaves the process pays for it

    yield from (result.without_evidence().to_json() for result in run.results)
    yield msgspec.json.encode(run.end())


def result_words(result: Result) -> str:
    """Return what a result is about in one line: the first breach, what went wrong, or why it is untested."""
    if result.outcome == "broken":
        broken = result.first_broken
        return breach_words(broken.first) if broken.first is not None else broken.sentence
    return result.error or result.why_untested


def _clean(text: str) -> str:
    """Return a text without what XML cannot hold."""
    return "".join(
        letter if letter.isprintable() or letter in "\n\t" else "\N{REPLACEMENT CHARACTER}" for letter in text
    )
