"""Facts for people: all of them, one with its choices, what changes."""

from collections.abc import Iterable
from typing import Any

from rich.columns import Columns
from rich.console import Console

from tavolan.project.facts import Fact, FactChange
from tavolan.reports.styled import SafeText, styled
from tavolan.reports.tables import plain_table


def print_facts(console: Console, facts: Iterable[Fact]) -> None:
    """Print a row per fact, and how many are still to answer."""
    table = plain_table("Fact", "Stores", "Value", "")
    missing = faulty = 0
    for fact in facts:
        missing, faulty = missing + fact.missing, faulty + bool(fact.faults)
        stores = ", ".join(store.id for store in fact.stores)
        table.add_row(SafeText(fact.name), SafeText(stores), SafeText(fact_words(fact.value.content)), _state(fact))
    console.print(table)
    console.print(f"\n{missing} still needed, {faulty} wrong.")
    if missing or faulty:
        console.print("Be asked for them: tavolan facts")


def print_fact(console: Console, fact: Fact) -> None:
    """Print one fact: what it is, who asks, what's written, what may be answered, what's wrong with it."""
    whose = f" ({', '.join(store.id for store in fact.stores)})" if fact.stores else ""
    console.print(styled("[bold]{}[/]{}  {}", fact.name, whose, fact.rule.what), soft_wrap=True)
    if fact.value.written:
        console.print(f"  now: {fact_words(fact.value.content)}", soft_wrap=True, markup=False)
    for fault in fact.faults:
        console.print(styled("  [red]{}. {}[/]", fault.message, fault.remedy), soft_wrap=True)
    if fact.rule.parts:
        console.print(f"  parts: {', '.join(fact.rule.parts)}", soft_wrap=True)
    if fact.rule.choices:
        numbered = [f"{number:>3} {choice}" for number, choice in enumerate(fact.rule.choices, 1)]
        console.print(Columns([SafeText(choice) for choice in numbered], padding=(0, 2), column_first=True))
    elif hint := _HINTS.get(fact.rule.kind) or _HINTS.get(fact.rule.holds):
        console.print(f"  {hint}", soft_wrap=True)


def print_changes(console: Console, changes: Iterable[FactChange]) -> None:
    """Print what changes, a line before and a line after each."""
    shown = {change.name: change for change in reversed(list(changes)) if change.after is not None or change.before}
    for name, change in reversed(shown.items()):
        console.print(styled("[bold]{}[/]", name), soft_wrap=True)
        if change.before not in (None, ""):
            console.print(styled("  [red]− {}[/]", fact_words(change.before)), soft_wrap=True)
        if change.after is not None:
            console.print(styled("  [green]+ {}[/]", fact_words(change.after)), soft_wrap=True)


def fact_words(value: Any) -> str:
    """Return a fact's value as people say it."""
    if isinstance(value, bool):
        return "yes" if value else "no"
    if isinstance(value, dict):
        said = {str(entry) for entry in value.values()}
        if len(value) > 1 and len(said) == 1:
            return f"{fact_words(next(iter(value.values())))} to all {len(value)}"
        return ", ".join(f"{part}: {fact_words(entry)}" for part, entry in value.items())
    if isinstance(value, list):
        return ", ".join(map(str, value))
    return "" if value is None else str(value)


def _state(fact: Fact) -> SafeText:
    if fact.faults:
        return styled("[red]{}[/]", fact.faults[0].message)
    if fact.missing:
        return styled("[yellow]needed[/]")
    return SafeText("")


_HINTS = {
    "yes-no": "yes or no",
    "price": "free, or a price with its currency, as in 4.99 USD",
    "date": "a day, as in 2027-01-31",
    "prices": "a price per storefront, as in JP: 800 JPY",
    "country": "countries by name or code, with commas between: DE, France",
    "email": "an address, as in name@example.com",
    "link": "an address, as in https://example.com/page",
    "phone": "with its country, as in +49 30 123456",
}
