"""Paint the frames of a piece: its scene, or one that comes in over another, with their titles."""

from __future__ import annotations

from collections.abc import Iterator
from contextlib import ExitStack
from typing import TYPE_CHECKING

from tavolan.video.frames.planes import Planes, copied, mixed, pushed
from tavolan.video.frames.scene_painter import ScenePainter, SceneStudio
from tavolan.video.frames.title_painter import lay_title

if TYPE_CHECKING:
    from tavolan.video.plan import Piece, Scene


def painted_frames(piece: Piece, studio: SceneStudio) -> Iterator[Planes]:
    """Yield the frames of a piece, each valid until the next. Raises ProjectError for a clip that can't be read."""
    with ExitStack() as stack:
        painters = []
        for scene, first in piece.scenes:
            painter = ScenePainter(scene, studio)
            stack.callback(painter.close)
            painters.append((scene, first, painter))
        for number in range(piece.count):
            shown = [
                (scene, first + number, painter)
                for scene, first, painter in painters
                if 0 <= first + number < scene.frames
            ]
            made: Planes | None = None
            for scene, at, painter in shown:
                own = _titled(painter.frame(at), scene, at, studio)
                made = own if made is None else _over(made, own, scene, at)
            assert made is not None
            yield made


def _over(before: Planes, own: Planes, scene: Scene, frame: int) -> Planes:
    """Return a frame of a scene that comes in over the one before."""
    share = (frame + 1) / (scene.overlap + 1)
    if scene.transition == "slide":
        eased = share * share * (3 - 2 * share)
        return pushed(before, own, eased, leftwards=not scene.mirrored)
    return mixed(before, own, share)


def _titled(planes: Planes, scene: Scene, frame: int, studio: SceneStudio) -> Planes:
    title = scene.title
    if title is None or not title.first <= frame < title.end:
        return planes
    made = copied(planes)
    lay_title(made, studio.title(title), title, frame - title.first, studio.rate)
    return made
