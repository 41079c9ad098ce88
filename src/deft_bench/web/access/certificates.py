"""The bench's own certificate authority, made on the first start, and the certificate that it signs for the server.

The authority may sign for local names and private addresses only (RFC 5280, section 4.2.1.10), so that whoever trusts
it trusts nothing else by it.
"""

import os
import socket
from collections.abc import Sequence
from contextlib import suppress
from dataclasses import dataclass
from datetime import datetime, timedelta
from ipaddress import IPv4Address, IPv6Address, ip_address, ip_network
from pathlib import Path

from cryptography import x509
from cryptography.hazmat.primitives import hashes, serialization
from cryptography.hazmat.primitives.asymmetric import ec
from cryptography.x509.oid import ExtendedKeyUsageOID, NameOID

LOCAL_NETWORKS = (
    *("127.0.0.0/8", "10.0.0.0/8", "172.16.0.0/12", "192.168.0.0/16", "169.254.0.0/16"),
    *("::1/128", "fc00::/7", "fe80::/10"),
)
LOCAL_NAMES = ("localhost", "local", "lan", "internal", "home.arpa")
AUTHORITY_DAYS, SERVER_DAYS, RENEW_DAYS = 3650, 390, 30
"""Devices accept a server's certificate for little more than a year; it is made again a month before it ends."""

Address = IPv4Address | IPv6Address


@dataclass(frozen=True, slots=True)
class Certificate:
    """The files of a server's certificate, with what signed it, and of its key."""

    chain: Path
    key: Path


def own_addresses() -> list[Address]:
    """This machine's addresses on the local network, the one it is reached by first; the loopback last."""
    found: list[str] = []
    with suppress(OSError), socket.socket(socket.AF_INET, socket.SOCK_DGRAM) as probe:
        probe.connect(("10.255.255.255", 1))  # nothing is sent: it only asks which way it would go
        found.append(probe.getsockname()[0])
    with suppress(OSError):
        found += [str(info[4][0]) for info in socket.getaddrinfo(socket.gethostname(), None, socket.AF_INET)]
    addresses = [ip_address(text) for text in (*found, "127.0.0.1", "::1")]
    local = [address for address in dict.fromkeys(addresses) if is_local(address)]
    return sorted(local, key=lambda address: address.is_loopback)


def is_local(address: Address) -> bool:
    """Whether an address is of this machine or its local network."""
    plain = getattr(address, "ipv4_mapped", None) or address
    return any(plain in ip_network(network) for network in LOCAL_NETWORKS)


def certificate(folder: Path, names: Sequence[str], addresses: Sequence[Address], now: datetime) -> Certificate:
    """The server's certificate for local names and addresses, made where there is none, it is for others or soon over.

    Raises OSError where the folder cannot be written.
    """
    folder.mkdir(mode=0o700, parents=True, exist_ok=True)
    files = Certificate(folder / "server.pem", folder / "server.key")
    fitting = [name for name in dict.fromkeys(("localhost", *names)) if _may_sign(name)]
    wanted: list[x509.GeneralName] = [*map(x509.DNSName, fitting), *map(x509.IPAddress, addresses)]
    if _holds(files, wanted, now):
        return files
    authority, key = _authority(folder, now)
    own = ec.generate_private_key(ec.SECP256R1())
    signed = (
        _begun("Deft Bench server", authority.subject, own, now, SERVER_DAYS)
        .add_extension(x509.SubjectAlternativeName(wanted), critical=False)
        .add_extension(x509.BasicConstraints(ca=False, path_length=None), critical=True)
        .add_extension(x509.ExtendedKeyUsage([ExtendedKeyUsageOID.SERVER_AUTH]), critical=False)
        .add_extension(x509.AuthorityKeyIdentifier.from_issuer_public_key(key.public_key()), critical=False)
        .sign(key, hashes.SHA256())
    )
    _write(files.key, _pem(own))
    _write(files.chain, _public(signed) + _public(authority))
    return files


def fingerprint(folder: Path) -> str:
    """The authority's SHA-256, in pairs of digits, to compare by eye."""
    digest = x509.load_pem_x509_certificate((folder / "authority.pem").read_bytes()).fingerprint(hashes.SHA256())
    return digest.hex(":").upper()


def _may_sign(name: str) -> bool:
    return any(name == local or name.endswith(f".{local}") for local in LOCAL_NAMES)


def _holds(files: Certificate, wanted: list[x509.GeneralName], now: datetime) -> bool:
    try:
        found = x509.load_pem_x509_certificate(files.chain.read_bytes())
        named = found.extensions.get_extension_for_class(x509.SubjectAlternativeName).value
        serialization.load_pem_private_key(files.key.read_bytes(), None)
    except (OSError, ValueError, x509.ExtensionNotFound):
        return False
    lasts = found.not_valid_before_utc <= now and now + timedelta(days=RENEW_DAYS) < found.not_valid_after_utc
    return lasts and set(wanted) <= set(named)


def _authority(folder: Path, now: datetime) -> tuple[x509.Certificate, ec.EllipticCurvePrivateKey]:
    """The authority and its key, made where either is missing or over."""
    at, key_at = folder / "authority.pem", folder / "authority.key"
    with suppress(OSError, ValueError):
        found = x509.load_pem_x509_certificate(at.read_bytes())
        key = serialization.load_pem_private_key(key_at.read_bytes(), None)
        if isinstance(key, ec.EllipticCurvePrivateKey) and now < found.not_valid_after_utc:
            return found, key
    made = ec.generate_private_key(ec.SECP256R1())
    name = x509.Name([x509.NameAttribute(NameOID.COMMON_NAME, "Deft Bench, this bench's own authority")])
    permitted = [*map(x509.DNSName, LOCAL_NAMES), *(x509.IPAddress(ip_network(one)) for one in LOCAL_NETWORKS)]
    signs = dict.fromkeys(
        ("digital_signature", "content_commitment", "key_encipherment", "data_encipherment", "key_agreement"), False
    ) | {"encipher_only": False, "decipher_only": False}
    authority = (
        _begun("Deft Bench, this bench's own authority", name, made, now, AUTHORITY_DAYS)
        .add_extension(x509.BasicConstraints(ca=True, path_length=0), critical=True)
        .add_extension(x509.KeyUsage(key_cert_sign=True, crl_sign=True, **signs), critical=True)
        .add_extension(x509.NameConstraints(permitted, None), critical=True)
        .sign(made, hashes.SHA256())
    )
    _write(key_at, _pem(made))
    _write(at, _public(authority))
    return authority, made


def _begun(
    subject: str, issuer: x509.Name, key: ec.EllipticCurvePrivateKey, now: datetime, days: int
) -> x509.CertificateBuilder:
    """What every certificate says; it holds from a day before, for devices whose clock is behind."""
    return (
        x509.CertificateBuilder()
        .subject_name(x509.Name([x509.NameAttribute(NameOID.COMMON_NAME, subject)]))
        .issuer_name(issuer)
        .public_key(key.public_key())
        .serial_number(x509.random_serial_number())
        .not_valid_before(now - timedelta(days=1))
        .not_valid_after(now + timedelta(days=days))
        .add_extension(x509.SubjectKeyIdentifier.from_public_key(key.public_key()), critical=False)
    )


def _pem(key: ec.EllipticCurvePrivateKey) -> bytes:
    return key.private_bytes(
        serialization.Encoding.PEM, serialization.PrivateFormat.PKCS8, serialization.NoEncryption()
    )


def _public(made: x509.Certificate) -> bytes:
    return made.public_bytes(serialization.Encoding.PEM)


def _write(path: Path, content: bytes) -> None:
    """Write a file that only its owner reads, whole or not at all."""
    part = path.with_suffix(".part")
    part.unlink(missing_ok=True)
    with os.fdopen(os.open(part, os.O_WRONLY | os.O_CREAT | os.O_EXCL, 0o600), "wb") as file:
        file.write(content)
    part.replace(path)
