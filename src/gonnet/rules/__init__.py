"""Figures and conditions in one grouped query; outcomes that can be explained."""

from gonnet.rules.decisions import Decision, Outcome, decide, held_by_the_data
from gonnet.rules.figures import Evaluated, evaluate

__all__ = ["Decision", "Evaluated", "Outcome", "decide", "evaluate", "held_by_the_data"]
