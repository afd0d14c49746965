"""A plan of words for people: new fields, what's gained and lost, and how good it's proven to be."""

from rich.console import Console

from tavolan.reports.copytables import gauge
from tavolan.reports.styled import SafeText, styled
from tavolan.reports.tables import plain_table
from tavolan.rulebooks.measure import measure
from tavolan.words.plan_choices import OWN_LANGUAGE
from tavolan.words.plan_model import LocalePlan, Plan
from tavolan.words.plan_prices import WordPrice
from tavolan.words.value import TIER_WORDS, Worth


def print_plan(console: Console, plan: Plan, why: bool, prices: list[WordPrice]) -> None:
    """Print a plan; `why` shows every phrase, else the ten that change most."""
    for locale in plan.locales:
        _print_locale(console, locale)
    if prices:
        _print_prices(console, prices)
    shown = plan.changes if why else plan.changes[:10]
    if shown:
        table = plain_table("storefront", "phrase", "now", "planned", "value")
        for change in shown:
            style = "green" if change.value > 0 else "red"
            table.add_row(
                change.storefront,
                change.phrase,
                SafeText(TIER_WORDS[change.before] if change.before else "not answered", "dim"),
                TIER_WORDS[change.after] if change.after else SafeText("not answered", "red"),
                SafeText(f"{change.value:+.1f}", style),
            )
        console.print()
        console.print(table)
        if len(shown) < len(plan.changes):
            console.print(styled("[dim]and {} more (--why)[/]", len(plan.changes) - len(shown)))
    if not plan.texts:
        console.print(styled("\nNothing to change: no choice among what's allowed answers more than the listing does."))
    gained = sum(change.before is None for change in plan.changes)
    lost = sum(change.after is None for change in plan.changes)
    console.print(
        styled("\n[bold]Value[/] {:.1f} → [bold]{:.1f}[/]   {} gained, {} lost", plan.before, plan.value, gained, lost)
    )
    if plan.proven:
        console.print(
            styled("[green]Proven optimal[/]: no choice is worth more than {:.1f} ({:.1f} s)", plan.bound, plan.seconds)
        )
    else:
        console.print(
            styled(
                "[yellow]Not proven optimal[/]: no choice is worth more than {:.1f}, so at most {:.1%} is left "
                "({:.1f} s; --seconds gives it more)",
                plan.bound,
                plan.gap,
                plan.seconds,
            )
        )
    console.print(SafeText(f"Held fixed: {', '.join(plan.held)}.{_more(plan)}", "dim"), soft_wrap=True)


def _more(plan: Plan) -> str:
    return " --any-language tries words of other locales too." if OWN_LANGUAGE in plan.held else ""


def _print_prices(console: Console, prices: list[WordPrice]) -> None:
    table = plain_table("locale", "keyword", "earns", "next best", "would earn")
    for column in (2, 4):
        table.columns[column].justify = "right"
    for price in prices:
        other = (
            (price.next_word, f"{price.next_earns:.1f}")
            if price.next_word
            else (SafeText("no other adds anything", "dim"), "")
        )
        table.add_row(price.locale, price.word, f"{price.earns:.1f}", *other)
    console.print()
    console.print(table)
    console.print(
        styled("[dim]What the plan would lose without a keyword, and what the best one in its place would add.[/]")
    )


def _print_locale(console: Console, locale: LocalePlan) -> None:
    console.print(styled("\n[bold]{}[/]", locale.locale))
    table = plain_table("", "", "")
    table.show_header = False
    for name, (before, after) in (("title", locale.title), ("subtitle", locale.subtitle)):
        if before or after:
            note = SafeText(f"{measure(after)} characters, ", "dim")
            note.append("as it is" if before == after else f"instead of {before}")
            table.add_row(SafeText(name, "dim"), SafeText(after, "default" if before == after else "green"), note)
    words = SafeText()
    for word in locale.keywords[1]:
        words.append(f"+{word}" if word in locale.added else word, "green" if word in locale.added else "default")
        words.append("  ")
    length = gauge(locale.length, locale.limit).append(f" {locale.length}/{locale.limit}", "default")
    table.add_row(SafeText("keywords", "dim"), words, length)
    if locale.dropped:
        table.add_row(SafeText("dropped", "dim"), SafeText("  ".join(locale.dropped), "red"), SafeText(""))
    console.print(table)


def print_factors(console: Console, rows: list[tuple[str, str, Worth]]) -> None:
    """Print the factors of every phrase's value."""
    table = plain_table(
        "locale", "phrase", "relevance", "demand", "from", "difficulty", "from", "chance", "value at best"
    )
    for locale, phrase, worth in rows:
        hard = "unknown" if worth.difficulty is None else f"{worth.difficulty:.0f}"
        table.add_row(
            locale,
            SafeText(phrase),
            f"{worth.relevance:.2f}",
            f"{worth.demand:.2f}",
            SafeText(worth.demand_from, "dim"),
            hard,
            SafeText(worth.difficulty_from, "dim"),
            f"{worth.chance:.2f}",
            f"{worth.value:.1f}",
        )
    console.print(table)
    console.print(
        styled("[dim]value = 100 × relevance × demand × chance, times the tier's weight in \\[words.tiers][/]")
    )
