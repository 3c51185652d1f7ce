"""The list: its snapshot, a point's sheet and path, changes, findings, history, issues, files in and out."""

from canaleta.web.list import (
    conventions,
    exchange,
    findings,
    history,
    offers,
    path,
    revisions,
    rows,
    sheet,
    snapshot,
    views,
)

__all__ = ["APIS"]

APIS = (
    snapshot.api,
    rows.api,
    views.api,
    findings.api,
    history.api,
    revisions.api,
    path.api,
    sheet.api,
    offers.api,
    conventions.api,
    exchange.api,
    path.documents,
)
