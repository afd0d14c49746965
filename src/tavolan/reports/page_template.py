"""Make HTML pages of the templates beside this module. Texts are escaped, always."""

import base64
from pathlib import Path
from typing import Any


def jpeg_address(data: bytes) -> str:
    """Return the address of a JPEG picture that a page holds itself."""
    return "data:image/jpeg;base64," + base64.b64encode(data).decode()


def page_from(template: str, **values: Any) -> str:
    """Return a page as HTML; `values` are what the template names."""
    from jinja2 import Environment, FileSystemLoader, StrictUndefined

    environment = Environment(
        loader=FileSystemLoader(Path(__file__).parent / "templates"),
        autoescape=True,
        undefined=StrictUndefined,
        trim_blocks=True,
        lstrip_blocks=True,
    )
    return environment.get_template(template).render(**values)
