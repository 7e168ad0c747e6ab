"""Where the command starts: a plain question is answered at once, all else by the command line."""

from __future__ import annotations

import sys

from prim_lantern.cli.plain import answered


def run() -> None:
    """Run the command, and leave with its exit code."""
    try:
        code = answered(sys.argv[1:])
    except BrokenPipeError:
        from prim_lantern.show.terminal import reader_is_gone

        code = reader_is_gone()
    except Exception:
        code = None  # whatever it is, the command line says it in words
    if code is None:
        from prim_lantern.cli.main import run as run_whole

        run_whole()
    sys.exit(code)
