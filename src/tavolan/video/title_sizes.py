"""The size of titles: the largest at which all of a style fit, so that a video looks of one piece."""

from collections.abc import Callable
from dataclasses import replace

from tavolan.pictures.design.layout import PixelBox
from tavolan.pictures.making.caption_sizes import Setters, fitted_size
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
        replace(
            scene,
            title=replace(
                scene.title, size=max(1, int(shares[scene.title.style_name] * scene.title.style.size * scale))
            ),
        )
        if scene.title
        else scene
        for scene in scenes
    ]


def _fit(setters: Setters, title: Title, scene: str, scale: float, report: Report) -> int | None:
    too_long = f"is too long for the title style {title.style_name}: not even its smallest size fits"
    return fitted_size(
        setters.of(title.locale),
        title.text,
        title.style.text_rules(title.in_look),
        PixelBox(*title.box),
        scale,
        lambda message, remedy: report(title, scene, message, remedy),
        (too_long, "Shorten it, or choose a style with more room."),
    )
