"""What time makes of readings: conditioning, alarms, trends, patterns that somebody plays; and advice on what is
wrong."""

from canaleta.core.live.advice import Advice, advice_of
from canaleta.core.live.alarms import Alarms, AlarmTable
from canaleta.core.live.conditioning import Condition

__all__ = ["Advice", "AlarmTable", "Alarms", "Condition", "advice_of"]
