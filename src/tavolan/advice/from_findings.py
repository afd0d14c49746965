"""Actions for what the check found: errors first, since a hand-over waits for them."""

from collections.abc import Iterator
from itertools import groupby

from tavolan.advice.action import Action, Gain, Kind, estimates
from tavolan.advice.situation import Situation
from tavolan.checking.findings import Finding
from tavolan.checking.status import MISSING
from tavolan.project.addresses import parse_address
from tavolan.project.texts import Texts

_STAGES: dict[Kind, int] = {"texts": 1, "facts": 2, "words": 3, "pictures": 4, "languages": 6, "reviews": 9}


def from_findings(now: Situation) -> Iterator[Action]:
    """Yield an action for each rule and locale with errors, warnings or texts that are still to write."""
    open_ones = [
        one for one in now.findings
        if not one.waived and one.id not in now.settled and (one.level != "note" or one.rule in MISSING)
    ]  # fmt: skip
    open_ones.sort(key=lambda one: (one.locale, one.rule, one.sort_key()))
    for (locale, _), group in groupby(open_ones, key=lambda one: (one.locale, one.rule)):
        yield _action(now, locale, list(group))


def _action(now: Situation, locale: str, group: list[Finding]) -> Action:
    first = group[0]
    kind = _kind(first)
    count = len({(one.field, one.subject) for one in group})
    blocks = any(one.level == "error" or one.rule in MISSING for one in group)
    place = " ".join(part for part in (locale, first.field) if part)
    fields = ", ".join(dict.fromkeys(one.field for one in group if one.field))
    what = f"{place}: {first.message}"
    if first.rule == "to-write":
        what = f"Write {_several(list(dict.fromkeys(one.field for one in group)))}" + (
            f" in {locale}" if locale else ""
        )
    elif count > 1:
        what = f"{locale or 'the project'}: {count} × {first.rule} ({fields})"
    places = now.reach.places([locale] if locale else [], first.stores)
    gain = Gain()
    # A text of a reply is no text of the page.
    if not blocks and kind != "reviews":
        gain = now.reach.of_share(kind if kind in estimates()["share"] else "texts", places)
    work = "screens" if first.rule in ("screen-missing", "shot-count") else kind
    levels = {level: len([one for one in group if one.level == level]) for level in ("error", "warning", "note")}
    promise = ", ".join(
        f"{number} {level}{'' if number == 1 else 's'} fewer" for level, number in levels.items() if number
    )
    return Action(
        kind, what, first.remedy, _command(now, first), gain, now.minutes(work, count), promise, blocks,
        f"{first.path}:{first.line}" if first.line else first.path, _stage(now, first, kind),
        tuple(one.id for one in group),
    )  # fmt: skip


def _several(names: list[str]) -> str:
    return ", ".join(names[:4]) + (f" and {len(names) - 4} more" if len(names) > 4 else "")


def _stage(now: Situation, finding: Finding, kind: Kind) -> int:
    if finding.locale and finding.locale != now.project.source_locale and kind in ("texts", "words"):
        return _STAGES["languages"]
    return _STAGES[kind]


def _kind(finding: Finding) -> Kind:
    kinds: dict[Kind, str] = estimates()["kind"]
    for kind, rules in kinds.items():
        if finding.rule in rules.split():
            return kind
    if not finding.locale and finding.field and not finding.field.startswith(("shot.", "class.", "graphic.")):
        return "facts"
    return "pictures" if finding.field.startswith(("shot.", "class.", "graphic.", "screens")) else "texts"


def _command(now: Situation, finding: Finding) -> str:
    commands: dict[str, str] = estimates()["command"]
    if finding.rule in commands:
        return commands[finding.rule]
    if not finding.locale:
        return "tavolan check --notes"
    if not _is_text(now, finding):
        return f"tavolan check --notes --locale {finding.locale}"
    if choice := _fitting_alternate(now, finding):
        return f"tavolan copy choose {finding.locale} {finding.field} {choice}"
    return f'tavolan copy set {finding.locale} {finding.field} "…"'


def _is_text(now: Situation, finding: Finding) -> bool:
    return finding.field in Texts(now.project).known


def _fitting_alternate(now: Situation, finding: Finding) -> int:
    """Return the number of the first alternate that's within the limit, for a text that isn't; 0 where there's none."""
    if finding.measured is None or finding.limit is None or parse_address(finding.field).table:
        return 0
    texts = Texts(now.project)
    candidates = now.project.copy[finding.locale].alternates(finding.field).content
    for number, text in enumerate(candidates, 1):
        if not texts.over(finding.locale, finding.field, text):
            return number
    return 0
