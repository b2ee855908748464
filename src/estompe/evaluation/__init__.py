"""Document and frame in, geometry out: order, memo and background work. Nothing else decides what is recomputed."""

from estompe.evaluation.frame import Frame, Problem, Shown, evaluate
from estompe.evaluation.running.memo import CancelledError, Memo

__all__ = ["CancelledError", "Frame", "Memo", "Problem", "Shown", "evaluate"]
