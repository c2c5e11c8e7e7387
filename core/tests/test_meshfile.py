"""Mesh files: each format read to millimetres, and each way in which one can be no use."""

import itertools
import json
import struct
import tempfile
import unittest
import unittest.mock
import zipfile
from pathlib import Path

import numpy as np
import trimesh

from bluntmirror.geometry import mesh as meshes
from bluntmirror.geometry import meshfile
from bluntmirror.geometry.mesh import Mesh
from bluntmirror.geometry.meshfile import MAX_TRIANGLES, MIXED, MeshUnreadable, checked, read_mesh, welded, write_stl

SIZE = np.array([30.0, 20.0, 10.0])


def step_block(size: np.ndarray) -> str:
    """A block from the origin as a STEP file (ISO 10303-21, AP214), millimetres, written entity by entity."""
    lines: list[str] = []

    def put(text: str) -> str:
        lines.append(f"#{len(lines) + 1}={text};")
        return f"#{len(lines)}"

    def point(p: np.ndarray) -> str:
        return put(f"CARTESIAN_POINT('',({p[0]:.6f},{p[1]:.6f},{p[2]:.6f}))")

    def direction(d: np.ndarray) -> str:
        return put(f"DIRECTION('',({d[0]:.6f},{d[1]:.6f},{d[2]:.6f}))")

    corners = [np.array(c) * size for c in itertools.product((0.0, 1.0), repeat=3)]
    vertices = [put(f"VERTEX_POINT('',{point(c)})") for c in corners]
    edges: dict[tuple[int, int], str] = {}

    def edge(a: int, b: int) -> str:
        """The edge from corner a to b, as an oriented use of the one edge between the two."""
        low, high = min(a, b), max(a, b)
        if (low, high) not in edges:
            way = corners[high] - corners[low]
            length = float(np.linalg.norm(way))
            line = put(
                f"LINE('',{point(corners[low])},{put(f'VECTOR({chr(39)}{chr(39)},{direction(way / length)},{length:.6f})')})"
            )
            edges[low, high] = put(f"EDGE_CURVE('',{vertices[low]},{vertices[high]},{line},.T.)")
        return put(f"ORIENTED_EDGE('',*,*,{edges[low, high]},{'.T.' if a < b else '.F.'})")

    faces = []
    for loop in (
        (0, 1, 3, 2),
        (4, 6, 7, 5),
        (0, 4, 5, 1),
        (2, 3, 7, 6),
        (0, 2, 6, 4),
        (1, 5, 7, 3),
    ):  # seen from outside
        around = [edge(a, b) for a, b in zip(loop, loop[1:] + loop[:1], strict=True)]
        first, second = corners[loop[1]] - corners[loop[0]], corners[loop[2]] - corners[loop[1]]
        normal = np.cross(first, second)
        placement = put(
            f"AXIS2_PLACEMENT_3D('',{point(corners[loop[0]])},{direction(normal / np.linalg.norm(normal))},"
            f"{direction(first / np.linalg.norm(first))})"
        )
        bound = put(f"FACE_OUTER_BOUND('',{put(f'EDGE_LOOP({chr(39)}{chr(39)},({chr(44).join(around)}))')},.T.)")
        faces.append(put(f"ADVANCED_FACE('',({bound}),{put(f'PLANE({chr(39)}{chr(39)},{placement})')},.T.)"))
    shell = put(f"CLOSED_SHELL('',({','.join(faces)}))")
    solid = put(f"MANIFOLD_SOLID_BREP('',{shell})")
    millimetre = put("(LENGTH_UNIT()NAMED_UNIT(*)SI_UNIT(.MILLI.,.METRE.))")
    radian = put("(NAMED_UNIT(*)PLANE_ANGLE_UNIT()SI_UNIT($,.RADIAN.))")
    steradian = put("(NAMED_UNIT(*)SI_UNIT($,.STERADIAN.)SOLID_ANGLE_UNIT())")
    exact = put(f"UNCERTAINTY_MEASURE_WITH_UNIT(LENGTH_MEASURE(1.E-7),{millimetre},'','')")
    context = put(
        f"(GEOMETRIC_REPRESENTATION_CONTEXT(3)GLOBAL_UNCERTAINTY_ASSIGNED_CONTEXT(({exact}))"
        f"GLOBAL_UNIT_ASSIGNED_CONTEXT(({millimetre},{radian},{steradian}))REPRESENTATION_CONTEXT('',''))"
    )
    shape = put(f"ADVANCED_BREP_SHAPE_REPRESENTATION('',({solid}),{context})")
    application = put("APPLICATION_CONTEXT('automotive_design')")
    product = put(
        f"PRODUCT('block','block','',({put(f'PRODUCT_CONTEXT({chr(39)}{chr(39)},{application},{chr(39)}mechanical{chr(39)})')}))"
    )
    formation = put(f"PRODUCT_DEFINITION_FORMATION('','',{product})")
    definition = put(
        f"PRODUCT_DEFINITION('','',{formation},{put(f'PRODUCT_DEFINITION_CONTEXT({chr(39)}{chr(39)},{application},{chr(39)}design{chr(39)})')})"
    )
    put(
        f"SHAPE_DEFINITION_REPRESENTATION({put(f'PRODUCT_DEFINITION_SHAPE({chr(39)}{chr(39)},{chr(39)}{chr(39)},{definition})')},{shape})"
    )
    head = "ISO-10303-21;\nHEADER;\nFILE_DESCRIPTION((''),'2;1');\nFILE_NAME('','',(''),(''),'','','');\nFILE_SCHEMA(('AUTOMOTIVE_DESIGN'));\nENDSEC;\nDATA;\n"
    return head + "\n".join(lines) + "\nENDSEC;\nEND-ISO-10303-21;\n"


class Welding(unittest.TestCase):
    def test_corners_equal_to_the_bit_become_one_however_their_numbers_are_mixed(self) -> None:
        """The twin: a dictionary of rows. Coordinates as a float32 file has them, and close ones; and with a mixing that tells nothing apart."""
        random = np.random.default_rng(5)
        known = np.concatenate(
            [random.uniform(-50, 50, (40, 3)).astype(np.float32), [[0.0, -0.0, 1.0], [0.0, 0.0, 1.0]]]
        ).astype(float)
        known = np.concatenate([known, known + [1e-12, 0, 0], known[:, ::-1]])
        corners = known[random.integers(0, len(known), (300, 3))]
        numbers: dict[tuple[float, ...], int] = {}
        for corner in corners.reshape(-1, 3).tolist():
            numbers.setdefault(tuple(corner), len(numbers))
        whole = [len({numbers[tuple(c)] for c in triangle}) == 3 for triangle in corners.tolist()]
        for mixed in (MIXED, np.zeros(3, np.uint64)):
            with unittest.mock.patch.object(meshfile, "MIXED", mixed):
                mesh = welded(corners)
            np.testing.assert_array_equal(mesh.triangles, corners[whole])
            self.assertEqual(len(mesh.vertices), len(numbers))


class MeshFiles(unittest.TestCase):
    def setUp(self) -> None:
        keep = tempfile.TemporaryDirectory()
        self.addCleanup(keep.cleanup)
        self.folder = Path(keep.name)

    def same_block(self, mesh: Mesh, places: int = 4) -> None:
        self.assertTrue(mesh.closed)
        self.assertAlmostEqual(mesh.volume, float(np.prod(SIZE)), delta=10.0**-places * 6000)
        np.testing.assert_allclose(np.ptp(mesh.vertices, axis=0), SIZE, atol=10.0**-places)

    def test_every_format_comes_in_millimetres(self) -> None:
        block = trimesh.creation.box(SIZE)
        for name, unit in (("a.stl", 1.0), ("a.3mf", 1.0), ("a.glb", 0.001)):  # a GLB is in metres (glTF 2.0, 3.1)
            with self.subTest(name):
                moved = block.copy()
                moved.apply_scale(unit)
                moved.export(self.folder / name)
                self.same_block(read_mesh(self.folder / name))
        (self.folder / "a.step").write_text(step_block(SIZE))
        self.same_block(read_mesh(self.folder / "a.step"), places=3)

    def test_the_text_form_of_stl(self) -> None:
        (self.folder / "a.stl").write_text(trimesh.creation.box(SIZE).export(file_type="stl_ascii"))
        self.same_block(read_mesh(self.folder / "a.stl"))

    def test_what_is_written_is_read_again(self) -> None:
        tube = meshes.tube(20, 12, 9)
        write_stl(self.folder / "a.stl", tube, "named")
        again = read_mesh(self.folder / "a.stl")
        self.assertTrue(again.closed)
        self.assertAlmostEqual(again.volume, tube.volume, delta=0.01)
        theirs = trimesh.load_mesh(self.folder / "a.stl")
        self.assertTrue(theirs.is_watertight)
        self.assertAlmostEqual(theirs.volume, tube.volume, delta=0.01)

    def test_what_is_no_mesh_says_why(self) -> None:
        cut_off = struct.pack("<80sI", b"", 12) + b"\0" * 100
        nan = struct.pack("<80sI", b"", 1) + struct.pack("<12fH", *[0.0] * 3, *[float("nan")] * 9, 0)
        far = struct.pack("<80sI", b"", 1) + struct.pack("<12fH", *[0.0] * 3, 0, 0, 0, 9e6, 0, 0, 0, 9e6, 0, 0)
        for name, data, says in (
            ("a.stl", b"this is no mesh", "not an STL"),
            ("a.stl", cut_off, "not an STL"),
            ("a.stl", nan, "not a number"),
            ("a.stl", far, "units"),
            ("a.stl", struct.pack("<80sI", b"", 0), "no triangles"),
            ("a.stl", b"solid x\nfacet\nvertex 1 2 three\nendsolid", "bad number"),
            ("a.3mf", b"PK no zip", "3MF"),
            ("a.glb", b"glTFnonsense", "GLB"),
            ("a.step", b"ISO-10303-21; nonsense", "STEP"),
            ("a.obj", b"v 0 0 0", "not a mesh format"),
        ):
            with self.subTest(says), self.assertRaises(MeshUnreadable) as caught:
                (self.folder / name).write_bytes(data)
                read_mesh(self.folder / name)
            self.assertIn(says, str(caught.exception))

    def test_empty_triangles_go_and_the_rest_stays(self) -> None:
        box = meshes.box(SIZE)
        flat = np.array([[0, 1, 1], [2, 2, 2]], np.int32)
        self.assertEqual(len(checked(Mesh(box.vertices, np.concatenate([box.faces, flat]))).faces), 12)

    def test_too_many_triangles_are_refused_before_they_are_used(self) -> None:
        with (
            unittest.mock.patch("bluntmirror.geometry.meshfile.MAX_TRIANGLES", 11),
            self.assertRaises(MeshUnreadable) as caught,
        ):
            write_stl(self.folder / "a.stl", meshes.box(SIZE))
            read_mesh(self.folder / "a.stl")
        self.assertIn("at most 11", str(caught.exception))
        self.assertGreater(MAX_TRIANGLES, 100_000)


class Shapes(unittest.TestCase):
    def test_what_unpacks_to_more_than_any_memory_is_refused_before_it_is_taken_apart(self) -> None:
        """Two megabytes of 3MF held forty million vertices and took 15 GB; a GLB's list without data is as long as it says."""
        vertices = '<vertex x="0" y="0" z="0"/>' * 2000
        model = f'<model xmlns="a" xmlns:m="b"><resources><object id="1"><mesh><vertices>{vertices}</vertices></mesh></object></resources></model>'
        told = json.dumps(
            {"asset": {"version": "2.0"}, "accessors": [{"componentType": 5126, "count": 2 * 10**9, "type": "VEC3"}]}
        ).encode()
        told += b" " * (-len(told) % 4)
        with (
            tempfile.TemporaryDirectory() as folder,
            unittest.mock.patch("trimesh.load_scene", side_effect=AssertionError) as taken_apart,
        ):
            threemf, glb = Path(folder) / "bomb.3mf", Path(folder) / "bomb.glb"
            for text in (model, model.replace("<vertex ", "<m:vertex ")):
                with zipfile.ZipFile(threemf, "w", zipfile.ZIP_DEFLATED) as bundle:
                    bundle.writestr("3D/3dmodel.model", text)
                with (
                    unittest.mock.patch.object(meshfile, "MOST_ELEMENTS", 1500),
                    self.assertRaisesRegex(MeshUnreadable, "more than 1500"),
                ):
                    read_mesh(threemf)
            with (
                unittest.mock.patch.object(meshfile, "MAX_UNPACKED", 10_000),
                self.assertRaisesRegex(MeshUnreadable, "unpacks to more"),
            ):
                read_mesh(threemf)
            glb.write_bytes(
                b"glTF" + struct.pack("<II", 2, 20 + len(told)) + struct.pack("<I", len(told)) + b"JSON" + told
            )
            with self.assertRaisesRegex(MeshUnreadable, "2000000000 numbers"):
                read_mesh(glb)
            taken_apart.assert_not_called()
            with unittest.mock.patch.object(meshfile, "MOST_ELEMENTS", 2100), self.assertRaises(MeshUnreadable):
                read_mesh(threemf)
            taken_apart.assert_called_once()

    def test_volumes_in_closed_form(self) -> None:
        pi = np.pi
        for mesh, volume in (
            (meshes.box([3, 4, 5]), 60),
            (meshes.cylinder(10, 7), pi * 25 * 7),
            (meshes.tube(10, 6, 4), pi * (25 - 9) * 4),
            (meshes.revolve([[0, 0], [6, 0], [0, 9]]), pi * 36 * 9 / 3),  # a cone
            (meshes.revolve([[2, 0], [5, 0], [5, 3], [2, 3]]), pi * (25 - 4) * 3),
            (meshes.extrude([[0, 0], [6, 0], [6, 2], [2, 2], [2, 5], [0, 5]], 3), (12 + 6) * 3),
            (meshes.extrude([[0, 5], [2, 5], [2, 2], [6, 2], [6, 0], [0, 0]], 3), (12 + 6) * 3),  # drawn the other way
        ):
            self.assertTrue(mesh.closed)
            self.assertAlmostEqual(mesh.volume / volume, 1.0, places=6)

    def test_shapes_that_are_none(self) -> None:
        for make in (
            lambda: meshes.tube(6, 6, 1),
            lambda: meshes.revolve([[0, 0], [-1, 1], [2, 2]]),
            lambda: meshes.revolve([[0, 0], [1, 1]]),
            lambda: meshes.extrude([[0, 0], [1, 1], [2, 2]], 1),
        ):
            with self.assertRaises(ValueError):
                make()
