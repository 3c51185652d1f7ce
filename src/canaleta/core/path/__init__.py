"""The signal path: six stations, from any of them to all others; faults on it, facts about it, its workings in
words."""

from canaleta.core.path.evaluate import Paths, describe, evaluate, workings
from canaleta.core.path.faults import Fault, evaluate_faulted

__all__ = ["Fault", "Paths", "describe", "evaluate", "evaluate_faulted", "workings"]
