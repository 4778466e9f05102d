"""Who this computer is to others: a certificate of its own, and those that were agreed on. Files for their owner's eyes
only. The name is a label, the certificate is who it is."""

import datetime
import hashlib
import os
import ssl
from pathlib import Path

import msgspec

from ...core.files.safe_read import convert, decode_json, read_bytes
from ...core.network.control_messages import Text

KEY_FILE, CERTIFICATE_FILE, AGREED_FILE = "peer_key.pem", "peer_certificate.pem", "agreed_peers.json"
MOST_AGREED, MOST_FILE = 64, 1 << 20


class AgreedPeer(msgspec.Struct, frozen=True, kw_only=True):
    """A computer that a code was exchanged with: its certificate, what it called itself, where it was last."""

    certificate: bytes
    name: Text
    address: Text = ""

    @property
    def id(self) -> str:
        return fingerprint(self.certificate)


def fingerprint(certificate: bytes) -> str:
    """By which a certificate (DER) is known: 32 hexadecimal digits."""
    return hashlib.sha256(certificate).hexdigest()[:32]


def is_certificate(data: bytes) -> bool:
    """Whether a connection can be asked for it (DER), and it is nothing else besides."""
    context = ssl.SSLContext(ssl.PROTOCOL_TLS_CLIENT)
    try:
        context.load_verify_locations(cadata=data)
    except (ssl.SSLError, ValueError):
        return False
    return context.get_ca_certs(binary_form=True) == [data]


def _write_private(file: Path, data: bytes) -> None:
    file.parent.mkdir(parents=True, exist_ok=True)
    part = file.with_name(file.name + ".part")
    with os.fdopen(os.open(part, os.O_WRONLY | os.O_CREAT | os.O_TRUNC, 0o600), "wb") as f:
        os.fchmod(f.fileno(), 0o600)
        f.write(data)
        f.flush()
        os.fsync(f.fileno())
    part.replace(file)


class Identity:
    """In `folder`, made when it is first asked for."""

    def __init__(self, folder: Path):
        self.folder = folder
        self.key_file, self.certificate_file = folder / KEY_FILE, folder / CERTIFICATE_FILE
        if not (self.key_file.exists() and self.certificate_file.exists()):
            self._make()
        self.certificate = ssl.PEM_cert_to_DER_cert(self.certificate_file.read_text())
        self.id = fingerprint(self.certificate)

    def _make(self) -> None:
        """No name, no place and no true dates in it: it says only which key."""
        from cryptography import x509
        from cryptography.hazmat.primitives import hashes, serialization
        from cryptography.hazmat.primitives.asymmetric import ec

        key = ec.generate_private_key(ec.SECP256R1())
        name = x509.Name([x509.NameAttribute(x509.NameOID.COMMON_NAME, "brucke")])
        utc = datetime.UTC
        made = (
            x509.CertificateBuilder().subject_name(name).issuer_name(name).public_key(key.public_key())
            .serial_number(x509.random_serial_number())
            .not_valid_before(datetime.datetime(2000, 1, 1, tzinfo=utc))
            .not_valid_after(datetime.datetime(2199, 1, 1, tzinfo=utc))
            .add_extension(x509.BasicConstraints(ca=True, path_length=0), critical=True)
            .sign(key, hashes.SHA256())
        )  # fmt: skip
        pem, plain = serialization.Encoding.PEM, serialization.NoEncryption()
        _write_private(self.key_file, key.private_bytes(pem, serialization.PrivateFormat.PKCS8, plain))
        _write_private(self.certificate_file, made.public_bytes(pem))

    # Who is agreed on

    def agreed(self) -> tuple[AgreedPeer, ...]:
        """Errors: ValueError where the file is none of ours."""
        file = self.folder / AGREED_FILE
        if not file.exists():
            return ()
        known = decode_json(read_bytes(file, MOST_FILE, "the computers that are known"))
        return convert(known, tuple[AgreedPeer, ...])[:MOST_AGREED]

    def agree(self, peer: AgreedPeer) -> None:
        """From now on this one is known."""
        others = tuple(p for p in self.agreed() if p.id != peer.id)
        _write_private(self.folder / AGREED_FILE, msgspec.json.encode((peer, *others)[:MOST_AGREED]))

    def forget(self, id: str) -> None:
        """From now on that one is a stranger."""
        _write_private(self.folder / AGREED_FILE, msgspec.json.encode(tuple(p for p in self.agreed() if p.id != id)))

    # Encrypted connections

    def context(self, server: bool, others: tuple[bytes, ...], strangers: bool = False) -> ssl.SSLContext:
        """TLS 1.3 with our certificate, for whoever has one of these certificates; `strangers` too, who are known by
        what they prove afterwards."""
        made = ssl.SSLContext(ssl.PROTOCOL_TLS_SERVER if server else ssl.PROTOCOL_TLS_CLIENT)
        made.minimum_version = ssl.TLSVersion.TLSv1_3
        made.check_hostname = False
        made.load_cert_chain(self.certificate_file, self.key_file)
        for other in others:
            if is_certificate(other):
                made.load_verify_locations(cadata=other)
        made.verify_mode = ssl.CERT_REQUIRED
        if strangers:
            made.verify_mode = ssl.CERT_OPTIONAL if server else ssl.CERT_NONE
        return made

    def stranger_context(self) -> ssl.SSLContext:
        """To ask somebody who does not know our certificate: without it, whoever answers."""
        made = ssl.SSLContext(ssl.PROTOCOL_TLS_CLIENT)
        made.minimum_version = ssl.TLSVersion.TLSv1_3
        made.check_hostname = False
        made.verify_mode = ssl.CERT_NONE
        return made
