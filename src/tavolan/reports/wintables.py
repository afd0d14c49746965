"""The phrases to win next, for people."""

from rich.console import Console

from tavolan.reports.rank_words import rank_cell
from tavolan.reports.styled import SafeText, styled
from tavolan.reports.tables import plain_table
from tavolan.results.wins import Win, Wins
from tavolan.results.word_moves import WordMove
from tavolan.support.number_words import counted
from tavolan.words.value import TIER_WORDS


def print_wins(console: Console, found: Wins, why: bool) -> None:
    """Print a line per phrase, the best first, and the move that answers it more strongly."""
    if not found.best:
        console.print("No target phrase ranks 11 to 30.")
        return
    table = plain_table("phrase", "storefront", "store", "rank", "value", "reach", "answered now", "move", "gain")
    for one in found.best:
        answer = one.answer
        now = SafeText(TIER_WORDS[answer.tier] if answer.tier else "not", "default" if answer.tier else "red")
        move = SafeText(move_words(one.move)) if one.move else SafeText("no move gains anything", "dim")
        gain = SafeText(f"{one.move.gain:+.1f}" if one.move else "", "green")
        place = SafeText(answer.phrase), SafeText(answer.storefront), SafeText(answer.store), rank_cell(answer.rank)
        table.add_row(*place, f"{answer.worth.value:.0f}", SafeText(one.reach), now, move, gain)
    console.print(table)
    if why:
        _print_why(console, found.best)
    if found.in_all > len(found.best):
        console.print(f"{counted(len(found.best), 'phrase')} of {found.in_all} that rank 11 to 30; --top shows more")


def move_words(move: WordMove) -> str:
    """Return a move for people, as `recipe into en-US keywords, in place of log`."""
    words, where = " ".join(move.words), f"{move.locale} {move.field}"
    if move.kind == "alternate":
        return f"{words} into {where}, by its alternate {move.alternate}"
    if move.kind == "place":
        return f"write {words} into {where}: {move.sentence}"
    return f"{words} into {where}" + (f", in place of {move.instead_of}" if move.instead_of else "")


def _print_why(console: Console, wins: list[Win]) -> None:
    for one in wins:
        if one.move:
            console.print(styled("[bold]{}[/]: {}", one.answer.phrase, TIER_WORDS[one.move.tier]), soft_wrap=True)
            for change in one.move.texts if one.move.kind != "place" else ():
                console.print(
                    styled("   {} {}: {} → {}", change.locale, change.address, change.before, change.after),
                    soft_wrap=True,
                )
            console.print(styled("   {}", one.move.command), soft_wrap=True)
    formula = (
        "Order: value × reach (1 within reach, 0.5 a stretch or unknown, 0.1 out of reach). Gain: value of the whole "
        "listing, what other phrases lose counted; of a sentence that you write, as if the words stood "
        "where it's marked: docs/results.md"
    )
    console.print(SafeText(formula, "dim"), soft_wrap=True)
