"""Small clips and projects with a preview video: frames that carry their number, titles that can be found by looking."""

import atexit
import shutil
from fractions import Fraction
from functools import cache
from pathlib import Path
from tempfile import TemporaryDirectory

import av
import numpy as np

from conftest import replace, write_project
from tavolan.sample.sounds import write_wave

SIZE = (96, 208)
RATE = 30
# The ground of frames, as it's coded: from full range to limited.
DARK = 50
RULES = """\
[video]
min_seconds = 1
[video.sizes]
"phone-6.9" = [96, 208]
"tablet-13" = [160, 212]
"""
STORYBOARD = """\
transition = "cut"
poster = 0.5

[sound]
music = "art/music.wav"

[[scene]]
name = "home"
clip = "home"
to = 1.5
title_from = 0.5
title_seconds = 0.7

[[scene]]
name = "kiln"
clip = "kiln"
from = 0.5
to = 1.5
title = ""

[[scene]]
name = "end"
shot = "kiln"
seconds = 0.5
"""
TITLES = {"en-US": ("Pots", "The end"), "de-DE": ("Topf", "Ende"), "ar-SA": ("جرار", "النهاية")}


def numbered(number: int, size: tuple[int, int] = SIZE, ground: int = 40) -> np.ndarray:
    """Return the luma of a frame that carries its number as eight blocks, dark or light, across its middle."""
    width, height = size
    luma = np.full((height, width), ground, np.uint8)
    block = width // 8
    for bit in range(8):
        luma[height // 2 - 12 : height // 2 + 12, bit * block : (bit + 1) * block] = 220 if number >> bit & 1 else 30
    return luma


def number_of(luma: np.ndarray) -> int:
    """Return the number that a frame carries."""
    height, width = luma.shape
    row = luma[height // 2 - 6 : height // 2 + 6].mean(axis=0)
    block = width / 8
    return sum(1 << bit for bit in range(8) if row[int((bit + 0.3) * block) : int((bit + 0.7) * block)].mean() > 125)


def write_clip(
    path: Path, lumas, rate=RATE, codec="libx264", pixel_format="yuv420p", times=None, container=None, **options
):
    """Write a clip of frames of luma; `times` are those of the frames, in seconds."""
    path.parent.mkdir(parents=True, exist_ok=True)
    lumas = list(lumas)
    with av.open(str(path), "w", format=container) as file:
        stream = file.add_stream(codec, rate=rate, options={"preset": "ultrafast", "crf": "10", **options})
        stream.width, stream.height, stream.pix_fmt = lumas[0].shape[1], lumas[0].shape[0], pixel_format
        stream.codec_context.time_base = Fraction(1, 3000)
        for number, luma in enumerate(lumas):
            frame = av.VideoFrame.from_ndarray(luma, format="gray").reformat(
                format=pixel_format, src_color_range="MPEG", dst_color_range="MPEG", dst_colorspace="ITU709"
            )
            second = times[number] if times else number / rate
            frame.pts, frame.time_base = round(second * 3000), Fraction(1, 3000)
            file.mux(stream.encode(frame))
        file.mux(stream.encode(None))
    return path


def frames_of(path: Path) -> list[np.ndarray]:
    """Return the luma of every frame, as a player would show them."""
    with av.open(str(path)) as file:
        return [np.frombuffer(f.planes[0], np.uint8).reshape(-1, f.planes[0].line_size)[:, : f.width].copy()
                for f in file.decode(video=0)]  # fmt: skip


def samples_of(path: Path) -> np.ndarray:
    """Return the samples of a file's sound, 2 x n at 48 kHz."""
    with av.open(str(path)) as file:
        return np.concatenate([frame.to_ndarray() for frame in file.decode(audio=0)], axis=1)


def tone(hertz: float, seconds: float, level: float = 0.5) -> np.ndarray:
    """Return a tone as samples (1 x n at 24 kHz)."""
    return level * np.sin(2 * np.pi * hertz * np.arange(round(seconds * 24_000)) / 24_000)[np.newaxis]


def film_project(root: Path) -> Path:
    """Write the small project with a storyboard, clips, music and a voice of one second."""
    return shutil.copytree(_written(), root)


@cache
def _written() -> Path:
    """Write the project once for all tests of a process."""
    folder = TemporaryDirectory()
    atexit.register(folder.cleanup)
    root = write_project(Path(folder.name) / "potto")
    (root / "rules").mkdir()
    (root / "rules/ios.toml").write_text(RULES, "utf-8")
    (root / "video.toml").write_text(STORYBOARD, "utf-8")
    for number, name in enumerate(("home", "kiln")):
        clip = root / "clips/en-US/phone-6.9" / f"{name}.mp4"
        write_clip(clip, (numbered(frame + 100 * number) for frame in range(60)))
    write_wave(root / "art/music.wav", tone(440, 2.0))
    write_wave(root / "voice/en-US/home.wav", tone(2000, 1.0))
    for tag, (home, end) in TITLES.items():
        replace(root / f"copy/{tag}.toml", "[captions]", f'[titles]\nhome = "{home}"\nend = "{end}"\n\n[captions]')
    return root
