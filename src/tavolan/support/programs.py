"""Run another program: within a time, and with as much of its output as is wanted."""

import os
import signal
import subprocess
import threading
import time
from collections.abc import Mapping, Sequence
from contextlib import suppress
from dataclasses import dataclass
from pathlib import Path
from typing import IO

_PIECE = 1 << 16
_MOST_ERRORS = 1_000_000


@dataclass(frozen=True)
class Done:
    """What a program left: its exit code and what it wrote."""

    code: int
    out: bytes
    err: bytes


def run_program(
    command: Sequence[str],
    given: bytes,
    timeout: float,
    most: int,
    environment: Mapping[str, str] | None = None,
    folder: Path | None = None,
) -> Done:
    """Run a program with bytes on its standard input, in the working folder or another one.

    One that writes more than `most` bytes is ended: `out` is longer than `most` then. Raises OSError when it can't be
    run, TimeoutError when it takes more than `timeout` seconds; all that it started is ended, too.
    """
    deadline = time.monotonic() + timeout
    program = subprocess.Popen(
        command,
        stdin=subprocess.PIPE,
        stdout=subprocess.PIPE,
        stderr=subprocess.PIPE,
        env=environment,
        cwd=folder,
        start_new_session=True,
    )
    out, err = bytearray(), bytearray()
    assert program.stdin and program.stdout and program.stderr
    threads = [
        threading.Thread(target=_give, args=(program.stdin, given), daemon=True),
        threading.Thread(target=_take, args=(program.stdout, out, most, program), daemon=True),
        threading.Thread(target=_take, args=(program.stderr, err, _MOST_ERRORS, None), daemon=True),
    ]
    for thread in threads:
        thread.start()
    try:
        program.wait(max(0.0, deadline - time.monotonic()))
        for thread in threads[1:]:
            thread.join(max(0.0, deadline - time.monotonic()))
            if thread.is_alive():
                raise TimeoutError
    except subprocess.TimeoutExpired as error:
        raise TimeoutError from error
    finally:
        _end(program)
        for thread, stream in zip(threads, (program.stdin, program.stdout, program.stderr), strict=True):
            thread.join(1)
            # What still holds the other end keeps its own.
            if not thread.is_alive():
                with suppress(OSError):
                    stream.close()
    return Done(program.returncode, bytes(out), bytes(err))


def _give(stream: IO[bytes], given: bytes) -> None:
    with suppress(OSError):
        stream.write(given)
        stream.close()


def _take(stream: IO[bytes], taken: bytearray, most: int, program: subprocess.Popen[bytes] | None) -> None:
    """Read a stream to its end; beyond `most` bytes the program is ended, or the rest passed over."""
    with suppress(OSError, ValueError):
        while piece := stream.read1(_PIECE):  # type: ignore[attr-defined]
            if len(taken) <= most:
                taken += piece
            if len(taken) > most and program:
                _end(program)
                return


def _end(program: subprocess.Popen[bytes]) -> None:
    """End a program and what it started."""
    with suppress(OSError):
        if os.name == "posix":
            os.killpg(program.pid, signal.SIGKILL)
        else:
            program.kill()
    program.wait()
