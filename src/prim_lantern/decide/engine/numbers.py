"""Small numbers for things as they are met."""

from __future__ import annotations

from collections.abc import Hashable
from threading import RLock
from typing import TypeVar

_T = TypeVar("_T", bound=Hashable)


class Numbered(list[_T]):
    """Things in the order in which they were met; threads may meet them at once.

    >>> colours = Numbered("none")
    >>> colours.number_of("red"), colours.number_of("blue"), colours.number_of("red")
    (1, 2, 1)
    >>> colours[2]
    'blue'
    """

    def __init__(self, *first: _T) -> None:
        super().__init__(first)
        self._numbers = {each: number for number, each in enumerate(first)}
        self._lock = RLock()

    def known(self, thing: _T) -> int | None:
        """The number of a thing that has been met."""
        return self._numbers.get(thing)

    def number_of(self, thing: _T) -> int:
        """The number of a thing, met before or now."""
        found = self._numbers.get(thing)
        if found is None:
            with self._lock:
                found = self._numbers.get(thing)
                if found is None:
                    found = len(self)
                    self.append(thing)  # before others can come by its number
                    self._numbers[thing] = found
        return found
