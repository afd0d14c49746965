"""What `tavolan undo` says."""

from collections.abc import Sequence

from tavolan.support.number_words import counted, some_of
from tavolan.support.undo import DoneChange

# So many files are named.
_NAMED = 6


def list_words(changes: Sequence[DoneChange]) -> str:
    """Return a line for each change, the newest first: it's the first to be undone."""
    if not changes:
        return "There is nothing to undo: no command wrote anything yet.\n"
    return "".join(_line(number, change) for number, change in enumerate(changes, start=1))


def _line(number: int, change: DoneChange) -> str:
    when = change.when.astimezone().strftime("%Y-%m-%d %H:%M")
    sent = "  (sent something: can't be undone)" if change.sent else ""
    return f"{number:>3}  {when}  {change.command}  {counted(len(change.files), 'file')}{sent}\n"


def change_words(change: DoneChange, dry_run: bool) -> str:
    """Say what was undone, or what would be."""
    said = "Would undo" if dry_run else "Undone"
    end = "Nothing was undone: --dry-run.\n" if dry_run else ""
    return f"{said}: {change.command}\nAs before it: {some_of(change.files, _NAMED)}\n{end}"
