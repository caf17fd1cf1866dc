"""Figures and conditions in one grouped query; outcomes that can be explained."""

from gonnet.rules.decisions import Decision, Outcome, decide, held_by_the_data
from gonnet.rules.effects import Effects, Step
from gonnet.rules.figures import Evaluated, evaluate

__all__ = ["Decision", "Effects", "Evaluated", "Outcome", "Step", "decide", "evaluate", "held_by_the_data"]
