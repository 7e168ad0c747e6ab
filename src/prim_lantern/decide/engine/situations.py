"""All situations that items are in, laid out as arrays."""

from __future__ import annotations

from typing import Any, NamedTuple

import numpy as np
from numpy.typing import NDArray

from prim_lantern.decide.engine.item_classes import BITS, MASK, Ground
from prim_lantern.decide.engine.several import Numbers


class Situations(NamedTuple):
    """The distinct combinations of classes that items are in, and which item is in which.

    `ways` and `filed` are the numbers of the classes that any item is in (0 stands for no
    categories); each situation is a place in the one and two places in the other. `weight`
    is how many items are in it.
    """

    ways: list[int]
    filed: list[int]
    way_at: Numbers
    filed_at: Numbers
    more_at: Numbers
    of_row: NDArray[Any]
    weight: Numbers

    @classmethod
    def of(cls, ground: Ground) -> Situations:
        """Those of a ground where every item has one: from then on they stay as they are."""
        if ground.laid_out is None:
            of_row = np.array(ground.of_row, dtype=np.int32)
            found = np.array(ground.situations, dtype=np.int64)
            each = np.stack([found & MASK, found >> BITS & MASK, found >> 2 * BITS], axis=1)
            weight = np.bincount(of_row, minlength=len(each))
            ways, way_at = np.unique(each[:, 0], return_inverse=True)
            filed, at = np.unique(each[:, 1:], return_inverse=True)
            at = at.reshape(-1, 2)
            ground.laid_out = cls(
                ways.tolist(), filed.tolist(), way_at, at[:, 0], at[:, 1], of_row, weight
            )
        laid_out: Situations = ground.laid_out
        return laid_out
