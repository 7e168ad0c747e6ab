"""`python -m prim_lantern`: the command line, where its own name is not on the path."""

from __future__ import annotations

from prim_lantern.cli.start import run

if __name__ == "__main__":
    run()
