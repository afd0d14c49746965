"""Fill in one template, in a process of its own: its time, its memory and its output have limits.

Read from standard input: a JSON object with `template` and `values`. Written to standard output: one with `text`, or
with `error` and the `line` of the template that it came from.
"""

import json
import sys
import traceback
from typing import Any

MOST_MEMORY = 1_000_000_000
MOST_CHARACTERS = 20_000_000


def fill_in(template: str, values: dict[str, Any]) -> dict[str, Any]:
    """Return the filled-in text of a template, or what's wrong with it. A template is a program of somebody else's."""
    from jinja2 import StrictUndefined
    from jinja2.sandbox import ImmutableSandboxedEnvironment

    environment = ImmutableSandboxedEnvironment(
        undefined=StrictUndefined, keep_trailing_newline=True, trim_blocks=True, lstrip_blocks=True
    )
    pieces, length = [], 0
    try:
        for piece in environment.from_string(template).generate(values):
            pieces.append(piece)
            length += len(piece)
            if length > MOST_CHARACTERS:
                return {"error": f"it writes more than {MOST_CHARACTERS:,} characters", "line": None}
    except MemoryError:
        return {"error": "it takes more memory than a text needs", "line": None}
    except Exception as error:
        # Whatever it raises is a fault in it.
        return {"error": " ".join(str(error).split()) or type(error).__name__, "line": _line(error)}
    return {"text": "".join(pieces)}


def _line(error: Exception) -> int | None:
    """Return the line of a template that an error came from: its own, or the last frame that runs the template."""
    frames = traceback.extract_tb(error.__traceback__)
    return getattr(error, "lineno", None) or next(
        (frame.lineno for frame in reversed(frames) if frame.filename == "<template>"), None
    )


def _main() -> None:
    if sys.platform != "win32":
        import resource

        resource.setrlimit(resource.RLIMIT_AS, (MOST_MEMORY, MOST_MEMORY))
    asked = json.loads(sys.stdin.buffer.read())
    sys.stdout.write(json.dumps(fill_in(asked["template"], asked["values"])))


if __name__ == "__main__":
    _main()
