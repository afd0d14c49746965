"""Measure the preview video: against the ffmpeg program, one more language against the first, memory over length."""

from __future__ import annotations

import shutil
import subprocess
import sys
import tempfile
import time
from pathlib import Path

from bench import PROGRAM
from scale import measured

import tavolan
from tavolan.pictures.making.planner import Selection
from tavolan.sample.clips import write_clips
from tavolan.sample.sounds import write_sounds
from tavolan.sample.write import write_screens, write_texts
from tavolan.video.encoding import QUALITY, encoder_options
from tavolan.video.frames.piece_painter import painted_frames
from tavolan.video.frames.scene_painter import SceneStudio
from tavolan.video.planner import VideoPlanner

CLASS = "phone-6.9"


def project_in(folder: Path) -> Path:
    """Write a project whose languages differ in titles and voice only: clips and screens are those of en-US."""
    root = folder / "kilnary"
    write_texts(root)
    write_screens(root, locales=["en-US"])
    write_clips(root, ["en-US"], [CLASS])
    write_sounds(root, ["en-US", "de-DE"])
    return root


def raw_frames(root: Path, target: Path) -> tuple[int, tuple[int, int], int]:
    """Write the frames of the video as they're encoded; return how many, their size, and how many a second."""
    job = VideoPlanner(tavolan.open_project(root)).jobs(Selection(("ios",), ("en-US",), (CLASS,)))[0]
    studio = SceneStudio(root, job.size, job.rate)
    with target.open("wb") as file:
        for piece in job.pieces:
            for planes in painted_frames(piece, studio):
                for plane in planes:
                    file.write(plane.tobytes())
    return job.frames, job.size, job.rate


def render(root: Path, locale: str) -> tuple[float, float]:
    """Return seconds and memory of rendering one language's video."""
    return measured("video", "render", "--project", str(root), "--store", "ios", "--device", CLASS, "--locale", locale)


def encode(frames: Path, size: tuple[int, int], rate: int, target: Path) -> float:
    """Return the seconds that the ffmpeg program takes for the same frames, with the same settings."""
    options = {name: value for name, value in encoder_options(QUALITY).items() if name != "threads"}
    source = ["-f", "rawvideo", "-pix_fmt", "yuv420p", "-s", f"{size[0]}x{size[1]}", "-r", str(rate), "-i", str(frames)]
    options["profile:v"] = options.pop("profile")
    settings = [part for name, value in options.items() for part in (f"-{name}", value)]
    command = [
        "ffmpeg",
        "-y",
        "-v",
        "error",
        *source,
        "-c:v",
        "libx264",
        *settings,
        "-movflags",
        "+faststart",
        str(target),
    ]
    begin = time.perf_counter()
    subprocess.run(command, check=True)
    return time.perf_counter() - begin


def longer(root: Path) -> None:
    """Let the video show its scenes three times over: a minute."""
    path = root / "video.toml"
    head, *scenes = path.read_text("utf-8").split("[[scene]]")
    again = [
        scene.replace('name = "', f'name = "again-{number}-', 1).replace("\nstyle", '\ntitle = ""\nstyle', 1)
        for number in (2, 3) for scene in scenes
    ]  # fmt: skip
    path.write_text("[[scene]]".join([head, *scenes, *again]).replace('title = ""\ntitle', "title"), "utf-8")


def main() -> None:
    """Measure, and print ratios."""
    if not shutil.which("ffmpeg"):
        sys.exit("This compares with the ffmpeg program, which isn't installed.")
    with tempfile.TemporaryDirectory() as name:
        folder = Path(name)
        root = project_in(folder)
        count, size, rate = raw_frames(root, folder / "frames.yuv")
        print(f"{PROGRAM}: {count} frames of {size[0]}x{size[1]}, {count / rate:.1f} s")
        ours, theirs, seconds = [], [], []
        for _ in range(3):
            shutil.rmtree(root / "out", ignore_errors=True)
            theirs.append(encode(folder / "frames.yuv", size, rate, folder / "theirs.mp4"))
            took, memory = render(root, "en-US")
            ours.append(took)
            more, _ = render(root, "de-DE")
            seconds.append(more / took)
            print(f"ffmpeg {theirs[-1]:.2f} s, tavolan {took:.2f} s ({memory:.0f} MB), {took / theirs[-1]:.2f} x; "
                  f"one more language {more:.2f} s, {more / took:.0%} of the first")  # fmt: skip
        ratios = sorted(a / b for a, b in zip(ours, theirs, strict=True))
        print(
            f"tavolan by ffmpeg: {ratios[1]:.2f}, at most 1.3; one more language: {sorted(seconds)[1]:.0%}, at most 70%"
        )
        longer(root)
        took, more_memory = render(root, "en-US")
        print(f"three times as long: {more_memory:.0f} MB after {memory:.0f} MB, {took:.2f} s")


if __name__ == "__main__":
    main()
