"""What decides how a video looks and sounds besides its inputs: our code, and the libraries it works with."""

from functools import cache
from importlib.metadata import version
from pathlib import Path

from tavolan.pictures.making.drawing_version import digest_of_drawing, drawing_version

_VIDEO = Path(__file__).parent
# Files and folders of ours whose change may change a frame or a sample.
VIDEO_CODE = (
    _VIDEO / "frames",
    _VIDEO / "sound",
    _VIDEO / "plan.py",
    _VIDEO / "placing.py",
    _VIDEO / "title_sizes.py",
    _VIDEO / "encoding.py",
)
_LIBRARIES = ("av", "numpy")


@cache
def video_version() -> str:
    """Return a digest of the code that makes videos and of the versions of its libraries."""
    return drawing_version() + digest_of_drawing(VIDEO_CODE, tuple(map(version, _LIBRARIES)))
