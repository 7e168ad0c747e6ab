"""The decisions of the reference, compiled to be fast.

People become masks: one bit for each who that any word of the site speaks of. Items become
classes: what stands alike is decided alike. For each action, what the words at one level
(the site, the paths on the way, the categories) come to is worked out once for each
distinct set of the bits that level asks about, and remembered.
"""

from prim_lantern.decide.engine.engine import Basis, Engine

__all__ = ["Basis", "Engine"]
