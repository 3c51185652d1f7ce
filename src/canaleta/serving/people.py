"""Who may come in by OPC UA: accounts of the plant, and client certificates that an engineer trusts.

Both are read from the database every few seconds and kept: the server answers from its own memory, so that a database that is
away locks nobody out and holds nothing up.
"""

from __future__ import annotations

import logging
import time
from collections import deque
from collections.abc import Callable
from dataclasses import dataclass
from datetime import UTC, datetime
from typing import Any

from asyncua import ua
from asyncua.common.utils import ServiceError
from asyncua.crypto.permission_rules import User, UserRole
from asyncua.server.user_managers import UserManager
from asyncua.ua.status_codes import StatusCodes
from cryptography import x509
from cryptography.hazmat.primitives.serialization import Encoding

from canaleta.certificates import fingerprint
from canaleta.plant.people.accounts import Key

__all__ = ["Doorkeeper"]

log = logging.getLogger("serve")
TRIES, TRIES_S = 10, 60.0
"""So many wrong passwords of one account in a minute, and it is not tried any more until the minute is over."""
MOST_STRANGERS = 500


@dataclass
class _Tries:
    times: deque[float]

    def allowed(self, most: int) -> bool:
        now = time.monotonic()
        while self.times and now - self.times[0] > TRIES_S:
            self.times.popleft()
        return len(self.times) < most

    def count(self) -> None:
        self.times.append(time.monotonic())


class Doorkeeper(UserManager):
    """keys: accounts by name, as they were read last; trusted: fingerprints of certificates. anybody: whether one may come in
    without a name, to read. noted: takes (fingerprint, name, expires) of a certificate that was shown."""

    def __init__(self, *, anybody: bool, noted: Callable[[str, str, datetime], None]) -> None:
        self.keys: dict[str, Key] = {}
        self.trusted: frozenset[str] = frozenset()
        self._anybody, self._noted = anybody, noted
        self._tries: dict[str, _Tries] = {}
        self._strangers: dict[tuple[str, str], None] = {}
        self.refused = 0

    # Users ---------------------------------------------------------------------------------------------

    def get_user(
        self, iserver: Any, username: str | None = None, password: str | bytes | None = None, certificate: Any = None
    ) -> User | None:
        """The user, None for nobody. Only the library's own manager lets an “admin” in with any password."""
        if username is None:
            return User(role=UserRole.User, name="") if self._anybody else None
        key = self.keys.get(username)
        # A name that there is not costs nothing to refuse, and counts nowhere: many of them must not wash out the tries of one
        # that there is. A password that is guessed at is not tried for ever.
        tries = self._tries.setdefault(username, _Tries(deque())) if key is not None else None
        if tries is not None and not tries.allowed(TRIES):
            self.refused += 1
            return None
        given = password.decode(errors="replace") if isinstance(password, bytes) else password or ""
        if key is not None and key.opens(given):
            return User(role=UserRole.User, name=username)
        if tries is not None:
            tries.count()
        self.refused += 1
        self._once("user", username, "OPC UA: “%s” was not let in: no such account, or another password")
        return None

    def role_of(self, name: str) -> str:
        """The role of an account, "" for none."""
        key = self.keys.get(name)
        return key.role if key else ""

    # Certificates --------------------------------------------------------------------------------------

    async def certificate(self, shown: x509.Certificate, application: ua.ApplicationDescription) -> None:
        """Refuse a certificate that has expired, is not of the application that shows it, or that nobody trusts. Raises
        ServiceError with the standard's code."""
        mark = fingerprint(shown.public_bytes(Encoding.DER))
        name = str(application.ApplicationUri or "without a name")[:200]
        self._noted(mark, name, shown.not_valid_after_utc)
        if self._anybody:
            # Who may come in without any is not turned away for the one that it shows.
            return
        now = datetime.now(UTC)
        if not shown.not_valid_before_utc <= now <= shown.not_valid_after_utc:
            self._refuse(
                mark,
                name,
                "its certificate has expired, or is not valid yet",
                StatusCodes.BadCertificateTimeInvalid,
            )
        try:
            said = shown.extensions.get_extension_for_class(x509.SubjectAlternativeName).value
            names = said.get_values_for_type(x509.UniformResourceIdentifier)
        except x509.ExtensionNotFound:
            names = []
        if application.ApplicationUri not in names:
            self._refuse(mark, name, "its certificate is another application's", StatusCodes.BadCertificateUriInvalid)
        if mark not in self.trusted:
            self._refuse(mark, name, "nobody trusted its certificate yet", StatusCodes.BadCertificateUntrusted)

    def _refuse(self, mark: str, name: str, why: str, code: int) -> None:
        self.refused += 1
        self._once(why, mark, f"OPC UA: {name} was not let in: {why}: SHA-256 %s")
        raise ServiceError(code)

    def _once(self, what: str, whom: str, says: str) -> None:
        """Told in the log once."""
        if (what, whom) in self._strangers:
            return
        self._strangers[what, whom] = None
        if len(self._strangers) > MOST_STRANGERS:
            self._strangers.pop(next(iter(self._strangers)))
        log.warning(says, whom)
