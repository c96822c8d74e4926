"""Traces, recordings, closed journeys by the hash of their contents; read when looked at."""

from __future__ import annotations

import hashlib

from sqlalchemy.orm import Session, undefer

from glowdial.core.language.errors import NotFound
from glowdial.store.tables import BlobRow


def keep_blob(session: Session, content: bytes, media_type: str) -> str:
    """Keep bytes once, however often they come; returns their hash."""
    digest = hashlib.sha256(content).hexdigest()
    if session.get(BlobRow, digest) is None:
        row = BlobRow(sha256=digest, media_type=media_type, content=content, size=len(content))
        session.add(row)
        session.flush()
    return digest


def blob_of(session: Session, digest: str) -> BlobRow:
    """The bytes of a hash; raises NotFound."""
    row = session.get(BlobRow, digest, options=(undefer(BlobRow.content),))
    if row is None:
        raise NotFound("trace", digest)
    return row
