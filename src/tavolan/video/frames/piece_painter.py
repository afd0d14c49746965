"""Paint the frames of a piece: its scene, or one that comes in over another, with their titles."""

from __future__ import annotations

from collections.abc import Generator
from contextlib import ExitStack
from typing import TYPE_CHECKING

from tavolan.video.frames.planes import Planes, copied, mixed, pushed
from tavolan.video.frames.scene_painter import ScenePainter, SceneStudio
from tavolan.video.frames.title_painter import lay_title, title_state

if TYPE_CHECKING:
    from tavolan.video.plan import Piece, Scene


def painted_frames(piece: Piece, studio: SceneStudio) -> Generator[Planes]:
    """Yield the frames of a piece, each valid until the next. Raises ProjectError for a clip that can't be read."""
    with ExitStack() as stack:
        painters = []
        for scene, first in piece.scenes:
            painter = _TitledPainter(scene, studio, max(0, first))
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
                own = painter.frame(at)
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


class _TitledPainter:
    """Paints the frames of one scene with its title; what stays the same over several frames is painted once."""

    def __init__(self, scene: Scene, studio: SceneStudio, first: int) -> None:
        self.scene, self.studio = scene, studio
        self._bare = ScenePainter(scene, studio, first)
        self._last: tuple[Planes, object, Planes] | None = None

    def close(self) -> None:
        """Give the clip back."""
        self._bare.close()

    def frame(self, number: int) -> Planes:
        """Return a frame of the scene, not to be changed."""
        planes, title = self._bare.frame(number), self.scene.title
        if title is None or not title.first <= number < title.end:
            return planes
        painted = self.studio.title(title)
        state = title_state(title, painted, number - title.first, self.studio.rate, planes[0].shape)
        if self._last is None or self._last[0] is not planes or self._last[1] != state:
            made = planes if painted.opaque and state.is_whole else copied(planes)
            self._last = planes, state, lay_title(made, painted, state)
        return self._last[2]
