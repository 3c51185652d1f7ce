"""Tests, trims, scripts, walks, signed records; the ladder, packages of work and the punch list."""

from canaleta.web.checks import (
    away,
    dossiers,
    drifts,
    due,
    instruments,
    ladder,
    loop_checks,
    packages,
    programs,
    punches,
    records,
    scripts,
    told,
    trims,
    walk,
)

__all__ = ["APIS"]

APIS = (
    loop_checks.api,
    records.api,
    walk.api,
    scripts.api,
    trims.api,
    instruments.api,
    drifts.api,
    due.api,
    ladder.api,
    punches.api,
    packages.api,
    away.api,
    dossiers.api,
    programs.api,
    told.api,
)
