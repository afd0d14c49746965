"""What a swap of words does, for people: the texts, and phrase by phrase."""

from rich.console import Console

from tavolan.reports.copytables import print_changes
from tavolan.reports.rank_words import rank_cell
from tavolan.reports.styled import SafeText, styled
from tavolan.reports.tables import plain_table
from tavolan.support.number_words import counted
from tavolan.words.swap import Swap, SwapKind
from tavolan.words.value import TIER_WORDS

_STYLES: dict[SwapKind, str] = {"won": "bold green", "stronger": "green", "weaker": "yellow", "lost": "bold red"}


def print_swap(console: Console, swap: Swap) -> None:
    """Print the texts before and after, the phrases whose answers differ, and the value."""
    print_changes(console, swap.texts)
    for place in swap.places:
        console.print(styled("[bold]{}[/]  {}", place.locale, place.address))
        console.print(styled("  [yellow]?[/] {}", place.sentence), soft_wrap=True)
    if swap.places:
        console.print("  You write these sentences: --locale TAG --field FIELD --sentence TEXT --apply", style="dim")
    if swap.left_out:
        tags = ", ".join(swap.left_out)
        console.print(
            SafeText(f"Left as they are: {tags}. The new word is none of their language; --locale names one.")
        )
    for fault in swap.over:
        console.print(SafeText(fault, "bold red"))
    if swap.phrases:
        table = plain_table("store", "storefront", "", "phrase", "answered now", "then", "value", "rank")
        for one in swap.phrases:
            table.add_row(
                SafeText(one.store),
                SafeText(one.storefront),
                SafeText(one.kind, _STYLES[one.kind]),
                SafeText(one.phrase),
                SafeText(TIER_WORDS[one.before] if one.before else "not", "dim"),
                SafeText(TIER_WORDS[one.after] if one.after else "not"),
                SafeText(f"{one.value:+.1f}"),
                rank_cell(one.rank),
            )
        console.print(table)
    kinds = [one.kind for one in swap.phrases]
    counts = ", ".join(f"{kinds.count(kind)} {kind}" for kind in _STYLES if kind in kinds)
    texts = counted(len(swap.texts) + len(swap.places), "text")
    console.print(
        styled(
            "[bold]{}[/] in {}: value {:.1f} → [bold]{:.1f}[/]",
            counts or "No phrase is answered otherwise",
            texts,
            swap.before,
            swap.after,
        )
    )
