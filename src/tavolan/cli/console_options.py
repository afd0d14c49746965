"""Options that several commands of `tavolan console` share."""

from typing import Annotated

import typer

FieldOption = Annotated[list[str] | None, typer.Option("--field", help="Only this field or size class; repeatable.")]
