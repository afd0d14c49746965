"""A page on which one draws a box on a screen; it shows the command that sets the box. It needs no server."""

import shlex
from collections.abc import Sequence

from tavolan.pictures.outputs.regions import RegionOf, ScreenOfClass
from tavolan.pictures.raster.thumbnail import page_image
from tavolan.project.model import Project
from tavolan.reports.page_template import jpeg_address, page_from
from tavolan.support.files import read_bytes

# Width in pixels of a screen on the page.
_WIDTH = 900


def region_page(project: Project, wanted: RegionOf, screens: Sequence[ScreenOfClass]) -> str:
    """Return the page as HTML, with the screens of a shot in it, a button for each size class."""
    shown = []
    for each in screens:
        data = read_bytes(each.screen.path, each.screen.path.name)
        shown.append((each.size_class, jpeg_address(page_image(data, _WIDTH)), each.screen.locale))
    purpose = f" --value {shlex.quote(wanted.value)}" if wanted.value else " --blur" if wanted.blur else ""
    if wanted.enlarged:
        what = "the part that a look enlarges"
    else:
        what = f"where {wanted.value} is set" if wanted.value else "the part to make unreadable"
    return page_from(
        "region.html.j2",
        app=project.app,
        shot=wanted.shot,
        what=what,
        screens=shown,
        command=f"tavolan shots region {shlex.quote(wanted.shot)}",
        purpose=purpose,
    )
