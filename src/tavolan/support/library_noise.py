"""Keep a library's own lines off the terminal: what it prints below Python, on the process's standard output."""

import os
import sys
import tempfile
from collections.abc import Iterator
from contextlib import contextmanager

_OUTPUT = 1


@contextmanager
def without_lines(known: str) -> Iterator[None]:
    """Leave out lines that hold `known`; everything else that's written meanwhile follows at the end."""
    sys.stdout.flush()
    try:
        kept = os.dup(_OUTPUT)
    except OSError:
        # There's no standard output, so nobody would see the lines.
        yield
        return
    with tempfile.TemporaryFile() as file:
        os.dup2(file.fileno(), _OUTPUT)
        try:
            yield
        finally:
            sys.stdout.flush()
            os.dup2(kept, _OUTPUT)
            os.close(kept)
            file.seek(0)
            rest = b"".join(line for line in file if known.encode() not in line)
            if rest:
                os.write(_OUTPUT, rest)
