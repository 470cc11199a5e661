"""Opening the shop's server to its own network: what it listens on, with which certificate, and how a tablet comes in."""

from __future__ import annotations

import contextlib
import os
import socket
from dataclasses import dataclass
from datetime import UTC, datetime, timedelta
from hashlib import sha256
from ipaddress import ip_address
from pathlib import Path

from irongauge.errors import SetupError
from irongauge.settings import Settings

__all__ = ["AUTHORITY", "Opened", "open_to_lan"]

AUTHORITY = "tls/authority.pem"
_LASTS = timedelta(days=390)  # tablets take nothing longer from a server
_SOON = timedelta(days=45)


@dataclass(frozen=True)
class Opened:
    """What the server is opened with."""

    addresses: tuple[str, ...]
    certificate: Path
    key: Path
    fingerprint: str  # of the shop's own authority; empty where the shop has a certificate of somebody else's

    def told(self, port: int) -> str:
        """What who starts it has to know."""
        where = "\n".join(f"  https://{address}:{port}" for address in self.addresses)
        lines = [f"Open to this network, to everybody who has a name and a password here:\n{where}"]
        if self.fingerprint:
            lines.append(
                "A tablet does not know this shop’s certificate at first. Open one of the addresses on it, go on in spite of\n"
                "the warning, open /authority.pem there, and install what comes as an authority that is trusted, if its\n"
                f"fingerprint (SHA-256) is {self.fingerprint}"
            )
        return "\n".join(lines)


def open_to_lan(settings: Settings, *, has_foreman: bool) -> Opened:
    """The certificate to serve with, made where there is none: the shop's own files, or from an authority of its own.

    `SetupError` where nobody could be let in but a stranger: people are set up first, on the machine itself.
    """
    if not has_foreman:
        raise SetupError(
            "Nobody can come in here by name yet, so nothing is opened to the network. Start ./iron serve, set up the first "
            f"foreman in a browser on this machine (http://127.0.0.1:{settings.port}), then start again with --lan."
        )
    addresses = _addresses()
    if settings.tls_certificate is not None and settings.tls_key is not None:
        for path in (settings.tls_certificate, settings.tls_key):
            if not path.is_file():
                raise SetupError(f"{path} is not there. Set IRON_TLS_CERTIFICATE and IRON_TLS_KEY, or neither.")
        return Opened(addresses, settings.tls_certificate, settings.tls_key, "")
    return _own_certificate(settings.local_dir / "tls", addresses)


def _addresses() -> tuple[str, ...]:
    """The addresses and the name that this machine has in its network."""
    found = {info[4][0] for info in socket.getaddrinfo(socket.gethostname(), None, proto=socket.IPPROTO_TCP)}
    with contextlib.suppress(OSError), socket.socket(socket.AF_INET, socket.SOCK_DGRAM) as probe:
        probe.connect(("192.0.2.1", 9))  # sends nothing: only the address that it would be sent from is asked for
        found.add(probe.getsockname()[0])
    seen = [str(one) for one in found if not ip_address(one).is_loopback and "%" not in str(one)]
    ordered = sorted(seen, key=lambda one: (ip_address(one).version, one))
    return (*(f"[{one}]" if ":" in one else one for one in ordered), f"{socket.gethostname()}.local")


def _own_certificate(folder: Path, addresses: tuple[str, ...]) -> Opened:
    import trustme
    from cryptography import x509
    from cryptography.hazmat.primitives.serialization import Encoding

    folder.mkdir(parents=True, exist_ok=True)
    folder.chmod(0o700)
    authority, authority_key = folder / "authority.pem", folder / "authority-key.pem"
    if authority.exists() and authority_key.exists():
        ca = trustme.CA.from_pem(authority.read_bytes(), authority_key.read_bytes())
    else:
        ca = trustme.CA(organization_name="Iron Gauge", organization_unit_name=socket.gethostname())
        _keep(authority, ca.cert_pem.bytes())
        _keep(authority_key, ca.private_key_pem.bytes())
    names = ("localhost", "127.0.0.1", "::1", *(address.strip("[]") for address in addresses))
    certificate, key = folder / "server.pem", folder / "server-key.pem"
    if not _still_good(certificate, key, names):
        leaf = ca.issue_cert(
            *names, not_before=datetime.now(UTC) - timedelta(days=1), not_after=datetime.now(UTC) + _LASTS
        )
        _keep(certificate, b"".join(blob.bytes() for blob in leaf.cert_chain_pems))
        _keep(key, leaf.private_key_pem.bytes())
    der = x509.load_pem_x509_certificate(authority.read_bytes()).public_bytes(Encoding.DER)
    digest = sha256(der).hexdigest().upper()
    return Opened(addresses, certificate, key, ":".join(digest[at : at + 2] for at in range(0, len(digest), 2)))


def _still_good(certificate: Path, key: Path, names: tuple[str, ...]) -> bool:
    """True where there is a certificate for all these names that does not end soon."""
    from cryptography import x509

    if not (certificate.exists() and key.exists()):
        return False
    found = x509.load_pem_x509_certificate(certificate.read_bytes())
    alternatives = found.extensions.get_extension_for_class(x509.SubjectAlternativeName).value
    has = {*alternatives.get_values_for_type(x509.DNSName)}
    has |= {str(address) for address in alternatives.get_values_for_type(x509.IPAddress)}
    return set(names) <= has and found.not_valid_after_utc - datetime.now(UTC) > _SOON


def _keep(path: Path, content: bytes) -> None:
    handle = os.open(path, os.O_WRONLY | os.O_CREAT | os.O_TRUNC, 0o600)
    with os.fdopen(handle, "wb") as file:
        file.write(content)
