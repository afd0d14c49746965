"""The still picture of a video."""

from contextlib import closing

from tavolan.pictures.raster.canvas import Pixels
from tavolan.video.frames.piece_painter import painted_frames
from tavolan.video.frames.planes import pixels_of
from tavolan.video.frames.scene_painter import SceneStudio
from tavolan.video.plan import VideoJob


def poster_pixels(job: VideoJob, studio: SceneStudio) -> Pixels:
    """Return the frame that a video shows first, as BGRA pixels."""
    with closing(painted_frames(job.piece(job.poster, job.poster + 1), studio)) as frames:
        return pixels_of(next(frames))
