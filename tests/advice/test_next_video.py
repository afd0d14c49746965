"""What to do next for the preview video: begin one, record clips, render what's missing or old."""

import shutil
from datetime import date

from conftest import replace, run_tavolan, write_project
from films import film_project
from tavolan import open_project
from tavolan.advice.next_actions import what_next
from tavolan.pictures.making.planner import Selection
from tavolan.video.render import render_videos


def step(root):
    found = what_next(open_project(root), date(2026, 11, 27), most=100).first
    return next((one for one in found if one.kind == "video"), None)


def test_each_step_towards_a_video_is_named_with_its_command(tmp_path):
    root = write_project(tmp_path / "potto")
    assert (step(root).what, step(root).command) == ("Begin a preview video", "tavolan video new")
    shutil.rmtree(root)
    film_project(root)
    shutil.move(root / "clips", tmp_path / "clips")
    assert step(root).what == "Record 2 clips" and "home, kiln" in step(root).why
    shutil.move(tmp_path / "clips", root / "clips")
    assert step(root).promise == "videos to render: 3 → 0" and step(root).command == "tavolan video render"
    render_videos(open_project(root), Selection())
    assert "Render" not in step(root).what
    replace(root / "copy/de-DE.toml", 'home = "Topf"', 'home = "Krug"')
    found = what_next(open_project(root), date(2026, 11, 27), most=100).first
    assert "Render 1 video in 1 locale" in [one.what for one in found]
    done = run_tavolan("video", "render", "--json", cwd=root).json
    assert list(done["made"]) == ["out/video/ios/phone-6.9/de-DE/preview.mp4"]
