"""Certificates that sign themselves, and what tells one from the other."""

from __future__ import annotations

import hashlib
import ssl
from dataclasses import dataclass
from datetime import UTC, datetime, timedelta

from cryptography import x509
from cryptography.hazmat.primitives import hashes, serialization
from cryptography.hazmat.primitives.asymmetric import rsa
from cryptography.x509.oid import ExtendedKeyUsageOID, NameOID

__all__ = ["APPLICATION", "AnotherCertificateError", "Certificate", "context_for", "fingerprint", "made"]

APPLICATION = "urn:canaleta:reader"
"""The application's name: OPC 10000-6, 6.2.2 wants it in the certificate as well."""
YEARS = 20


@dataclass(frozen=True)
class Certificate:
    """A certificate and its key, PEM."""

    certificate: str
    key: str


def made(application: str = APPLICATION) -> Certificate:
    """A new one, signed by itself. It takes a moment."""
    key = rsa.generate_private_key(public_exponent=65537, key_size=2048)
    name = x509.Name([x509.NameAttribute(NameOID.COMMON_NAME, "Canaleta")])
    began = datetime.now(UTC) - timedelta(days=1)
    usage = x509.KeyUsage(
        digital_signature=True, content_commitment=True, key_encipherment=True, data_encipherment=True,
        key_agreement=False, key_cert_sign=True, crl_sign=False, encipher_only=False, decipher_only=False,
    )  # fmt: skip
    certificate = (
        x509.CertificateBuilder()
        .subject_name(name)
        .issuer_name(name)
        .public_key(key.public_key())
        .serial_number(x509.random_serial_number())
        .not_valid_before(began)
        .not_valid_after(began + timedelta(days=365 * YEARS))
        .add_extension(x509.SubjectAlternativeName([x509.UniformResourceIdentifier(application)]), critical=False)
        .add_extension(x509.BasicConstraints(ca=True, path_length=0), critical=True)
        .add_extension(usage, critical=True)
        .add_extension(
            x509.ExtendedKeyUsage([ExtendedKeyUsageOID.CLIENT_AUTH, ExtendedKeyUsageOID.SERVER_AUTH]), critical=False
        )
        .sign(key, hashes.SHA256())
    )
    return Certificate(
        certificate.public_bytes(serialization.Encoding.PEM).decode("ascii"),
        key.private_bytes(
            serialization.Encoding.PEM, serialization.PrivateFormat.PKCS8, serialization.NoEncryption()
        ).decode("ascii"),
    )


def fingerprint(der: bytes) -> str:
    """SHA-256 of a certificate, as people compare it: 64 hexadecimal digits."""
    return hashlib.sha256(der).hexdigest()


class AnotherCertificateError(ssl.SSLError):
    """A server shows another certificate than the one that is trusted. shows: its SHA-256."""

    def __init__(self, shows: str) -> None:
        super().__init__(f"another certificate than the one that is trusted: SHA-256 {shows}")
        self.shows = shows


class _Checked(ssl.SSLSocket):
    """Nothing is sent before it is known who is there."""

    trusted: str

    def do_handshake(self, block: bool = False) -> None:
        super().do_handshake(block)
        shows = fingerprint(self.getpeercert(binary_form=True) or b"")
        if shows != self.trusted:
            raise AnotherCertificateError(shows)


def context_for(trusted: str) -> ssl.SSLContext:
    """A context for a client: of servers whose certificate this machine trusts, or of the one whose SHA-256 is given, whoever
    signed it and whatever name stands in it."""
    context = ssl.create_default_context()
    if trusted:
        context.check_hostname, context.verify_mode = False, ssl.CERT_NONE
        context.sslsocket_class = type("_Checked", (_Checked,), {"trusted": trusted})
    return context
