"""Write the sample project: its text files, and the raw screens that the generator draws."""

import signal
from collections.abc import Callable
from concurrent.futures import Executor, ProcessPoolExecutor, ThreadPoolExecutor, as_completed
from pathlib import Path

from tavolan.errors import UsageError
from tavolan.project.starter import GIT_ATTRIBUTES
from tavolan.support.files import write_bytes
from tavolan.support.own_processes import spawning
from tavolan.support.shipped import shipped_bytes, shipped_toml
from tavolan.support.toml_file import read_toml

HERE = Path(__file__).parent / "kilnary"
# Size class: width and height in pixels, and pixels per point.
SIZES = {"phone-6.9": ((1290, 2796), 3.0), "tablet-13": ((2064, 2752), 3.0), "tablet-10": ((1600, 2560), 2.5)}
# From this many screens on, processes draw them.
_WORTH_PROCESSES = 30


def sample_files() -> dict[str, bytes]:
    """Return the sample's text files by their path in the project."""
    return {p.relative_to(HERE).as_posix(): shipped_bytes(p) for p in sorted(HERE.rglob("*")) if p.is_file()}


def write_texts(folder: Path) -> int:
    """Write the sample's text files that aren't there yet; return how many.

    Raises UsageError when the folder holds something else.
    """
    marker = folder / "tavolan.toml"
    if folder.exists() and not folder.is_dir():
        raise UsageError(f"{folder} is a file", "Choose another folder.")
    if folder.exists() and any(folder.iterdir()):
        is_ours = marker.is_file() and read_toml(marker, str(marker))[0].get("app", {}).get("name") == "Kilnary"
        if not is_ours:
            raise UsageError(f"{folder} holds other files", "Choose an empty or a new folder.")
    written = 0
    for name, data in {**sample_files(), ".gitignore": b"out/\n", ".gitattributes": GIT_ATTRIBUTES.encode()}.items():
        if not (folder / name).exists():
            write_bytes(folder / name, data)
            written += 1
    return written


def sample_locales() -> list[str]:
    """Return the sample's locales, the source locale first."""
    return list(shipped_toml(HERE / "tavolan.toml")["app"]["locales"])


def write_screens(
    folder: Path, progress: Callable[[int, int], None] | None = None, locales: list[str] | None = None
) -> int:
    """Draw the art and the raw screens that aren't there yet (of all the sample's locales by default).

    Returns how many screens were drawn.
    """
    from tavolan.sample.app_screens import SCREENS

    _write_art(folder)
    wanted = [
        (folder / "screens" / locale / size_class / f"{name}.png", name, locale, size_class)
        for locale in locales or sample_locales()
        for size_class in SIZES
        for name in SCREENS
    ]
    missing = [item for item in wanted if not item[0].exists()]
    pool = _pool(len(missing))
    try:
        futures = [pool.submit(_draw_one, *item) for item in missing]
        for done, future in enumerate(as_completed(futures), 1):
            future.result()
            if progress:
                progress(done, len(missing))
    finally:
        pool.shutdown(cancel_futures=True)
    return len(missing)


def _pool(count: int) -> Executor:
    """Return what draws screens: processes where they are worth their start, since drawing holds Python's lock."""
    from tavolan.pictures.making.workers import worker_count

    if count < _WORTH_PROCESSES:
        return ThreadPoolExecutor(worker_count())
    # A child leaves the interrupt to its parent, which then drops what waits.
    ignored = (signal.SIGINT, signal.SIG_IGN)
    return ProcessPoolExecutor(worker_count(), spawning(), signal.signal, ignored)


def _write_art(folder: Path) -> None:
    from tavolan.pictures.raster import png
    from tavolan.sample.art import icon, studio

    for name, make in (("icon", icon), ("studio", studio)):
        path = folder / "art" / f"{name}.png"
        if not path.exists():
            write_bytes(path, png.write(make()))


def _draw_one(path: Path, name: str, locale: str, size_class: str) -> None:
    from tavolan.pictures.raster import png
    from tavolan.sample.app_screens import draw

    size, scale = SIZES[size_class]
    write_bytes(path, png.write(draw(name, size, scale, locale).pixels, png.LIGHT))
