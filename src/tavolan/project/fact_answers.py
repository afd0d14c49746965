"""Read what people answer about a fact into the value that's written: a choice's own spelling, a country's code."""

import re
from typing import Any

from tavolan.errors import nearest
from tavolan.languages.countries import country_code
from tavolan.project.fact_faults import FactFault, FactRule
from tavolan.project.toml_edit import TomlValue
from tavolan.rulebooks.model import FieldRule
from tavolan.support.days import read_day

_YES_NO = {"yes": True, "true": True, "no": False, "false": False}
_TABLES = ("record", "answers", "prices")
# What a part of a record is, where it isn't text.
_YES_NO_PARTS = ("needed",)


def read_answer(asked: FactRule, text: str, part: str, now: Any) -> tuple[TomlValue | None, list[FactFault]]:
    """Return a fact's value after an answer, and what can't be read of it; None where nothing is left.

    `part` is a part of a record, a subject or a storefront; of what's there `now`, the other parts stay.
    """
    text = text.strip()
    if part:
        return _with_part(asked, text, part, now if isinstance(now, dict) else {})
    if not text:
        return None, []
    if asked.rule.kind in _TABLES:
        return _whole_table(asked, text)
    if asked.rule.kind == "list":
        return _entries(asked.rule, text), []
    if asked.rule.kind == "yes-no":
        known = _YES_NO.get(text.casefold())
        fault = FactFault("", f'can\'t be "{text}"', "Answer yes or no.")
        return (known, []) if known is not None else (None, [fault])
    return _one_text(asked.rule, text), []


def _with_part(asked: FactRule, text: str, part: str, now: dict[str, Any]) -> tuple[TomlValue | None, list[FactFault]]:
    rule = asked.rule
    if rule.kind not in _TABLES:
        return None, [FactFault(part, "has no parts", f"Answer {asked.field} itself.")]
    if rule.parts and part not in rule.parts:
        return None, [FactFault(part, f'has no part "{part}"', nearest(part, rule.parts))]
    value: str | bool = _price(text) if rule.kind == "prices" else _choice(rule, text)
    if is_yes_no(rule, part):
        if text and text.casefold() not in _YES_NO:
            return None, [FactFault(part, f'can\'t be "{text}"', "Answer yes or no.")]
        value = _YES_NO.get(text.casefold(), "")
    parts: dict[str, str | bool] = {key: held for key, held in {**now, part: value}.items() if held != ""}
    # In the order of the store's own list.
    order = [*rule.parts, *parts]
    return {key: parts[key] for key in sorted(parts, key=order.index)} or None, []


def is_yes_no(rule: FieldRule, part: str) -> bool:
    """Whether a fact, or a part of it, is answered by yes or no."""
    return rule.kind == "yes-no" or (rule.kind == "record" and part in _YES_NO_PARTS)


def _whole_table(asked: FactRule, text: str) -> tuple[TomlValue | None, list[FactFault]]:
    """Return one answer to all subjects; a record and prices are answered part by part."""
    rule = asked.rule
    if rule.kind == "answers" and rule.parts:
        return dict.fromkeys(rule.parts, _choice(rule, text)), []
    part = rule.parts[0] if rule.parts else "JP" if rule.kind == "prices" else "subject"
    example = "800 JPY" if rule.kind == "prices" else "…"
    return None, [FactFault("", "has parts", f'Answer each: {asked.field}.{part}="{example}"')]


def _one_text(rule: FieldRule, text: str) -> str:
    if rule.kind == "price":
        return _price(text)
    if rule.kind == "date":
        day = read_day(text)
        return day.isoformat() if day else text
    return _choice(rule, text)


def _price(text: str) -> str:
    return "free" if text.casefold() == "free" else text.upper()


def _choice(rule: FieldRule, text: str) -> str:
    """Return a choice as the store spells it; anything else as it is."""
    return next((choice for choice in rule.choices if choice.casefold() == text.casefold()), text)


def _entries(rule: FieldRule, text: str) -> list[str]:
    entries = [entry.strip() for entry in re.split(r"[,;\n]", text) if entry.strip()]
    if rule.holds != "country":
        return [_choice(rule, entry) for entry in entries]
    if len(entries) == 1 and not country_code(entries[0]):
        entries = entries[0].split()
    return [country_code(entry) or entry for entry in entries]
