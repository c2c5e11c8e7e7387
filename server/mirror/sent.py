"""Files of the store on their way to whoever asked: by an address of the store's own where it may be asked itself, else a piece at a time, or the
stretch that was asked for (RFC 9110, 14)."""

import re
from collections.abc import Iterator

from django.db.models.fields.files import FieldFile
from django.http import HttpRequest, HttpResponse, HttpResponseRedirect, StreamingHttpResponse
from django.http.response import HttpResponseBase

from jobs.store import store

AT_ONCE = 2_000_000  # bytes up to which a file goes in one piece
PIECE = 1_000_000
ONE_RANGE = re.compile(r"bytes=(\d*)-(\d*)")


def sent(request: HttpRequest, file: FieldFile, media_type: str, packed: bool = False) -> HttpResponseBase:
    """A file as it is kept; `packed`: it is, and says so. Raises Lost and Away."""
    size = file.size
    if size > AT_ONCE and (address := store().address(file.name, media_type, packed)):
        return HttpResponseRedirect(address)
    begin, end = _asked(request, size)
    if begin >= end and size:
        return HttpResponse(status=416, headers={"Content-Range": f"bytes */{size}"})
    headers = {"Accept-Ranges": "bytes", "Content-Length": str(end - begin)}
    status = 200
    if end - begin < size:
        status, headers["Content-Range"] = 206, f"bytes {begin}-{end - 1}/{size}"
    if packed:
        headers["Content-Encoding"] = "gzip"
    if end - begin <= AT_ONCE:
        return HttpResponse(store().parts(file.name, [(begin, end)]), media_type, status, headers=headers)
    return StreamingHttpResponse(_pieces(file.name, begin, end), media_type, status, headers=headers)


def _pieces(name: str, begin: int, end: int) -> Iterator[bytes]:
    for at in range(begin, end, PIECE):
        yield store().parts(name, [(at, min(at + PIECE, end))])


def _asked(request: HttpRequest, size: int) -> tuple[int, int]:
    """The first byte that was asked for and the one after the last; all where no range, or none that we read, was asked for."""
    asked = ONE_RANGE.fullmatch(request.headers.get("Range", "").strip())
    if asked is None or asked.groups() == ("", ""):
        return 0, size
    first, last = asked.groups()
    if not first:
        return max(size - int(last), 0), size
    return int(first), min(int(last) + 1, size) if last else size
