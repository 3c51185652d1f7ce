"""The tables of a plant. The columns of `point` follow from the field table.

Current facts are typed columns; history is one row a changed entity a change set. History, change sets and
issued documents are append-only: the runtime role has no right to change them, and a trigger refuses anyone.
"""

from __future__ import annotations

from canaleta.plant.database.tables.base import metadata
from canaleta.plant.database.tables.hands import (
    import_job,
    instrument,
    mapping,
    revision,
    row_lock,
    signature,
    typical,
    view,
)
from canaleta.plant.database.tables.listed import (
    cabinet,
    cable,
    change,
    change_set,
    finding,
    module,
    module_type,
    plant,
    point,
    rack,
    waiver,
)
from canaleta.plant.database.tables.live import (
    agent,
    alarm,
    arming,
    board,
    command,
    evidence,
    found,
    journal,
    lease,
    live_block,
    script,
    script_run,
    stored_state,
    temporary,
    trend_clock,
    trend_hour,
    trend_part,
    walk,
)
from canaleta.plant.database.tables.people import account, rate_limit, secret, session, sign_in_link
from canaleta.plant.database.tables.proving import (
    brought,
    countersignature,
    dossier,
    kept_apart,
    package,
    print_job,
    punch,
    rack_look,
    rung,
)
from canaleta.plant.database.tables.served import client_certificate, given_away, given_write, serving

__all__ = [
    "APPEND_ONLY",
    "account",
    "agent",
    "alarm",
    "arming",
    "board",
    "brought",
    "cabinet",
    "cable",
    "change",
    "change_set",
    "client_certificate",
    "command",
    "countersignature",
    "dossier",
    "evidence",
    "finding",
    "found",
    "given_away",
    "given_write",
    "import_job",
    "instrument",
    "journal",
    "kept_apart",
    "lease",
    "live_block",
    "mapping",
    "metadata",
    "module",
    "module_type",
    "package",
    "plant",
    "point",
    "print_job",
    "punch",
    "rack",
    "rack_look",
    "rate_limit",
    "revision",
    "row_lock",
    "rung",
    "script",
    "script_run",
    "secret",
    "serving",
    "session",
    "sign_in_link",
    "signature",
    "stored_state",
    "temporary",
    "trend_clock",
    "trend_hour",
    "trend_part",
    "typical",
    "view",
    "waiver",
    "walk",
]

APPEND_ONLY = (change_set, change, revision, signature, journal, evidence, rung, countersignature)
"""Tables that only grow: no role may change or delete a row."""
