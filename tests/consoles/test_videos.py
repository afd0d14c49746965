"""Handing the preview video over: what a project has for a console, what the stand-in takes and what it refuses."""

import hashlib

import numpy as np
import pytest
from desk import opened_desk

import tavolan
from films import film_project, numbered, write_clip
from tavolan.consoles.content import Place, holding_of
from tavolan.consoles.protocol import SetOrder
from tavolan.consoles.store_console import ConsoleError
from tavolan.pictures.making.planner import Selection
from tavolan.pictures.raster.png import write as png
from tavolan.video.render import render_videos


def test_a_project_has_each_video_with_its_still_picture_and_none_where_they_are_published_elsewhere(tmp_path):
    root = film_project(tmp_path / "potto")
    project = tavolan.open_project(root)
    render_videos(project, Selection(locales=("en-US",)))
    held = holding_of(project, project.stores["ios"])
    digests = held.content[Place("pictures", "en-US", "video-phone-6.9")]
    names = [held.files[sha256].name for sha256 in digests]
    assert names == ["preview.mp4", "poster.png"] and Place("pictures", "de-DE", "video-phone-6.9") not in held.content
    (root / "rules/ios.toml").write_text('[video]\nhosted_by = "marketing_url"\n')
    project = tavolan.open_project(root)
    assert not [
        place for place in holding_of(project, project.stores["ios"]).content if place.field.startswith("video")
    ]


@pytest.mark.parametrize(
    ("store", "size", "faults"),
    [
        # Any size of 720 lines or more, of any length.
        ("maker", (96, 720), ("can't be read as a clip", "is no picture", "takes 2 pictures, not 3")),
        ("ios", (96, 208), ("is 96 x 208 pixels",)),
    ],
)
def test_the_console_takes_a_video_as_the_store_asks_and_refuses_others(tmp_path, store, size, faults):
    video = write_clip(tmp_path / "v.mp4", (numbered(n, size) for n in range(9)), movflags="faststart")
    poster = tmp_path / "poster.png"
    poster.write_bytes(png(np.full((size[1], size[0], 4), 255, np.uint8)))
    with opened_desk(tmp_path / "potto", store) as desk:
        digests = {path: hashlib.sha256(path.read_bytes()).hexdigest() for path in (video, poster)}
        for path, sha256 in digests.items():
            desk.client.upload(path, sha256)
        desk.client.begin_version("2.0")
        place = "video-phone" if store == "maker" else "video-phone-6.9"

        def order(*files, where=place):
            wanted = SetOrder(kind="video", pictures=[digests[file] for file in files])
            return desk.client.order_pictures("en-US", where, wanted, "")

        spoiled = ((poster, video), (video, video), (video, poster, poster)) if store == "maker" else ((video, poster),)
        for files, said in zip(spoiled, faults, strict=True):
            with pytest.raises(ConsoleError, match=said):
                order(*files)
        with pytest.raises(ConsoleError, match="no video video-watch"):
            order(video, poster, where="video-watch")
        if store == "maker":
            order(video, poster)
            kept = desk.client.picture_set("en-US", place).value
            assert kept.kind == "video" and [one.format for one in kept.pictures] == ["mp4", "png"]
            assert (kept.pictures[0].width, kept.pictures[0].height) == size
