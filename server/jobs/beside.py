"""Two parts beside each other: what one rehearsal left of the first stock and another did not, in numbers and pictures."""

import base64
import gzip
import tempfile
from pathlib import Path
from typing import Any

import numpy as np

from bluntmirror.export.picture import GOUGE, LEFT, SHADES, SIDES, Drawn, whole
from bluntmirror.geometry.distance import Solid
from bluntmirror.geometry.mesh import Mesh
from bluntmirror.geometry.meshfile import read_mesh

from .models import Rehearsal
from .services import Refused

Json = dict[str, Any]
STOCK = "stock.stl"
SAME_MM = 0.02  # surfaces nearer to each other than this are the same: the stock's own edges are no more exact
REACH_MM = 50.0


def difference(one: Rehearsal, other: Rehearsal) -> Json:
    """How far the other part stands beyond the one (`more`) and within it (`less`), mm at most, how much more its volume is (mm³), and the
    other part from above and from below: dark where it is cut deeper, lighter where more is left. Raises Refused."""
    if one.revision.job.organisation_id != other.revision.job.organisation_id:
        raise Refused("there is no such rehearsal")
    first, second = _part(one), _part(other)
    away = Solid.of(first).distance(second.triangles.mean(axis=1), REACH_MM)
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


def _part(row: Rehearsal) -> Mesh:
    stored = row.artifacts.filter(name=STOCK).first()
    if row.state != Rehearsal.State.DONE or stored is None:
        raise Refused("one of the two has no part: it has no stock, or is not done")
    with stored.file.open("rb") as source, tempfile.NamedTemporaryFile(suffix=".stl") as out:
        Path(out.name).write_bytes(gzip.decompress(source.read()))
        return read_mesh(Path(out.name))
