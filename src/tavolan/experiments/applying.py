"""Write the winner of an experiment into the project: its texts, captions, order and looks; the journal gets a line."""

from dataclasses import dataclass

from tavolan.errors import UsageError
from tavolan.experiments.files import Experiment
from tavolan.experiments.variants import text_changes
from tavolan.experiments.verdicts import CONTROL
from tavolan.project.journal_by_hand import add_by_hand
from tavolan.project.load import SHOTS
from tavolan.project.model import ICON, Project
from tavolan.project.text_writing import TextWriter
from tavolan.project.texts import TextChange, Texts
from tavolan.project.toml_edit import TomlEditor
from tavolan.support.files import read_bytes, write_bytes
from tavolan.support.transaction import changing


@dataclass(frozen=True)
class Applied:
    """What was written: the winner, its texts, and what differs in shots.toml, in words."""

    winner: str
    texts: list[TextChange]
    shots: list[str]


def applied_note(one: Experiment) -> str:
    """Return what the journal says once the winner is the page."""
    return f"experiment {one.id}: {one.table.winner} is the page now"


def apply_winner(project: Project, one: Experiment, *, write: bool = True) -> Applied:
    """Write what differs in the winner, all of it or nothing.

    Raises UsageError without a winner, and where the present page has won; a text over its limit is refused.
    """
    winner = one.table.winner
    if not winner:
        raise UsageError(f"{one.id} has no winner yet", f"tavolan experiment judge {one.id} --apply")
    if winner == CONTROL:
        raise UsageError(f"the present page has won {one.id}: there's nothing to write", "Write down why, and go on.")
    variant, texts = one.table.variant[winner], Texts(project)
    changes = [one for one in text_changes(project, one.table.store, variant) if one.after != one.before]
    over = [f"{c.locale} {c.address}: {fault}" for c in changes if (fault := texts.over(c.locale, c.address, c.after))]
    if over:
        raise UsageError("\n".join([*over, "Nothing was written."]))
    editor = TomlEditor(project.root / SHOTS, SHOTS)
    said = []
    if variant.order:
        editor.order_tables("shot", variant.order)
        for order in project.shots.order:
            # It was tried in all size classes.
            editor.remove_from("order", {"device": order.device, "locale": order.locale})
        said.append(f"order: {', '.join(variant.order)}")
    looks = {**({shot.name: variant.look for shot in project.shots.shot} if variant.look else {}), **variant.looks}
    for key, values in (("look", looks), ("screen", variant.screens)):
        for shot, value in values.items():
            editor.set_in("shot", {"name": shot}, (key,), value)
            said.append(f"{shot}: {key} {value}")
    if write:
        with changing(project.root):
            TextWriter(texts).write(changes, "as before")
            editor.save()
            if variant.icon:
                write_bytes(project.root / ICON, read_bytes(project.root / variant.icon, variant.icon))
            add_by_hand(project, applied_note(one), "", [one.table.store], one.table.locales, "")
    return Applied(winner, changes, [*said, *([f"icon: {variant.icon}"] if variant.icon else [])])
