"""The plant's seal: a key of its own, the signature inside a PDF (PAdES, ETSI EN 319 142) and the one beside a folder."""

from __future__ import annotations

import base64
import json
from pathlib import Path

from cryptography import x509
from cryptography.exceptions import InvalidSignature
from cryptography.hazmat.primitives import hashes, serialization
from cryptography.hazmat.primitives.asymmetric import padding, rsa
from sqlalchemy import Engine

from canaleta.certificates import Certificate, fingerprint, made
from canaleta.plant.records.secrets import keep_first, secret_of

__all__ = ["fingerprint_of", "plant_seal", "seal_manifest", "seal_pdf", "seal_proves"]

SEAL = "seal of dossiers"


def plant_seal(engine: Engine) -> Certificate:
    """The certificate that the plant signs dossiers with, made at the first call."""
    with engine.connect() as connection:
        kept = secret_of(connection, SEAL)
    if not kept:
        new = made("urn:canaleta:seal")
        text = json.dumps({"certificate": new.certificate, "key": new.key})
        with engine.begin() as connection:
            kept = keep_first(connection, SEAL, text)
    return Certificate(**json.loads(kept))


def fingerprint_of(seal: Certificate) -> str:
    """SHA-256 of a seal's certificate, as people compare it."""
    certificate = x509.load_pem_x509_certificate(seal.certificate.encode("ascii"))
    return fingerprint(certificate.public_bytes(serialization.Encoding.DER))


def seal_pdf(file: Path, seal: Certificate, name: str, reason: str) -> None:
    """Sign a PDF in its place, over every byte of it."""
    # Taken in here: only who makes a dossier waits for it.
    from asn1crypto import keys, pem
    from asn1crypto import x509 as asn1
    from pyhanko.pdf_utils.incremental_writer import IncrementalPdfFileWriter
    from pyhanko.sign import fields, signers
    from pyhanko_certvalidator.registry import SimpleCertificateStore

    def der(text: str) -> bytes:
        return bytes(pem.unarmor(text.encode("ascii"))[2])

    signer = signers.SimpleSigner(
        signing_cert=asn1.Certificate.load(der(seal.certificate)),
        signing_key=keys.PrivateKeyInfo.load(der(seal.key)),
        cert_registry=SimpleCertificateStore(),  # type: ignore[no-untyped-call]
    )
    about = signers.PdfSignatureMetadata(
        field_name="Seal", md_algorithm="sha256", name=name, reason=reason, subfilter=fields.SigSeedSubFilter.PADES
    )
    with file.open("rb+") as handle:
        writer = IncrementalPdfFileWriter(handle)
        signers.PdfSigner(about, signer).sign_pdf(writer, in_place=True)


def seal_manifest(text: bytes, seal: Certificate) -> bytes:
    """A signature beside a text, base64: RSASSA-PKCS1-v1_5 with SHA-256 (RFC 8017), as openssl dgst makes and proves it."""
    key = serialization.load_pem_private_key(seal.key.encode("ascii"), None)
    if not isinstance(key, rsa.RSAPrivateKey):
        raise TypeError("the plant's seal is no RSA key")
    return base64.b64encode(key.sign(text, padding.PKCS1v15(), hashes.SHA256()))


def seal_proves(text: bytes, signature: bytes, certificate: str) -> bool:
    """Whether a signature beside a text is of that text, by the key of a certificate."""
    key = x509.load_pem_x509_certificate(certificate.encode("ascii")).public_key()
    if not isinstance(key, rsa.RSAPublicKey):
        return False
    try:
        key.verify(base64.b64decode(signature, validate=True), text, padding.PKCS1v15(), hashes.SHA256())
    except (InvalidSignature, ValueError):
        return False
    return True
