"""A self-signed certificate for the stand-in mail service."""

from datetime import UTC, datetime, timedelta
from ipaddress import ip_address
from pathlib import Path

from cryptography import x509
from cryptography.hazmat.primitives import hashes, serialization
from cryptography.hazmat.primitives.asymmetric import ec
from cryptography.x509.oid import NameOID

from nebbet.standin.ports import HOST, certificate_path


def make_certificate(folder: Path, host: str = HOST, *, now: datetime) -> tuple[Path, Path]:
    """Make a key and a certificate for a host in a folder, unless they are there already.

    Returns the paths of certificate and key.
    """
    certificate_file = certificate_path(folder, host)
    key_file = folder / f"{host}.key.pem"
    if certificate_file.exists() and key_file.exists():
        return certificate_file, key_file
    key = ec.generate_private_key(ec.SECP256R1())
    folder.mkdir(parents=True, exist_ok=True)
    key_file.touch(mode=0o600)
    key_file.write_bytes(
        key.private_bytes(
            serialization.Encoding.PEM,
            serialization.PrivateFormat.PKCS8,
            serialization.NoEncryption(),
        )
    )
    certificate = _sign(key, host, now.astimezone(UTC))
    certificate_file.write_bytes(certificate.public_bytes(serialization.Encoding.PEM))
    return certificate_file, key_file


def _sign(key: ec.EllipticCurvePrivateKey, host: str, now: datetime) -> x509.Certificate:
    name = x509.Name([x509.NameAttribute(NameOID.COMMON_NAME, f"Nebbet stand-in, {host}")])
    general: x509.GeneralName = (
        x509.IPAddress(ip_address(host)) if host[0].isdigit() else x509.DNSName(host)
    )
    return (
        x509.CertificateBuilder()
        .subject_name(name)
        .issuer_name(name)
        .public_key(key.public_key())
        .serial_number(x509.random_serial_number())
        .not_valid_before(now - timedelta(days=1))
        .not_valid_after(now + timedelta(days=3650))
        .add_extension(x509.SubjectAlternativeName([general]), critical=False)
        .add_extension(x509.BasicConstraints(ca=True, path_length=None), critical=True)
        .sign(key, hashes.SHA256())
    )
