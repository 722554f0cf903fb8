"""Verdicts as JUnit XML, which continuous integration reads."""

from __future__ import annotations

from xml.etree import ElementTree as Xml

from jump_lane.harmless import harmless
from jump_lane.library.designs import CheckedMany, Verdict
from jump_lane.report.verdicts import verdicts


def junit_xml(found: CheckedMany) -> str:
    """Return a test suite for each file, and a test case for everything asked of it."""
    root = Xml.Element("testsuites", name="jumplane check")
    for one in found.verdicts:
        _suite(root, one)
    Xml.indent(root)
    return '<?xml version="1.0" encoding="UTF-8"?>\n' + Xml.tostring(root, encoding="unicode") + "\n"


def _suite(root: Xml.Element, one: Verdict) -> None:
    suite = Xml.SubElement(root, "testsuite", name=harmless(one.name))
    failures = errors = 0
    if one.checked is None:
        case = Xml.SubElement(suite, "testcase", classname=harmless(one.name), name="the file can be checked")
        Xml.SubElement(case, "error", message=harmless(one.line))
        errors += 1
    for name, problem, is_error in verdicts(one.checked.check) if one.checked is not None else ():
        case = Xml.SubElement(suite, "testcase", classname=harmless(one.name), name=harmless(name))
        if problem:
            Xml.SubElement(case, "error" if is_error else "failure", message=harmless(problem))
            errors += is_error
            failures += not is_error
    suite.set("tests", str(len(suite)))
    suite.set("failures", str(failures))
    suite.set("errors", str(errors))
