"""See what's wrong with frames as they pass: black or frozen stretches, flashes.

Of each frame a small grid of brightness is kept, so that a video of any length takes little memory.
"""

from collections.abc import Iterable, Iterator

import numpy as np
from numpy.typing import NDArray

from tavolan.project.video_records import Stretch, Watched
from tavolan.video.frames.planes import Plane

# Rows and columns of the grid.
ROWS, COLUMNS = 24, 12
# Every so many pixels are looked at.
_STEP = 6
# Luma (16 is black) up to which a cell is black, and seconds from which black or stillness is worth a word.
_BLACK_LUMA = 24
MOST_BLACK, MOST_FROZEN = 0.5, 5.0
# How much a pixel's luma may change from coding alone.
_STILL_CHANGE = 6
# WCAG 2.2, general flash threshold: a change of relative luminance by 10 % of the most, the darker below 0.80, over a
# quarter of any 10 degrees of the visual field; here, of the picture, which a phone in the hand hardly exceeds.
_FLASH_STEP, _FLASH_DARK, _FLASH_AREA = 0.10, 0.80, 0.25
MOST_FLASHES = 3

Sight = NDArray[np.uint8]
Coarse = NDArray[np.int16]


def sight_of(luma: Plane, before: Coarse | None) -> tuple[Sight, Coarse]:
    """Return what's kept of a frame, and what the next one is compared with.

    That's the mean luma of each cell, and last the most that a pixel changed since the frame before.
    """
    looked_at = luma[::_STEP, ::_STEP].astype(np.int16)
    height, width = looked_at.shape
    rows = np.linspace(0, height, min(ROWS, height) + 1).astype(int)[:-1]
    columns = np.linspace(0, width, min(COLUMNS, width) + 1).astype(int)[:-1]
    sums = np.add.reduceat(np.add.reduceat(looked_at, rows, axis=0, dtype=np.int32), columns, axis=1)
    counts = np.outer(np.diff([*rows, height]), np.diff([*columns, width]))
    cells = np.zeros(ROWS * COLUMNS, np.uint8)
    cells[: sums.size] = (sums // counts).ravel()
    change = 255
    if before is not None and before.shape == looked_at.shape:
        change = int(np.abs(looked_at - before).max(initial=0))
    return np.append(cells, np.uint8(min(255, change))), looked_at


def sights(lumas: Iterable[Plane]) -> Iterator[Sight]:
    """Yield what's kept of each frame."""
    before = None
    for luma in lumas:
        sight, before = sight_of(luma, before)
        yield sight


def watched(kept: list[Sight], rate: float) -> Watched:
    """Return what's wrong with the frames of which this was kept, at `rate` frames a second."""
    if not kept:
        return Watched()
    table = np.stack(kept)
    cells, change = table[:, :-1], table[:, -1]
    black = (cells <= _BLACK_LUMA).mean(axis=1) > 0.98
    # A frame that's like the one before belongs to a still stretch together with that one.
    still = np.append(change[1:] <= _STILL_CHANGE, False)
    still |= change <= _STILL_CHANGE
    return Watched(
        black=stretches(black, rate, MOST_BLACK),
        frozen=stretches(still & ~black, rate, MOST_FROZEN),
        flashing=_flashing(cells, rate),
    )


def stretches(flags: NDArray[np.bool_], rate: float, least: float) -> tuple[Stretch, ...]:
    """Return the stretches of at least so many seconds in which a flag holds."""
    edges = np.flatnonzero(np.diff(np.concatenate([[False], flags, [False]]).astype(np.int8)))
    found = zip(edges[::2].tolist(), edges[1::2].tolist(), strict=True)
    return tuple(Stretch(a / rate, b / rate) for a, b in found if (b - a) / rate >= least)


def _flashing(cells: Sight, rate: float) -> tuple[Stretch, ...]:
    """Return where more than three flashes happen within a second: a flash is a change one way and back."""
    light = (np.clip((cells.astype(np.float32) - 16) / 219, 0, 1)) ** 2.4
    turns = np.zeros(light.shape, bool)
    extreme, direction = light[0].copy(), np.zeros(light.shape[1], np.int8)
    for number in range(1, len(light)):
        now = light[number]
        # While a cell goes on in one direction, its last extreme moves with it.
        extreme = np.where(
            direction > 0, np.maximum(extreme, now), np.where(direction < 0, np.minimum(extreme, now), extreme)
        )
        step = now - extreme
        turn = (np.abs(step) >= _FLASH_STEP) & (np.minimum(now, extreme) < _FLASH_DARK)
        turns[number] = turn
        direction = np.where(turn, np.sign(step).astype(np.int8), direction)
        extreme = np.where(turn, now, extreme)
    window = max(1, round(rate))
    counts = np.cumsum(turns, axis=0, dtype=np.int32)
    counts[window:] = counts[window:] - counts[:-window]
    # Two turns make a flash.
    flashing = (counts > 2 * MOST_FLASHES).mean(axis=1) >= _FLASH_AREA
    return stretches(flashing, rate, 0.0)
