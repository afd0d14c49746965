"""The digest of a period, for people: one screen."""

import math
from collections.abc import Iterable, Sequence

from rich.console import Console

from tavolan.reports.rank_words import rank_words
from tavolan.reports.resultstables import STEP_WORDS, ratio_words, share_words, verdict_words
from tavolan.reports.styled import SafeText, styled
from tavolan.results.moved import MARKS, Move, Moved
from tavolan.support.number_words import counted

_MOST = 6


def print_moved(console: Console, digest: Moved, why: bool) -> None:
    """Print what moved in a period against the one before."""
    console.print(styled("[bold]{}[/]  against {}", digest.period, digest.period.before()))
    _print_installs(console, digest, why)
    for funnel in digest.funnels:
        steps = [f"{STEP_WORDS[step.name]} {share_words(step)}" for step in funnel.steps if step.name != "direct"]
        console.print(styled("{}  {}", funnel.store, ", ".join(steps)))
    for mark in MARKS:
        for verb, moves in (("entered", digest.entered(mark)), ("left", digest.left(mark))):
            if moves:
                console.print(styled("[bold]{} the first {}[/]  {}", verb, mark, _listed(moves)), soft_wrap=True)
    if largest := digest.largest(_MOST):
        console.print(styled("[bold]moved most[/]  {}", _listed(largest)), soft_wrap=True)
    if digest.unfound:
        names = [
            f"{one.phrase} ({one.store} {one.storefront}, looked for {counted(one.looks, 'time')})"
            for one in digest.unfound
        ]
        console.print(styled("[bold]in the listing, and never found[/]  {}", _shortened(names)), soft_wrap=True)
    if digest.not_targeted:
        names = [f"{one.phrase} {rank_words(one.now)} ({one.storefront})" for one in digest.not_targeted]
        console.print(styled("[bold]found, and no target yet[/]  {}", _shortened(names)), soft_wrap=True)
    meanwhile = [f"{one.days} {one.store}: {one.words}" for one in digest.changes]
    meanwhile += [f"{one.period}: {one.what}" for one in digest.campaigns]
    meanwhile += [f"day off: {one}" for one in digest.off]
    console.print(
        styled("[bold]meanwhile[/]  {}", _shortened(meanwhile) or "nothing that the journal knows of"), soft_wrap=True
    )
    if why:
        console.print(
            SafeText(
                "A rank is the last one of each period; what wasn't looked for in both hasn't moved. "
                "A move is as large as the logarithm of its ratio: docs/results.md",
                "dim",
            )
        )


def _print_installs(console: Console, digest: Moved, why: bool) -> None:
    for one in digest.installs:
        found = f": {verdict_words(one.found)}, {ratio_words(one.found.ratio)}" if one.found else ""
        kind = "" if math.isnan(one.paid_now) else "organic "
        console.print(styled("{}  {:,.0f} {}installs, {:,.0f} before{}", one.store, one.now, kind, one.before, found))
        if kind:
            paid = f"{one.paid_now:,.0f} paid ones beside them, {one.paid_before:,.0f} before"
            console.print(styled("     [dim]{}[/]", paid))
        if one.withheld:
            console.print(styled("     [dim]without {} that were withheld[/]", counted(one.withheld, "count")))
        if why and one.found:
            console.print(styled("     [dim]{}[/]", "; ".join(filter(None, [*one.found.reasons, one.checked]))))


def _listed(moves: Iterable[Move]) -> str:
    return _shortened([f"{m.phrase} {rank_words(m.before)} → {rank_words(m.now)} ({m.storefront})" for m in moves])


def _shortened(names: Sequence[str]) -> str:
    more = f", and {len(names) - _MOST} more" if len(names) > _MOST else ""
    return ", ".join(names[:_MOST]) + more
