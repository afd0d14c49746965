"""The still picture of a video, and others of its frames."""

from tavolan.pictures.raster.canvas import Pixels
from tavolan.video.frames.piece_painter import painted_frames
from tavolan.video.frames.planes import pixels_of
from tavolan.video.frames.scene_painter import SceneStudio
from tavolan.video.plan import Piece, VideoJob


def poster_pixels(job: VideoJob, studio: SceneStudio) -> Pixels:
    """Return the frame that a video shows first, as BGRA pixels."""
    return frame_pixels(job, studio, job.poster)


def frame_pixels(job: VideoJob, studio: SceneStudio, number: int) -> Pixels:
    """Return one frame of a video as BGRA pixels."""
    shown = [
        (scene, number - start)
        for scene, start in zip(job.scenes, job.starts, strict=True)
        if 0 <= number - start < scene.frames
    ]
    planes = next(painted_frames(Piece(tuple(shown), 1, job.size, job.rate, job.tool), studio))
    return pixels_of(planes)
