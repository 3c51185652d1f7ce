"""Proving a loop: check points, loop checks, walks, scripts, sweeps, and what a signal source puts on."""

from canaleta.core.checks.checkpoints import check_points
from canaleta.core.checks.loopcheck import CheckStep, judged
from canaleta.core.checks.scripts import Script, read_script

__all__ = ["CheckStep", "Script", "check_points", "judged", "read_script"]
