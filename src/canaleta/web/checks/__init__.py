"""Loop checks, trims, scripts, walks, signed records."""

from canaleta.web.checks import drifts, instruments, loop_checks, records, scripts, trims, walk

__all__ = ["APIS"]

APIS = (loop_checks.api, records.api, walk.api, scripts.api, trims.api, instruments.api, drifts.api)
