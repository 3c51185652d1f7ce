"""Modules in racks: what fits where, what is used, what supplies carry, what is set, forced and commanded."""

from canaleta.core.hardware.fit import Judgement, judge
from canaleta.core.hardware.places import places_for
from canaleta.core.hardware.settings import differences

__all__ = ["Judgement", "differences", "judge", "places_for"]
