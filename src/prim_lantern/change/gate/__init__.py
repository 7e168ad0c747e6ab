"""The gate before changes: who may make which, told from what a change does."""

from prim_lantern.change.gate.gate import lost_by, missing_for, whom_to_ask
from prim_lantern.change.gate.judged import Judged

__all__ = ["Judged", "lost_by", "missing_for", "whom_to_ask"]
