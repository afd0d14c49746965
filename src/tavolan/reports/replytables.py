"""Replies to reviews for people: drafts below the reviews that they're for, and what was sent."""

from collections import Counter

from rich.console import Console
from rich.padding import Padding

from tavolan.checking.findings import Finding
from tavolan.reports.styled import SafeText, styled
from tavolan.reviews.queue import Waiting
from tavolan.reviews.reply_table import Reply
from tavolan.reviews.replying import DraftedReply, Drafts
from tavolan.reviews.sending import Held, SentReplies
from tavolan.support.number_words import counted

_LEVEL_STYLES = {"error": "red", "warning": "yellow", "note": "dim"}


def print_drafts(console: Console, done: Drafts, dry_run: bool) -> None:
    """Print each review with its draft and what's wrong with it."""
    for one in done.drafts:
        _print_draft(console, one)
    for review, why in done.without:
        console.print(_heading(review, "no draft"))
        _print_below(console, SafeText(review.text, "dim"))
        _print_below(console, SafeText(why, "yellow"))
    counts = Counter(one.standing for one in done.drafts)
    parts = ", ".join(f"{count} {standing}" for standing, count in counts.items())
    verb = "would be kept" if dry_run else "are in data/replies.csv: change them there"
    console.print(
        styled("[bold]{}[/]{}; they {}", counted(len(done.drafts), "draft"), f" ({parts})" if parts else "", verb)
        if done.drafts
        else "No draft."
    )
    faulty = sum(bool(one.findings) for one in done.drafts)
    if faulty:
        console.print(f"{counted(faulty, 'draft')} with findings won't be sent until they're changed.")
    if done.without:
        console.print(f"{counted(len(done.without), 'review')} without a draft")
    if done.drafts and not dry_run:
        console.print("Next: tavolan reviews send --dry-run")


def _print_draft(console: Console, one: DraftedReply) -> None:
    console.print(_heading(one.review, one.reply.template or "by hand"))
    _print_below(console, SafeText(one.review.text, "dim"))
    standing = "" if one.standing == "new" else f"  ({one.standing})"
    _print_below(console, SafeText(f"→ {one.reply.text}").append(standing, "dim"))
    _print_findings(console, one.findings)


def _heading(review: Waiting, name: str) -> SafeText:
    where = " ".join(part for part in (review.store, review.storefront, review.locale, review.version) if part)
    return styled("[bold]{}[/] {}  [cyan]{}[/]  [dim]{}[/]", "★" * review.stars, where, name, review.id)


def _print_below(console: Console, text: SafeText) -> None:
    console.print(Padding(text, (0, 0, 0, 3), expand=False))


def _print_findings(console: Console, findings: list[Finding]) -> None:
    for found in findings:
        text = SafeText(f"{found.level}: {found.message}. {found.remedy}", _LEVEL_STYLES[found.level])
        _print_below(console, text.append(f"  {found.rule}", "dim"))


def print_sent(console: Console, done: SentReplies, dry_run: bool) -> None:
    """Print what was sent or would be, and what wasn't and why."""
    for one in done.sent:
        console.print(
            styled("[bold green]{}[/] {}  {}", "would send" if dry_run else "sent", _place(one), one.text),
            soft_wrap=True,
        )
    for words, style, several in (
        ("held back", "yellow", done.held),
        ("not overwritten", "yellow", done.conflicts),
        ("refused", "red", done.refused),
    ):
        for held in several:
            console.print(SafeText(words, style).append(f" {_place(held.reply)}  {_why(held)}"), soft_wrap=True)
    verb = "would be sent" if dry_run else "sent"
    line = f"{counted(len(done.sent), 'reply', 'replies')} {verb}, {len(done.held)} held back"
    if done.conflicts:
        line += f", {len(done.conflicts)} not overwritten: tavolan import --as reviews --from-console"
    if done.refused:
        line += f", {len(done.refused)} refused"
    console.print(line, soft_wrap=True)
    rules = sorted({each.rule for held in done.held for each in held.findings if each.level != "error"})
    if rules:
        console.print(f"Change them in data/replies.csv, or send them as they are: --despite {rules[0]}")


def _place(one: Reply) -> str:
    return f"{one.store} {one.locale} {one.id}"


def _why(held: Held) -> str:
    return held.why or "; ".join(f"{each.message} ({each.rule})" for each in held.findings)
