"""Findings for other programs: SARIF 2.1.0, JUnit XML, workflow annotations, Markdown, CSV."""

import csv
import io
import json
from xml.sax.saxutils import escape, quoteattr

from tavolan.checking import Finding
from tavolan.checking.registry import all_checks
from tavolan.reports.terminal_safety import json_printable
from tavolan.support.csvfile import guarded
from tavolan.support.version import __version__

FORMATS = ("table", "json", "sarif", "junit", "github", "markdown", "csv")
_SARIF_SCHEMA = "https://docs.oasis-open.org/sarif/sarif/v2.1.0/errata01/os/schemas/sarif-schema-2.1.0.json"
_HOME = "https://tavolan.example/checks"
_SARIF_LEVEL = {"error": "error", "warning": "warning", "note": "note"}
_COLUMNS = (
    "id",
    "level",
    "rule",
    "store",
    "locale",
    "field",
    "path",
    "line",
    "message",
    "remedy",
    "measured",
    "limit",
    "unit",
    "subject",
    "waived",
)


def _place(finding: Finding) -> str:
    return " ".join(part for part in (finding.store, finding.locale, finding.field) if part)


def sarif(findings: list[Finding]) -> str:
    """Return findings as SARIF 2.1.0: one run, a rule per check, stable fingerprints, waivers as suppressions."""
    checks = all_checks()
    order = {rule: index for index, rule in enumerate(checks)}
    rules = [
        {
            "id": item.id,
            "shortDescription": {"text": item.explanation.split("\n")[0]},
            "fullDescription": {"text": " ".join(item.explanation.split())},
            "defaultConfiguration": {"level": _SARIF_LEVEL[item.level]},
        }
        for item in checks.values()
    ]
    results = []
    for finding in findings:
        location: dict[str, object] = {"artifactLocation": {"uri": finding.path, "uriBaseId": "PROJECT"}}
        if finding.line:
            location["region"] = {"startLine": finding.line}
        result: dict[str, object] = {
            "ruleId": finding.rule,
            "ruleIndex": order[finding.rule],
            "level": _SARIF_LEVEL[finding.level],
            "message": {"text": f"{_place(finding)}: {finding.message}. {finding.remedy}"},
            "locations": [{"physicalLocation": location}],
            "partialFingerprints": {"tavolan/v1": finding.id},
        }
        if finding.waived:
            result["suppressions"] = [{"kind": "external", "justification": finding.waived}]
        results.append(result)
    driver = {
        "name": "Tavolan",
        "version": __version__,
        "semanticVersion": __version__,
        "informationUri": _HOME,
        "rules": rules,
    }
    run = {"tool": {"driver": driver}, "columnKind": "unicodeCodePoints", "results": results}
    document = {"$schema": _SARIF_SCHEMA, "version": "2.1.0", "runs": [run]}
    return json_printable(json.dumps(document, ensure_ascii=False, indent=2)) + "\n"


def junit(findings: list[Finding]) -> str:
    """Return findings as JUnit XML: a suite per locale, a case per finding; notes and waived ones pass or are skipped.

    A suite without findings looks like one that didn't run, so every run has one case that says it did.
    """
    suites: dict[str, list[Finding]] = {}
    for finding in findings:
        suites.setdefault(finding.locale or "project", []).append(finding)
    parts = []
    for name, group in suites.items():
        failures = sum(f.level != "note" and not f.waived for f in group)
        skipped = sum(bool(f.waived) for f in group)
        head = f'tests="{len(group)}" failures="{failures}" errors="0" skipped="{skipped}" time="0"'
        parts.append(f"  <testsuite name={_attribute(name)} {head}>")
        parts += [_case(finding) for finding in group]
        parts.append("  </testsuite>")
    parts.append('  <testsuite name="tavolan" tests="1" failures="0" errors="0" skipped="0" time="0">')
    parts.append('    <testcase classname="tavolan" name="the checks ran" time="0"/>\n  </testsuite>')
    total = sum(f.level != "note" and not f.waived for f in findings)
    head = f'<testsuites name="tavolan check" tests="{len(findings) + 1}" failures="{total}" errors="0" time="0">'
    return '<?xml version="1.0" encoding="UTF-8"?>\n' + head + "\n" + "\n".join(parts) + "\n</testsuites>\n"


def _case(finding: Finding) -> str:
    where = f"{finding.path}:{finding.line}" if finding.line else finding.path
    name = f"{_place(finding)}: {finding.rule} {finding.subject}".strip()
    open_tag = f'    <testcase classname={_attribute(finding.rule)} name={_attribute(name)} time="0"'
    text = f"{finding.message}. {finding.remedy}"
    if finding.waived:
        return f"{open_tag}><skipped message={_attribute(finding.waived)}/></testcase>"
    if finding.level == "note":
        return f"{open_tag}><system-out>{escape(_xml_safe(f'{where}: {text}'))}</system-out></testcase>"
    kind = f"message={_attribute(finding.message)} type={_attribute(finding.level)}"
    return f"{open_tag}><failure {kind}>{escape(_xml_safe(f'{where}: {text}'))}</failure></testcase>"


def _xml_safe(text: str) -> str:
    """Replace what XML 1.0 can't hold: control characters, lone surrogates, U+FFFE and U+FFFF."""
    return "".join(
        c if c in "\t\n\r" or (c >= " " and not "\ud800" <= c <= "\udfff" and c not in "\ufffe\uffff") else "\ufffd"
        for c in text
    )


def _attribute(text: str) -> str:
    return quoteattr(_xml_safe(text))


def github(findings: list[Finding]) -> str:
    """Return findings as workflow commands, which hosted build services show beside the changed lines."""
    lines = []
    for finding in findings:
        if finding.waived:
            continue
        level = "notice" if finding.level == "note" else finding.level
        place = f"file={_property(finding.path)}" + (f",line={finding.line}" if finding.line else "")
        title = _property(f"{finding.rule} {_place(finding)}")
        lines.append(f"::{level} {place},title={title}::{_data(f'{finding.message}. {finding.remedy}')}")
    return "".join(line + "\n" for line in lines)


def _data(text: str) -> str:
    return text.replace("%", "%25").replace("\r", "%0D").replace("\n", "%0A")


def _property(text: str) -> str:
    return _data(text).replace(":", "%3A").replace(",", "%2C")


def markdown(findings: list[Finding]) -> str:
    """Return findings as a Markdown table, for a comment or a ticket."""
    if not findings:
        return "Nothing to find fault with.\n"
    rows = ["| level | rule | place | what to do | where |", "|---|---|---|---|---|"]
    for f in findings:
        where = f"`{f.path}:{f.line}`" if f.line else f"`{f.path}`"
        level = f"{f.level} (waived)" if f.waived else f.level
        rows.append(f"| {level} | {f.rule} | {_cell(_place(f))} | {_cell(f'{f.message}. {f.remedy}')} | {where} |")
    return "\n".join(rows) + "\n"


def _cell(text: str) -> str:
    return escape(text).replace("\\", "\\\\").replace("|", "\\|").replace("\n", " ")


def as_csv(findings: list[Finding]) -> str:
    """Return findings as CSV (RFC 4180, with a header line)."""
    out = io.StringIO(newline="")
    writer = csv.writer(out)
    writer.writerow(_COLUMNS)
    for finding in findings:
        writer.writerow(
            [guarded(str(value)) if (value := getattr(finding, name)) is not None else "" for name in _COLUMNS]
        )
    return out.getvalue()
