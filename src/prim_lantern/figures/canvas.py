"""What all figures share: paper, letters, shades that differ in black and white too, and saving."""

from __future__ import annotations

from contextlib import AbstractContextManager
from pathlib import Path
from typing import Any, Final

from prim_lantern.errors import BadQuestion
from prim_lantern.formats.whole import written_whole

try:
    import matplotlib as mpl
    from matplotlib.axes import Axes
    from matplotlib.backends.backend_agg import FigureCanvasAgg
    from matplotlib.figure import Figure
except ImportError:
    said = "Figures need Matplotlib: pip install 'prim-lantern[figures]'."
    raise BadQuestion(said) from None

INK: Final = "#1d2227"
FAINT: Final = "#555c63"
LINE: Final = "#b9bdc1"
SHADES: Final = ("#ffffff", "#e9eef2", "#c3d5e0", "#8fb3c9", "#4f86a6", "#1f5673")
"""From nothing to the most: each darker than the one before, so that a copy in grey says it too."""
FORMS: Final = (".svg", ".png")
_SETTINGS: Final[dict[Any, Any]] = {
    "font.family": "DejaVu Sans",
    "font.size": 9.0,
    "svg.hashsalt": "prim-lantern",
    "svg.fonttype": "none",
    "text.parse_math": False,
    "axes.edgecolor": LINE,
    "text.color": INK,
    "axes.labelcolor": INK,
    "xtick.color": INK,
    "ytick.color": INK,
}


def settings() -> AbstractContextManager[None]:
    """The settings under which figures are drawn and saved; others' stay as they are."""
    return mpl.rc_context(_SETTINGS)


def new_figure(wide: float, high: float, title: str, about: str) -> tuple[Figure, Axes]:
    """Paper of a size (inches), with a title and a line about it above the axes."""
    figure = Figure(figsize=(wide, high), facecolor="white", layout=None)
    FigureCanvasAgg(figure)
    axes = figure.add_axes((0.0, 0.0, 1.0, 1.0))
    figure.text(0.25 / wide, 1 - 0.22 / high, title, fontsize=13, fontweight="bold", va="top")
    figure.text(0.25 / wide, 1 - 0.52 / high, about, fontsize=9, color=FAINT, va="top")
    return figure, axes


def place_axes(
    axes: Axes, wide: float, high: float, *, left: float, right: float, top: float, bottom: float
) -> None:
    """Put the axes on the paper, with margins in inches."""
    axes.set_position(
        (left / wide, bottom / high, (wide - left - right) / wide, (high - top - bottom) / high)
    )


def width_of(figure: Figure, text: str, size: float = 9.0, **more: Any) -> float:
    """How wide a text comes out, in inches."""
    drawn = figure.text(0, 0, text, fontsize=size, **more)
    box = drawn.get_window_extent(figure.canvas.get_renderer())  # type: ignore[attr-defined]
    drawn.remove()
    return float(box.width / figure.dpi)


def shortened(text: str, most: int) -> str:
    """A text with no more letters than there is room for."""
    return text if len(text) <= most else f"{text[: most - 1]}…"


def save(figure: Figure, file: Path) -> None:
    """Write a figure as its name says, .svg or .png; whole, or not at all.

    Raises `BadQuestion` for another ending.
    """
    if file.suffix.lower() not in FORMS:
        raise BadQuestion(f"{str(file)!r} says no form: end it with .svg or .png.")
    plain = {"metadata": {"Date": None}} if file.suffix.lower() == ".svg" else {"dpi": 144}
    written_whole(file, lambda beside: figure.savefig(beside, **plain))
