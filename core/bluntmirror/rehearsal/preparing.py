"""A design and a blank made ready to be compared with: worked out once for a grid, and kept beside the checkpoints."""

from __future__ import annotations

from dataclasses import fields

import numpy as np

from ..geometry.box_tree import BoxTree
from ..geometry.distance import Solid
from ..geometry.mesh import Mesh
from ..material.comparison import Prepared
from ..material.stock import Laid, Lattice
from .checkpoints import Arrays, Digest, Store, packed, unpacked

TREE = ("triangles", "boxes", "nodes", "order")
WORTH_KEEPING = 20_000  # triangles; of fewer it is worked out sooner than it is read


def prepared_for(store: Store | None, lattice: Lattice, blank: Mesh, design: Mesh) -> Prepared:
    """From the store, where it was made before; else made, and kept there."""
    if store is None or len(design.faces) < WORTH_KEEPING:
        return Prepared.of(lattice, blank, design)
    digest = Digest()
    digest.take(
        "prepared",
        design.vertices,
        design.faces,
        blank.vertices,
        blank.faces,
        lattice.origin,
        lattice.step,
        lattice.counts,
    )
    data = store.get(digest.key)
    state = unpacked(data) if data else None
    try:
        if state is not None:
            return _read(state)
    except (KeyError, ValueError, IndexError):  # not what is put there below: made anew
        pass
    made = Prepared.of(lattice, blank, design)
    store.put(digest.key, packed(_written(made)))
    return made


def _written(made: Prepared) -> Arrays:
    state: Arrays = {f"tree/{name}": getattr(made.solid.tree, name) for name in TREE} | {
        "normals": made.solid.normals,
        "faces": made.normals,
    }
    for kind, families in (("design", made.designs), ("blank", made.blanks)):
        for direction, laid in enumerate(families):
            state |= {f"{kind}{direction}/{f.name}": np.asarray(getattr(laid, f.name)) for f in fields(Laid)}
    return state


def _read(state: Arrays) -> Prepared:
    solid = Solid(BoxTree(*(state[f"tree/{name}"] for name in TREE)), state["normals"])
    designs, blanks = (
        [Laid(**{f.name: state[f"{kind}{direction}/{f.name}"] for f in fields(Laid) if f.name != "odd"},
              odd=int(state[f"{kind}{direction}/odd"])) for direction in range(3)]
        for kind in ("design", "blank")
    )  # fmt: skip
    return Prepared(solid, designs, blanks, state["faces"])
