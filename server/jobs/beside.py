"""Two parts beside each other: what one rehearsal left of the first stock and another did not, in numbers and pictures."""

import base64
import gzip
import struct
import tempfile
from pathlib import Path
from typing import Any

import numpy as np

from bluntmirror.export.picture import GOUGE, LEFT, SHADES, SIDES, Drawn, whole
from bluntmirror.geometry.distance import Solid
from bluntmirror.geometry.frames import Floats
from bluntmirror.geometry.mesh import Mesh
from bluntmirror.geometry.meshfile import read_mesh

from . import setups
from .models import Rehearsal
from .services import Refused

Json = dict[str, Any]
_held: "setups.Kept[tuple[Mesh, Mesh, Floats]]" = setups.Kept(2)  # what is left of a rehearsal never changes
STOCK = "stock.stl"
SAME_MM = 0.02  # surfaces nearer to each other than this are the same: the stock's own edges are no more exact
REACH_MM = 50.0


def difference(one: Rehearsal, other: Rehearsal) -> Json:
    """How far the other part stands beyond the one (`more`) and within it (`less`), mm at most, how much more its volume is (mm³), and the
    other part from above and from below: dark where it is cut deeper, lighter where more is left. Raises Refused."""
    first, second, away = _apart(one, other)
    shades = np.tile(np.array(SHADES["stock"], float), (len(second.faces), 1))
    shades[away > SAME_MM], shades[away < -SAME_MM] = LEFT, GOUGE
    drawn = [Drawn(second, shades, True)]
    pictures = []
    for way in (SIDES[0], SIDES[3] * np.array([1.0, 1.0, -1.0])):
        data = whole(drawn, 480, 320, way)
        if data is not None:
            pictures.append("data:image/png;base64," + base64.b64encode(data).decode())
    return {
        "more": float(max(away.max(initial=0.0), 0.0)), "less": float(max(-away.min(initial=0.0), 0.0)),
        "volume": float(second.volume - first.volume), "pictures": pictures,
    }  # fmt: skip


def surface(one: Rehearsal, other: Rehearsal) -> bytes:
    """The other part's surface as it differs from the one, to be turned about: how many corners and triangles (uint32 each), the corners
    (float32, mm, frame of its mount), the triangles' corners (uint32), and how far each triangle's middle stands beyond the one part
    (float32, mm, below 0 within it). Raises Refused."""
    _first, second, away = _apart(one, other)
    return b"".join((
        struct.pack("<II", len(second.vertices), len(second.faces)), second.vertices.astype("<f4").tobytes(),
        second.faces.astype("<u4").tobytes(), away.astype("<f4").tobytes(),
    ))  # fmt: skip


def _apart(one: Rehearsal, other: Rehearsal) -> tuple[Mesh, Mesh, Floats]:
    """Both parts, and how far every triangle of the other stands beyond the one. Raises Refused."""
    if one.revision.job.organisation_id != other.revision.job.organisation_id:
        raise Refused("there is no such rehearsal")

    def made() -> tuple[Mesh, Mesh, Floats]:
        first, second = _part(one), _part(other)
        return first, second, Solid.of(first).distance(second.triangles.mean(axis=1), REACH_MM)

    return _held.get(f"{one.pk} {other.pk}", made)


def _part(row: Rehearsal) -> Mesh:
    stored = row.artifacts.filter(name=STOCK).first()
    if row.state != Rehearsal.State.DONE or stored is None:
        raise Refused("one of the two has no part: it has no stock, or is not done")
    with stored.file.open("rb") as source, tempfile.NamedTemporaryFile(suffix=".stl") as out:
        Path(out.name).write_bytes(gzip.decompress(source.read()))
        return read_mesh(Path(out.name))
