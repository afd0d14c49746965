"""A project's shots as a variant or a season changes them."""

from tavolan.project.schema import PageChanges, Shot, Shots


def changed_shots(shots: Shots, changes: PageChanges) -> Shots:
    """Return shots with other looks, screens and another order. Shots that `order` doesn't name follow the others."""
    named = {shot.name: shot for shot in shots.shot}
    order = [*changes.order, *(shot.name for shot in shots.shot if shot.name not in changes.order)]
    changed: dict[str, object] = {"look": changes.look} if changes.look else {}
    if changes.order:
        # It's for all size classes and locales, whatever order they have otherwise.
        changed["order"] = []
    return shots.model_copy(update={"shot": [_shot(named[name], changes) for name in order], **changed})


def _shot(shot: Shot, changes: PageChanges) -> Shot:
    look = changes.looks.get(shot.name, changes.look)
    updates = {"look": look} if look else {}
    if shot.name in changes.screens:
        updates["screen"] = changes.screens[shot.name]
    return shot.model_copy(update=updates)
