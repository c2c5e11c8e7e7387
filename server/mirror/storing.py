"""What `MIRROR_STORE` says of where files are kept, in Django's words."""

from pathlib import Path
from typing import Any
from urllib.parse import parse_qs, unquote, urlsplit

from django.core.exceptions import ImproperlyConfigured


def storage_of(address: str, own: Path, reached_at: str = "") -> dict[str, Any]:
    """What Django is told of a store: `own` where no address is given, `/a/folder`, or
    `s3://KEY:SECRET@host:port/bucket?region=…&tls=0`. Raises ImproperlyConfigured."""
    parts = urlsplit(address)
    if parts.scheme in ("", "file"):
        if address and not parts.path.startswith("/"):
            raise ImproperlyConfigured(f"MIRROR_STORE={address}: name a folder by its whole path")
        location = Path(parts.path) if address else own
        return {"BACKEND": "jobs.store.Folder", "OPTIONS": {"location": location, "mounted": bool(address)}}
    bucket, asked = parts.path.strip("/"), parse_qs(parts.query)
    if parts.scheme != "s3" or not (parts.hostname and parts.username and parts.password and bucket) or "/" in bucket:
        raise ImproperlyConfigured("MIRROR_STORE is a folder's whole path, or s3://KEY:SECRET@host/bucket")
    scheme = "http" if asked.get("tls") == ["0"] else "https"
    host = f"{parts.hostname}:{parts.port}" if parts.port else parts.hostname
    return {
        "BACKEND": "jobs.bucket.Bucket",
        "OPTIONS": {
            "bucket_name": bucket, "endpoint_url": f"{scheme}://{host}", "access_key": unquote(parts.username),
            "secret_key": unquote(parts.password), "region_name": asked.get("region", ["us-east-1"])[0], "reached_at": reached_at,
        },
    }  # fmt: skip
