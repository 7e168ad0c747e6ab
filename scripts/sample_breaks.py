"""Break the code in small ways at places taken at random, and tell what no test notices.

The mutation tester takes days for all places; a few hundred of them tell the share as well. Run it
as `python scripts/sample_breaks.py NUMBER [SEED [PATTERN]]`, after `pip install -e '.[mutation]'`;
PATTERN is part of a module's name, as in `prim_lantern.store`. What went unnoticed is shown at the
end, to be looked at; `mutmut run NAME` tries one again.
"""

from __future__ import annotations

import json
import random
import subprocess
import sys
from collections import Counter
from pathlib import Path

ROOT = Path(__file__).resolve().parent.parent
MUTANTS = ROOT / "mutants"
UNSEEN = {0: "unnoticed", 33: "not reached"}  # any other exit code is that of a test that failed


def main() -> None:
    """Take a sample, try it, and tell."""
    number, seed, pattern = int(sys.argv[1]), *(sys.argv[2:3] or ["1"]), *(sys.argv[3:4] or [""])
    _mutmut("run", "none.such")  # makes the broken copies, and finds out which tests reach what
    every = sorted(name for name in _codes() if pattern in name)
    sample = random.Random(seed).sample(every, min(number, len(every)))  # noqa: S311
    _mutmut("run", *sample)
    codes = _codes()
    told = Counter(UNSEEN.get(codes[name] or 0, "noticed") for name in sample)
    print(f"{len(every):,} places, of which {len(sample)} were tried: {dict(told)}")
    for name in sorted(sample):
        if (codes[name] or 0) in UNSEEN:
            print(f"\n{UNSEEN[codes[name] or 0]}: {name}")
            _mutmut("show", name)


def _mutmut(*words: str) -> None:
    subprocess.run([sys.executable, "-m", "mutmut", *words], cwd=ROOT, check=False)


def _codes() -> dict[str, int | None]:
    """By the name of each break, the exit code of the tests (None: not tried)."""
    found: dict[str, int | None] = {}
    for file in MUTANTS.glob("src/**/*.meta"):
        found |= json.loads(file.read_text())["exit_code_by_key"]
    return found


if __name__ == "__main__":
    main()
