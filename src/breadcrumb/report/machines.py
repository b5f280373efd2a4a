"""The results of a run for other programs: JUnit XML, and lines of JSON."""

import json
from collections.abc import Iterator
from pathlib import Path
from typing import Any
from xml.etree import ElementTree as ET

import numpy as np

from breadcrumb.run.results import Result, RunResult
from breadcrumb.verdicts.findings import Finding
from breadcrumb.verdicts.words import breach_words, explanation

_LINES = 40


def junit_xml(run: RunResult) -> str:
    """Return the results as JUnit XML: a suite for each session, a case for each check."""
    suites = ET.Element("testsuites", name="breadcrumb")
    by_session: dict[Path, list[Result]] = {}
    for result in run.results:
        by_session.setdefault(result.trace, []).append(result)
    for session, mine in by_session.items():
        counts = {word: sum(result.outcome == word for result in mine) for word in ("broken", "error", "idle")}
        suite = ET.SubElement(
            suites, "testsuite", name=_clean(session.name), tests=str(len(mine)), failures=str(counts["broken"]),
            errors=str(counts["error"]), skipped=str(counts["idle"]),
        )  # fmt: skip
        for result in mine:
            case = ET.SubElement(
                suite, "testcase", classname=_clean(result.check.file.stem), name=_clean(result.check.name)
            )
            tag = {"broken": "failure", "error": "error", "idle": "skipped"}.get(result.outcome)
            if tag is not None:
                ET.SubElement(case, tag, message=_clean(result_words(result))).text = _clean(_all_lines(result))
    for problem in run.problems:
        suite = ET.SubElement(suites, "testsuite", name="run", tests="1", errors="1", failures="0", skipped="0")
        case = ET.SubElement(suite, "testcase", classname="breadcrumb", name="run")
        ET.SubElement(case, "error", message=_clean(problem))
    return ET.tostring(suites, encoding="unicode", xml_declaration=True)


def json_lines(run: RunResult) -> Iterator[str]:
    """Yield a line of JSON for each verdict, and for each result that gave none."""
    for result in run.results:
        about = {
            "check": result.check.name,
            "file": str(result.check.file),
            "session": result.session,
            "trace": str(result.trace),
        }
        if result.error or not result.findings:
            yield json.dumps({**about, "outcome": result.outcome, "why": result_words(result)})
        for finding in result.findings:
            yield json.dumps({**about, **_finding(finding)})
    for problem in run.problems:
        yield json.dumps({"outcome": "error", "why": problem})


def _finding(finding: Finding) -> dict[str, Any]:
    margin = finding.margin
    known = {
        "outcome": finding.outcome,
        "sentence": finding.sentence,
        "tested": finding.tested,
        "of": finding.of,
        "undecided": finding.undecided,
        "missing": finding.missing,
        "breaches": finding.breach_count,
        "margin": None if margin is None or not np.isfinite(margin.value) else margin.value,
        "unit": None if margin is None else margin.unit,
        "why": finding.why_idle,
    }
    for name, breach in (("first", finding.first), ("worst", finding.worst)):
        if breach is not None:
            known[name] = {
                "frame": breach.frame, "time": breach.time, "object": breach.object, "measured": breach.measured,
                "allowed": breach.allowed, "words": breach.words,
            }  # fmt: skip
    return known


def result_words(result: Result) -> str:
    """Return what a result is about in one line: the first breach, what went wrong, or why it is idle."""
    if result.outcome == "broken":
        broken = next(one for one in result.findings if one.outcome == "broken")
        return breach_words(broken.first) if broken.first is not None else broken.sentence
    return result.error or result.why_idle


def _all_lines(result: Result) -> str:
    return "\n".join("\n".join(explanation(one, _LINES)) for one in result.findings if one.outcome == "broken")


def _clean(text: str) -> str:
    """Return a text without what XML cannot hold."""
    return "".join(
        letter if letter.isprintable() or letter in "\n\t" else "\N{REPLACEMENT CHARACTER}" for letter in text
    )
