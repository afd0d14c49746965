"""Actions for what the check found: errors first, since a hand-over waits for them."""

from collections.abc import Collection, Iterator
from itertools import groupby

from tavolan.advice.action import Action, Gain
from tavolan.advice.kinds import Kind, Work, command_of_rule, kind_of_rule, kinds
from tavolan.advice.situation import Situation
from tavolan.checking.findings import Finding
from tavolan.checking.shots import order_command
from tavolan.checking.status import MISSING
from tavolan.project.addresses import parse_address
from tavolan.support.number_words import counted, some_of

# From so many locales on what's the same in them is one action.
MANY_LOCALES = 3
_CAPTURES = ("screen-missing", "screen-stands-in")
# From so many texts on they're sooner written in a spreadsheet.
_MANY_TEXTS = 4


def from_findings(now: Situation, covered: Collection[str]) -> Iterator[Action]:
    """Yield an action for each rule and locale with errors, warnings or texts that are still to write.

    `covered` are ids of findings that other actions mend.
    """
    open_ones = [
        one
        for one in now.findings
        if not one.waived and one.id not in covered and (one.level != "note" or one.rule in MISSING)
    ]
    locales = {rule: {one.locale for one in open_ones if one.rule == rule} for rule in {one.rule for one in open_ones}}
    # What's the same in many locales is one thing to do.
    many = {rule for rule, several in locales.items() if len(several) > MANY_LOCALES}

    def group_of(one: Finding) -> tuple[str, str]:
        # Facts are no text of a locale: they're answered in one go.
        place = "facts" if _is_fact(now, one) else "" if one.rule in many else one.locale
        return place, one.rule

    open_ones.sort(key=lambda one: (*group_of(one), one.sort_key()))
    for _, group in groupby(open_ones, key=group_of):
        yield _action(now, list(group))


def _action(now: Situation, group: list[Finding]) -> Action:
    first = group[0]
    kind = _kind(now, first)
    locales = list(dict.fromkeys(one.locale for one in group))
    count = len({(one.locale, one.field, one.subject) for one in group})
    blocks = any(one.level == "error" or (one.rule in MISSING and one.level == "note") for one in group)
    places = now.reach.places([] if "" in locales else locales, first.stores)
    gain = Gain()
    # A text of a reply is no text of the page.
    if not blocks and kind != "reviews":
        gain = now.reach.of_share(kind if kinds()[kind].share else "texts", places)
    captures = first.rule in _CAPTURES or (first.rule == "shot-count" and _lacks(first))
    work: Work = "screens" if captures else kind
    levels = {level: len([one for one in group if one.level == level]) for level in ("error", "warning", "note")}
    promise = ", ".join(f"{counted(number, level)} fewer" for level, number in levels.items() if number)
    return Action(
        kind=kind,
        what=_what(group, locales, count),
        why=first.remedy,
        command=_command(now, group, locales),
        gain=gain,
        minutes=now.minutes(work, count),
        promise=promise,
        blocks=blocks,
        where=f"{first.path}:{first.line}" if first.line else first.path,
        stage=_stage(now, first, kind),
        about=tuple(one.id for one in group),
    )


def _what(group: list[Finding], locales: list[str], count: int) -> str:
    first = group[0]
    where = locales[0] if len(locales) == 1 else f"{len(locales)} locales"
    fields = some_of(list(dict.fromkeys(one.field for one in group if one.field)), 4)
    if first.rule == "to-write":
        return f"Write {fields}" + (f" in {where}" if where else "")
    if count > 1:
        return f"{where or 'the project'}: {count} × {first.rule} ({fields})"
    return f"{' '.join(part for part in (first.locale, first.field) if part)}: {first.message}"


def _stage(now: Situation, finding: Finding, kind: Kind) -> int:
    if finding.locale and finding.locale != now.project.source_locale and kind in ("texts", "words"):
        return kinds()["languages"].stage
    return kinds()[kind].stage


def _kind(now: Situation, finding: Finding) -> Kind:
    if kind := kind_of_rule(finding.rule):
        return kind
    if _is_fact(now, finding):
        return "facts"
    return "pictures" if finding.field.startswith(("shot.", "class.", "graphic.", "screens")) else "texts"


def _lacks(finding: Finding) -> bool:
    """Whether there's less of something than there has to be."""
    return finding.limit is not None and finding.measured is not None and finding.measured < finding.limit


def _is_fact(now: Situation, finding: Finding) -> bool:
    return not finding.locale and finding.field in now.facts


def _command(now: Situation, group: list[Finding], locales: list[str]) -> str:
    first = group[0]
    if first.rule == "shot-count" and not _lacks(first):
        return order_command(now.project, first.field.removeprefix("class."))
    if command := command_of_rule(first.rule):
        return command
    if _is_fact(now, first):
        return "tavolan facts"
    return _command_for_texts(now, group, locales)


def _command_for_texts(now: Situation, group: list[Finding], locales: list[str]) -> str:
    first, fields = group[0], {one.field for one in group}
    texts = all(_is_text(now, one) for one in group)
    if texts and len(fields) >= _MANY_TEXTS:
        return "tavolan copy sheet texts.xlsx"
    if len(locales) > 1:
        return f"tavolan copy show --field {first.field}" if len(fields) == 1 and texts else "tavolan check"
    if not first.locale:
        return "tavolan check --notes"
    if not _is_text(now, first):
        return f"tavolan check --notes --locale {first.locale}"
    address = first.field
    if len(first.stores) == 1 and not parse_address(address).table:
        address = now.texts.read_address(first.stores[0], first.locale, address)
    if choice := _fitting_alternate(now, first, address):
        return f"tavolan copy set {first.locale} {address} --alternate {choice}"
    return f'tavolan copy set {first.locale} {address} "…"'


def _is_text(now: Situation, finding: Finding) -> bool:
    return finding.field in now.texts.known


def _fitting_alternate(now: Situation, finding: Finding, address: str) -> int:
    """Return the number of the first alternate that's within the limit, for a text that isn't; 0 where there's none."""
    if finding.measured is None or finding.limit is None or parse_address(address).table:
        return 0
    candidates = now.project.copy[finding.locale].alternates(address).content
    for number, text in enumerate(candidates, 1):
        if not now.texts.over(finding.locale, address, text):
            return number
    return 0
