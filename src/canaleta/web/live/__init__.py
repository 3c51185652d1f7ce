"""Readings as they come, alarms, trends, what is held or put on, tracing, a loop to learn on."""

from canaleta.web.live import alarms, boards, injection, learn, over_time, stream, temporary, tracing

__all__ = ["APIS"]

APIS = (
    boards.api,
    over_time.api,
    alarms.api,
    temporary.api,
    injection.api,
    tracing.api,
    learn.api,
    stream.api,
)
