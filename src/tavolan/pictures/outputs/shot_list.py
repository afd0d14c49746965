"""Change which shots there are: add one, take some out, bring them into another order."""

from collections.abc import Sequence
from dataclasses import dataclass

from tavolan.errors import UnknownNameError, UsageError
from tavolan.pictures.design.look import look_names
from tavolan.pictures.outputs.new_shots import LOOK_OF_WIDE, shots_editor, source_editor
from tavolan.project.icon_records import ICON_PLACE
from tavolan.project.load import load_project
from tavolan.project.model import Project
from tavolan.project.schema import Picture, name_fault
from tavolan.project.screens import ScreenIndex
from tavolan.project.toml_edit import TomlEditor, TomlValue
from tavolan.rulebooks.model import Graphic


@dataclass(frozen=True)
class AddedShot:
    """A shot or a graphic to be: its name, the screen that it shows (else the one of its name), its look.

    It's put before the shot that `before` names, else behind all. `captioned` says whether it has a caption.
    """

    name: str
    screen: str = ""
    look: str = ""
    before: str = ""
    captioned: bool = True


def add_shot(project: Project, shot: AddedShot) -> bool:
    """Write one more shot of a screen that's there, or a graphic that a store asks for; whether its caption is empty.

    A graphic without a screen shows the first shot's. Raises UsageError for a name that's taken or that can't be one,
    and for a screen, a look or a shot that isn't there.
    """
    graphic = _graphic(project, shot.name)
    names = [each.name for each in (*project.shots.shot, *project.shots.graphic)]
    if not graphic and (fault := name_fault(shot.name)):
        raise UsageError(*fault)
    if shot.name in names:
        raise UsageError(f'there is a shot "{shot.name}" already', "Give the new one another name.")
    screen = _screen_there(project, shot, graphic)
    if shot.look and shot.look not in (looks := look_names(project.root)):
        raise UnknownNameError("there is no look", shot.look, looks, option="--look")
    shots = [each.name for each in project.shots.shot]
    if shot.before and shot.before not in shots:
        raise UnknownNameError("there is no shot", shot.before, shots, option="--before")
    look = shot.look or (LOOK_OF_WIDE if graphic and graphic.sizes[0][0] > graphic.sizes[0][1] else "")
    table: dict[str, TomlValue] = {"name": shot.name, "screen": screen}
    table |= {"look": look} if look else {}
    editor, texts = shots_editor(project), source_editor(project)
    editor.add_to("graphic" if graphic else "shot", table if shot.captioned else {**table, "caption": ""})
    if shot.before:
        place = shots.index(shot.before)
        editor.order_tables("shot", [*shots[:place], shot.name, *shots[place:]])
    if shot.captioned and texts.get(("captions", shot.name)) is None:
        texts.set(("captions", shot.name), "")
    editor.save()
    texts.save()
    return shot.captioned and not texts.get(("captions", shot.name))


def _graphic(project: Project, name: str) -> Graphic | None:
    """Return the graphic of a store that has this name; None where it's a shot's. Icons are made from their master."""
    graphics = (store.rulebook.graphics.get(name) for store in project.stores.values())
    return next((each for each in graphics if each and name != ICON_PLACE), None)


def _screen_there(project: Project, shot: AddedShot, graphic: Graphic | None) -> str:
    screens = ScreenIndex(project).names()
    first = next((each.screen for each in project.shots.shot), "") if graphic else ""
    screen = shot.screen or first or shot.name
    if screen in screens:
        return screen
    if not screens:
        raise UsageError(f'there is no screen "{screen}"', "Take it in first: tavolan shots new FILE")
    raise UnknownNameError("there is no screen", screen, screens)


def remove_shots(project: Project, names: Sequence[str]) -> None:
    """Take shots out of `shots.toml`, also of its orders; screens and captions stay.

    Raises UsageError for one that isn't there, and ProjectError where a season or a variant still speaks of one.
    """
    editor, gone = shots_editor(project), _known(names, [*project.shots.shot, *project.shots.graphic])
    for name in gone:
        editor.remove_from("shot", {"name": name})
        editor.remove_from("graphic", {"name": name})
    for order in project.shots.order:
        where, left = {"device": order.device, "locale": order.locale}, [n for n in order.shots if n not in gone]
        if left:
            editor.set_in("order", where, ("shots",), left)
        else:
            editor.remove_from("order", where)
    editor.save()
    load_project(project.root)


def order_shots(project: Project, names: Sequence[str], device: str = "", locale: str = "") -> list[str]:
    """Bring shots into an order, those that aren't named behind, as they were. Return the names of those made.

    With a size class or a locale, or both, the order is one of its own there; without names it's the usual one again.
    Raises UsageError for what isn't there.
    """
    first, editor = _known(names, project.shots.shot), shots_editor(project)
    if not device and not locale:
        if not first:
            raise UsageError("no shot is named", "Name those that come first.")
        editor.order_tables("shot", [*first, *(shot.name for shot in project.shots.shot if shot.name not in first)])
    else:
        _set_own_order(project, editor, first, device, locale)
    editor.save()
    after = load_project(project.root)
    known = device or next((name for store in after.stores.values() for name in after.classes_of(store)), "")
    return [shot.name for shot in after.shots_for(known, locale or after.source_locale)]


def _set_own_order(project: Project, editor: TomlEditor, first: list[str], device: str, locale: str) -> None:
    classes = [name for store in project.stores.values() for name in store.rulebook.classes]
    if device and device not in classes:
        raise UnknownNameError("there is no size class", device, classes, option="--device")
    if locale:
        project.pick("--locale", [locale], project.app.locales)
    where = {"device": device, "locale": locale}
    editor.remove_from("order", where)
    if first:
        named = {key: value for key, value in where.items() if value}
        editor.add_to("order", {**named, "shots": first})


def _known(names: Sequence[str], pictures: Sequence[Picture]) -> list[str]:
    there = [picture.name for picture in pictures]
    for name in names:
        if name not in there:
            raise UnknownNameError("there is no shot", name, there)
    return list(dict.fromkeys(names))
