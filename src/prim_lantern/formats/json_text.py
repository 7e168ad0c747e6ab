"""Reading JSON (RFC 8259) that somebody else wrote."""

from __future__ import annotations

import json
import re
from json import JSONDecodeError, JSONDecoder
from typing import Any, Final


class NoJson(ValueError):
    """What Python would read, but is no JSON; says why."""


def read_json(text: str | bytes) -> Any:
    """What a JSON text says, in UTF-8. Raises `ValueError` for what is none: NaN and Infinity, too
    (section 6), and what no reader is bound to take (sections 8.2 and 9): half a letter, values
    nested too deep, numbers of thousands of digits.

    >>> read_json(b'{"login": ["sam.whitlock"]}')
    {'login': ['sam.whitlock']}
    """
    text = text if isinstance(text, str) else text.decode("utf-8-sig")
    try:
        found = _DECODER.decode(text)
        if _HALF.search(text):
            json.dumps(found, ensure_ascii=False).encode()
    except RecursionError:
        raise NoJson("it is nested too deep") from None
    except UnicodeEncodeError:
        raise NoJson("it has half a letter") from None
    return found


def what_is_wrong(error: ValueError) -> tuple[int, str]:
    """The line of a text that `read_json` did not take, and why."""
    if isinstance(error, JSONDecodeError):
        return error.lineno, error.msg
    if isinstance(error, UnicodeDecodeError):
        return error.object.count(b"\n", 0, error.start) + 1, "it is not UTF-8"
    return 1, str(error) if isinstance(error, NoJson) else "a number is too long"


def _no_number(name: str) -> None:
    raise NoJson(f"{name} is no number of JSON")


_HALF: Final = re.compile(r"\\u[dD][89a-fA-F]")
_DECODER: Final = JSONDecoder(parse_constant=_no_number)
