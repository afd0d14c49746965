"""Reviews for people: what to answer first, themes."""

import math

from rich.console import Console

from tavolan.reports.styled import SafeText, styled
from tavolan.reports.tables import plain_table
from tavolan.results.intervals import Interval
from tavolan.reviews.queue import ReviewQueue
from tavolan.reviews.themes import Theme, Themes
from tavolan.support.number_words import counted, some_of

_TEXT = 90


def _percent(share: Interval) -> str:
    return "–" if math.isnan(share.value) else f"{share.value:.0%} ({share.low:.0%} to {share.high:.0%})"


def print_queue(console: Console, queue: ReviewQueue) -> None:
    """Print the reviews to answer first, and how answering goes."""
    table = plain_table("", "stars", "waits", "where", "version", "review", "id")
    for one in queue.first:
        where = " ".join(part for part in (one.store, one.storefront, one.locale) if part)
        text = one.text if len(one.text) <= _TEXT else one.text[: _TEXT - 1] + "…"
        waits = f"{one.days} d" if one.days is not None else "?"
        table.add_row(
            SafeText(one.reason, "yellow" if one.reason == "featured" else "default"),
            "★" * one.stars,
            waits,
            SafeText(where),
            SafeText(one.version),
            SafeText(text),
            SafeText(one.id, "dim"),
        )
    if queue.first:
        console.print(table)
    more = queue.waiting - len(queue.first)
    console.print(
        f"{counted(queue.waiting, 'review')} of {queue.reviews:,} wait for an answer"
        + (f", {more:,} more than these: --top" if more else "")
    )
    answered = f"{_percent(queue.answered)} answered"
    if not math.isnan(queue.wait):
        answered += f", after {queue.wait:.0f} days by the median"
    console.print(answered)
    if queue.rated_anew:
        stars = f"{queue.before:.1f} stars before, {queue.after:.1f} after"
        console.print(f"{counted(queue.rated_anew, 'reader')} rated anew after a reply: {stars}")


def print_themes(console: Console, found: Themes, why: bool) -> None:
    """Print complaints and praise, with what the newest version did to each."""
    version = f", newest version {found.version}" if found.version else ""
    console.print(styled("[bold]{}[/]  {}{}", found.locale, counted(found.reviews, "review"), version))
    for words, themes in (("complaints", found.of("complaint")), ("praise", found.of("praise"))):
        if not themes:
            continue
        table = plain_table(words, "reviews", "share", "stars", "newest version", "", "an example")
        for theme in themes:
            name = SafeText(theme.phrase, "bold")
            if theme.also:
                name.append(f"\n{some_of(theme.also, 2)}", "dim")
            table.add_row(
                name,
                str(theme.texts),
                _percent(theme.share),
                f"{theme.stars:.1f}",
                _trend(theme),
                _marks(theme),
                SafeText(theme.example),
            )
        console.print(table)
    if not found.themes:
        console.print("No phrase is said by high or low stars alone: too few reviews, or they speak of many things.")
    fresh = [theme.phrase for theme in found.of("praise") if not theme.target]
    if fresh:
        console.print(
            styled(
                "Their words, and no target phrase yet: {}. tavolan terms mine --locale {} weighs them.",
                ", ".join(fresh[:6]),
                found.locale,
            ),
            soft_wrap=True,
        )
    unseen = [theme.phrase for theme in found.of("praise") if not theme.shown]
    if unseen:
        console.print(styled("Praised, and in no caption yet: {}", ", ".join(unseen[:6])), soft_wrap=True)
    if why:
        text = (
            "Phrases that reviews of 1 and 2 stars hold more often than those of 4 and 5, or the other way round, by "
            "more than chance explains (G², for all phrases together). Three stars are left out. Shares with Wilson's "
            "interval; ↑ ↓ where that of the newest version and that of all before it don't meet: docs/reviews.md"
        )
        console.print(SafeText(text, "dim"), soft_wrap=True)


def _trend(theme: Theme) -> SafeText:
    if math.isnan(theme.newest.value):
        return SafeText("")
    text = SafeText(f"{theme.newest.value:.0%}")
    if not math.isnan(theme.earlier.value):
        text.append(f", {theme.earlier.value:.0%} before")
    good = (theme.trend == "more") == (theme.kind == "praise")
    return text.append(" ↑" if theme.trend == "more" else " ↓", "green" if good else "red") if theme.trend else text


def _marks(theme: Theme) -> SafeText:
    marks = [name for name, holds in (("target", theme.target), ("in a caption", theme.shown)) if holds]
    return SafeText(", ".join(marks), "cyan")
