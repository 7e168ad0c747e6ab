"""A terminal, or whatever the output goes to: width, colour, wrapped text."""

from __future__ import annotations

import os
import re
import sys
import textwrap
from collections.abc import Iterable, Iterator
from contextlib import contextmanager
from typing import TYPE_CHECKING

if TYPE_CHECKING:
    from rich.console import Console

_WIDEST = 100
_COLOURS = {"yes": "\x1b[32m", "no": "\x1b[31m", "strong": "\x1b[1m", "faint": "\x1b[2m"}
_WRITTEN_AT = re.compile(r"\[([^\]]+, line \d+|change \d+|from the start)\]")
_JOINED = "\x00"


def width() -> int:
    """How many letters fit on a line: as the terminal has, and 100 at most."""
    return max(40, min(_WIDEST, _columns()))


def _columns() -> int:
    """As `shutil.get_terminal_size` has it, which comes with all that archives need."""
    told = os.environ.get("COLUMNS", "")
    if told.isdecimal() and int(told):
        return int(told)
    try:
        return os.get_terminal_size(sys.__stdout__.fileno()).columns or _WIDEST  # type: ignore[union-attr]
    except (AttributeError, ValueError, OSError):
        return _WIDEST


def colourful() -> bool:
    """Whether to colour: only on a terminal, and not where NO_COLOR is set."""
    return sys.stdout.isatty() and not os.environ.get("NO_COLOR")


def console() -> Console:
    """A console for tables and trees."""
    from rich.console import Console  # takes a while to load; plain answers do without

    return Console(
        width=width(), highlight=False, no_color=not colourful(), soft_wrap=False, emoji=False
    )


def styled(text: str, style: str) -> str:
    """The text in a style ("yes", "no", "strong", "faint"), where colour is on."""
    return f"{_COLOURS[style]}{text}\x1b[0m" if colourful() else text


def wrapped(text: str, indent: str = "", more: str = "") -> Iterable[str]:
    """The text in lines that fit; those after the first are indented by `more` as well.

    Where a thing was written ("[site.toml, line 12]") stays on one line.
    """
    lines = textwrap.wrap(
        _WRITTEN_AT.sub(lambda found: found[0].replace(" ", _JOINED), text),
        width(),
        initial_indent=indent,
        subsequent_indent=indent + more,
        break_long_words=False,
        break_on_hyphens=False,
    )
    return [line.replace(_JOINED, " ") for line in lines]


def reader_is_gone() -> int:
    """Print no more, as whoever reads has gone away; the exit code for that."""
    os.dup2(os.open(os.devnull, os.O_WRONLY), sys.stdout.fileno())
    return 0


@contextmanager
def busy(doing: str) -> Iterator[None]:
    """Say on a terminal, on the error output, what is being done while it takes long."""
    if not sys.stderr.isatty():
        yield
        return
    from rich.console import Console

    with Console(stderr=True).status(f"{doing} …"):
        yield
