"""When what is painted: the steps of one model or of many on a clock, one pair of hands, and paint that dries
meanwhile.

Everything here is in minutes from the start; days and hours are the caller's. jobs: the steps of a model as what has
to be done, and what has to be dry before. batches: the same step on several models from one puddle. problem: work,
what comes after what, and when there are hands. greedy and exact: two solvers; solve asks both. worth: what the model
would lose without a step.
"""

from .batches import Batch, batches_of
from .day import Day, clock_of
from .jobs import DayStep, jobs_of
from .problem import HANDS, After, Problem, Schedule, Stint
from .solve import solve

__all__ = [
    "HANDS",
    "After",
    "Batch",
    "Day",
    "DayStep",
    "Problem",
    "Schedule",
    "Stint",
    "batches_of",
    "clock_of",
    "jobs_of",
    "solve",
]
