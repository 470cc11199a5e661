"""The shop's signature on a document: whoever changes a page afterwards breaks it.

The key follows from the server's secret, which goes with every backup, so all servers of a shop sign with one key and a restored
shop with the same. Nobody vouches for it but the shop itself: its fingerprint stands on the page that checks sheets.
"""

from __future__ import annotations

import io
from datetime import UTC, datetime
from hashlib import sha256
from typing import TYPE_CHECKING

if TYPE_CHECKING:
    from cryptography.hazmat.primitives.asymmetric.ec import EllipticCurvePrivateKey
    from cryptography.x509 import Certificate

__all__ = ["fingerprint", "sign_pdf"]

# Of P-256, the curve of the key (SEC 2, secp256r1): private keys are 1 to this less one.
_ORDER = 0xFFFFFFFF00000000FFFFFFFFFFFFFFFFBCE6FAADA7179E84F3B9CAC2FC632551
_FROM, _UNTIL = datetime(2020, 1, 1, tzinfo=UTC), datetime(2120, 1, 1, tzinfo=UTC)


def _key(secret: str) -> EllipticCurvePrivateKey:
    from cryptography.hazmat.primitives.asymmetric import ec
    from cryptography.hazmat.primitives.hashes import SHA512
    from cryptography.hazmat.primitives.kdf.hkdf import HKDF

    drawn = HKDF(SHA512(), length=48, salt=None, info=b"sheets of this shop").derive(secret.encode())
    return ec.derive_private_key(int.from_bytes(drawn, "big") % (_ORDER - 1) + 1, ec.SECP256R1())


def fingerprint(secret: str) -> str:
    """SHA-256 of the public key (SubjectPublicKeyInfo), as hexadecimal digits in fours."""
    from cryptography.hazmat.primitives.serialization import Encoding, PublicFormat

    told = _key(secret).public_key().public_bytes(Encoding.DER, PublicFormat.SubjectPublicKeyInfo)
    digest = sha256(told).hexdigest()
    return " ".join(digest[at : at + 4] for at in range(0, len(digest), 4))


def _certificate(key: EllipticCurvePrivateKey, shop: str) -> Certificate:
    from cryptography import x509
    from cryptography.hazmat.primitives.hashes import SHA256
    from cryptography.x509.oid import NameOID

    name = x509.Name([x509.NameAttribute(NameOID.COMMON_NAME, shop[:64])])
    usage = x509.KeyUsage(
        digital_signature=True,
        content_commitment=True,
        key_encipherment=False,
        data_encipherment=False,
        key_agreement=False,
        key_cert_sign=False,
        crl_sign=False,
        encipher_only=False,
        decipher_only=False,
    )
    public = key.public_key()
    return (
        x509.CertificateBuilder()
        .subject_name(name)
        .issuer_name(name)
        .public_key(public)
        .serial_number(public.public_numbers().x >> 100)
        .not_valid_before(_FROM)
        .not_valid_after(_UNTIL)
        .add_extension(x509.BasicConstraints(ca=False, path_length=None), critical=True)
        .add_extension(usage, critical=True)
        .sign(key, SHA256())
    )


def sign_pdf(pdf: bytes, secret: str, shop: str, reason: str) -> bytes:
    """The document with the shop's signature (PAdES) added behind it."""
    from asn1crypto import keys
    from asn1crypto import x509 as asn1_x509
    from cryptography.hazmat.primitives.serialization import Encoding, NoEncryption, PrivateFormat
    from pyhanko.pdf_utils.incremental_writer import IncrementalPdfFileWriter
    from pyhanko.sign import PdfSignatureMetadata, SimpleSigner, sign_pdf
    from pyhanko.sign.fields import SigSeedSubFilter
    from pyhanko_certvalidator.registry import SimpleCertificateStore

    key = _key(secret)
    plain = key.private_bytes(Encoding.DER, PrivateFormat.PKCS8, NoEncryption())
    signer = SimpleSigner(
        signing_cert=asn1_x509.Certificate.load(_certificate(key, shop).public_bytes(Encoding.DER)),
        signing_key=keys.PrivateKeyInfo.load(plain),
        cert_registry=SimpleCertificateStore(),  # type: ignore[no-untyped-call]
    )
    about = PdfSignatureMetadata(
        field_name="Shop", reason=reason, name=shop[:64], md_algorithm="sha256", subfilter=SigSeedSubFilter.PADES
    )
    signed = io.BytesIO()
    sign_pdf(IncrementalPdfFileWriter(io.BytesIO(pdf)), about, signer=signer, output=signed)
    return signed.getvalue()
