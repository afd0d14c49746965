"""A project as a variant of an experiment shows it: other shots, looks, screens, captions and texts."""

from dataclasses import replace

from tavolan.project.experiment_schema import VariantTable
from tavolan.project.hypothetical import with_texts
from tavolan.project.model import Project
from tavolan.project.page_changes import changed_shots
from tavolan.project.texts import TextChange, Texts


def as_variant(project: Project, store: str, variant: VariantTable) -> Project:
    """Return the project with what differs in a variant; no file is written.

    Shots that `order` doesn't name follow those that it names. Raises UnknownNameError for a text that isn't there.
    """
    return with_texts(
        replace(project, shots=changed_shots(project.shots, variant)), text_changes(project, store, variant)
    )


def text_changes(project: Project, store: str, variant: VariantTable) -> list[TextChange]:
    """Return the texts and captions that differ, where the store reads them."""
    texts = Texts(project)
    wanted = [(tag, f"captions.{key}", text) for tag, own in variant.captions.items() for key, text in own.items()]
    wanted += [
        (tag, texts.address_for(store, tag, key), text)
        for tag, own in variant.texts.items()
        for key, text in own.items()
    ]
    return [TextChange(tag, address, texts.get(tag, address), text) for tag, address, text in wanted]
