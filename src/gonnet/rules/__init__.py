"""Figures and conditions in one grouped query; outcomes that can be explained."""

from gonnet.rules.context import Context, Past, ranked
from gonnet.rules.decisions import Decider, Decision, Outcome, decide, held_by_the_data, held_by_the_guard, ways_of
from gonnet.rules.effects import Effects, Step
from gonnet.rules.figures import Evaluated, Evaluations, evaluate, named_in

__all__ = [
    "Context",
    "Decider",
    "Decision",
    "Effects",
    "Evaluated",
    "Evaluations",
    "Outcome",
    "Past",
    "Step",
    "decide",
    "evaluate",
    "held_by_the_data",
    "held_by_the_guard",
    "named_in",
    "ranked",
    "ways_of",
]
