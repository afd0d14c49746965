"""The size of titles: the largest at which all of a style fit, so that a video looks of one piece."""

from collections.abc import Callable
from dataclasses import replace

from tavolan.pictures.design.layout import PixelBox
from tavolan.pictures.making.caption_sizes import Setters
from tavolan.pictures.text.caption import split
from tavolan.pictures.text.fonts import MissingCharactersError, describe
from tavolan.project.caption_markup import MarkupError
from tavolan.video.plan import Scene, Title

# Takes the title, the scene's name, what's wrong, and what to do.
Report = Callable[[Title, str, str, str], None]


def fitted_titles(setters: Setters, scenes: list[Scene], size: tuple[int, int], report: Report) -> list[Scene]:
    """Return scenes with the sizes of their titles in pixels; titles of one style have one size."""
    scale = (size[0] * size[1]) ** 0.5
    shares: dict[str, float] = {}
    for scene in scenes:
        title = scene.title
        if title is None:
            continue
        found = _fit(setters, title, scene.name, scale, report)
        share = found / (title.style.size * scale) if found else 1.0
        shares[title.style_name] = min(share, shares.get(title.style_name, 1.0))
    return [
        replace(scene, title=replace(
            scene.title, size=max(1, int(shares[scene.title.style_name] * scene.title.style.size * scale))
        )) if scene.title else scene
        for scene in scenes
    ]  # fmt: skip


def _fit(setters: Setters, title: Title, scene: str, scale: float, report: Report) -> int | None:
    try:
        rules = title.style.text_rules(title.in_look)
        size = setters.of(title.locale).fitted(split(title.text), rules, PixelBox(*title.box), scale)
    except MarkupError as error:
        report(title, scene, str(error), "Write \\* for a star that is meant as one.")
        return None
    except MissingCharactersError as error:
        message = f"has a character that no font has: {describe(error.characters)}"
        report(title, scene, message, "Put a font that has it into art/fonts, or write it otherwise.")
        return None
    if size is None:
        report(title, scene, f"is too long for the title style {title.style_name}: not even its smallest size fits",
               "Shorten it, or choose a style with more room.")  # fmt: skip
    return size
