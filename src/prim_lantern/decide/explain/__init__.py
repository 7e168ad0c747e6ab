"""Decisions in words a colleague understands."""

from prim_lantern.decide.explain.explanation import Explanation, Point
from prim_lantern.decide.explain.telling import explain

__all__ = ["Explanation", "Point", "explain"]
