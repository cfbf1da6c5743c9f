"""By what the processes of a cluster know each other: one certificate for all of them, with its key.

Reference: distributed's own use of TLS, in which a certificate signed by the authority is what lets one in, whatever host it names.
"""

from __future__ import annotations

from pathlib import Path

from distributed.security import Security

from fenrain.core.errors import StorageError
from fenrain.core.files import write_whole
from fenrain.settings import settings

ROLES = ("client", "scheduler", "worker")


def write_certificate(path: Path) -> None:
    """Write a new certificate with its key to a file. Raises StorageError."""
    made = Security.temporary()
    write_whole(path, f"{made.tls_client_cert}{made.tls_client_key}")


def security() -> Security | None:
    """By the certificate that the settings name; None without one. Raises StorageError where it is not there."""
    path = settings().certificate
    if path is None:
        return None
    if not path.is_file():
        raise StorageError("There is no such certificate.", place=str(path), remedy="Make one with “fenrain certificate”, and hand it on.")
    files = {f"tls_{role}_{part}": str(path) for role in ROLES for part in ("cert", "key")}
    return Security(require_encryption=True, tls_ca_file=str(path), **files)
