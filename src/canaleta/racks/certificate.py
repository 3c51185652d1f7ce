"""Our own certificate for servers that want to know who asks: made once a plant, the same for all its agents."""

from __future__ import annotations

import json

from sqlalchemy import Engine

from canaleta.certificates import Certificate, made
from canaleta.plant.records.secrets import keep_first, secret_of

__all__ = ["own_certificate"]

OWN = "own certificate"


def own_certificate(engine: Engine) -> Certificate:
    """That of the plant, made at the first call."""
    with engine.connect() as connection:
        kept = secret_of(connection, OWN)
    if not kept:
        new = made()
        text = json.dumps({"certificate": new.certificate, "key": new.key})
        with engine.begin() as connection:
            kept = keep_first(connection, OWN, text)
    return Certificate(**json.loads(kept))
