"""Machines as URDF, out and in: the open robot description that viewers and simulators read. Lengths there are metres, angles
radians; link frames, joints and limits carry over, and so do boxes, cylinders and mesh files.

What URDF has no place for — mounts, channels, offsets, codes — rides in a <bluntmirror> element that other readers skip.
"""

from __future__ import annotations

import json
import math
from typing import Any
from xml.etree import ElementTree
from xml.etree.ElementTree import Element, SubElement

import numpy as np
from scipy.spatial.transform import Rotation

from ..geometry.frames import Floats, frame
from .models import Box, Cylinder, MachineFile, MeshFile, Shape

METRE_MM = 1000.0
MAX_BYTES = 20_000_000
OWN = (
    "mounts",
    "channels",
    "reference",
    "tool_change",
    "spindle",
    "coolant_seconds",
    "rapid",
    "ignore",
    "codes",
    "turret",
    "work_spindle",
    "spindles",
    "turrets",
    "grips",
    "wait_marks",
    "pace",
    "notes",
)


class NotUrdf(ValueError):
    """A file that is no URDF of a machine; says what is wrong."""


def to_urdf(machine: MachineFile) -> str:
    root = Element("robot", name=machine.name)
    joints: dict[str, Any] = {}
    for link in machine.links:
        element = SubElement(root, "link", name=link.name)
        for shape in link.shapes:
            if not isinstance(shape, MeshFile) and getattr(shape, "file", None):
                continue  # drawn in a file that other readers do not know: it rides along below
            for use in ("visual", "collision"):
                _shape(SubElement(element, use), shape)
        if link.parent is None:
            continue
        joint = link.joint
        kind = (
            "fixed"
            if joint is None
            else "prismatic"
            if joint.type == "linear"
            else "continuous"
            if joint.travel is None
            else "revolute"
        )
        made = SubElement(root, "joint", name=joint.axis if joint else f"{link.name} fixed", type=kind)
        SubElement(made, "parent", link=link.parent)
        SubElement(made, "child", link=link.name)
        if joint is None:
            continue
        SubElement(made, "origin", xyz=_triple(joint.at, 1 / METRE_MM), rpy="0 0 0")
        size = math.sqrt(sum(c * c for c in joint.direction))
        SubElement(made, "axis", xyz=_triple(joint.direction, 1 / size))
        unit = 1 / METRE_MM if joint.type == "linear" else math.pi / 180
        low, high = joint.travel or (-1e6, 1e6)
        limits = {"velocity": f"{joint.rapid / 60 * unit:.9g}", "effort": "0"}
        if joint.travel or joint.type == "linear":
            limits |= {"lower": f"{low * unit:.12g}", "upper": f"{high * unit:.12g}"}
        SubElement(made, "limit", limits)
        joints[joint.axis] = joint.model_dump(mode="json")
    own = SubElement(root, "bluntmirror")
    kept = {name: value for name, value in machine.model_dump(mode="json").items() if name in OWN}
    shapes = {link.name: [s.model_dump(mode="json") for s in link.shapes] for link in machine.links if link.shapes}
    beside = {
        link.name: more for link in machine.links if (more := link.model_dump(include={"accessory", "notes"}, exclude_none=True))
    }  # fmt: skip
    own.text = json.dumps(kept | {"joints": joints, "shapes": shapes, "beside": beside})
    ElementTree.indent(root)
    return ElementTree.tostring(root, encoding="unicode", xml_declaration=True) + "\n"


def _triple(values: Any, scale: float = 1.0) -> str:
    return " ".join(f"{value * scale:.12g}" for value in values)


def _shape(element: Element, shape: Shape) -> None:
    SubElement(element, "origin", xyz=_triple(shape.at, 1 / METRE_MM), rpy=_triple(shape.turn, math.pi / 180))
    geometry = SubElement(element, "geometry")
    if isinstance(shape, Box):
        SubElement(geometry, "box", size=_triple(shape.size, 1 / METRE_MM))
    elif isinstance(shape, Cylinder):
        SubElement(
            geometry,
            "cylinder",
            radius=f"{shape.diameter / 2 / METRE_MM:.12g}",
            length=f"{shape.length / METRE_MM:.12g}",
        )
    elif isinstance(shape, MeshFile):
        SubElement(geometry, "mesh", filename=shape.file, scale="0.001 0.001 0.001")
    else:  # turned and drawn shapes have no counterpart: their outer box stands for them, the shape itself rides along
        points = (
            shape.profile
            if shape.type == "revolve"
            else shape.outline
            if shape.type == "extrude"
            else [(shape.outer / 2, 0.0)]
            if shape.type == "tube"
            else []  # what a step of a route left: no link is made of it
        )
        reach = max((max(abs(c) for c in p) for p in points or []), default=0.0)
        SubElement(geometry, "sphere", radius=f"{reach / METRE_MM:.12g}")


def from_urdf(text: str) -> dict[str, Any]:
    """machine.json data of a URDF. One that we wrote comes back whole; of others the chain, its limits and plain shapes.
    Raises NotUrdf."""
    if len(text) > MAX_BYTES:
        raise NotUrdf(f"larger than {MAX_BYTES // 10**6} MB")
    if "<!DOCTYPE" in text or "<!ENTITY" in text:
        raise NotUrdf("document types and entities are not taken")
    try:
        root = ElementTree.fromstring(text)
    except ElementTree.ParseError as error:
        raise NotUrdf(f"not XML that can be read: {error}") from error
    if root.tag != "robot":
        raise NotUrdf("the root element must be <robot>")
    own: dict[str, Any] = {}
    if (element := root.find("bluntmirror")) is not None and element.text:
        try:
            own = json.loads(element.text)
        except json.JSONDecodeError as error:
            raise NotUrdf(f"<bluntmirror>: {error.msg}") from error
    more, shapes, beside = own.pop("joints", {}), own.pop("shapes", {}), own.pop("beside", {})
    links = {
        str(e.get("name")): {
            "name": e.get("name"),
            "shapes": shapes.get(e.get("name")) or _shapes(e),
            **beside.get(e.get("name"), {}),
        }
        for e in root.findall("link")
    }
    joints = {}
    for joint in root.findall("joint"):
        child, parent = (_named(joint, tag) for tag in ("child", "parent"))
        if child not in links or parent not in links:
            raise NotUrdf(f"joint '{joint.get('name')}' joins links that are not there")
        if joint.get("type") not in ("fixed", "prismatic", "revolute", "continuous"):
            raise NotUrdf(f"joint '{joint.get('name')}' is of the kind '{joint.get('type')}', which no machine axis is")
        joints[child] = joint
        links[child]["parent"] = parent
    placed = _placed(joints)
    moving = [child for child, joint in joints.items() if joint.get("type") != "fixed"]
    arm = [] if own else _arm(joints, moving)
    names = _axis_names(joints, moving, arm)
    for child in moving:
        joint, (turned, _) = joints[child], placed[child]
        linear = joint.get("type") == "prismatic"
        unit = METRE_MM if linear else 180 / math.pi
        limit = joint.find("limit")
        travel = None
        if limit is not None and limit.get("lower") is not None and joint.get("type") != "continuous":
            travel = [round(float(str(limit.get(end))) * unit, 9) for end in ("lower", "upper")]
        speed = float((limit.get("velocity") if limit is not None else None) or 0.0) * unit * 60
        before, offset = placed.get(str(links[child]["parent"]), (np.eye(3), np.zeros(3)))
        at = offset + before @ np.array(_numbers(joint.find("origin"), "xyz", [0, 0, 0])) * METRE_MM
        plain = {
            "axis": names[child], "type": "linear" if linear else "rotary", "at": _tidy(at), "travel": travel,
            "direction": _tidy(turned @ np.array(_numbers(joint.find("axis"), "xyz", [1, 0, 0]))), "accel": 3000.0,
            "rapid": round(speed, 6) or (20_000.0 if linear else 7200.0),
        }  # fmt: skip
        links[child]["joint"] = more.get(names[child], plain)
    for name, (turned, offset) in placed.items():
        if not shapes.get(name) and ((turned != np.eye(3)).any() or offset.any()):
            links[name]["shapes"] = [_moved(shape, turned, offset) for shape in links[name]["shapes"]]
    data: dict[str, Any] = {
        "format": "blunt-mirror/machine@1",
        "name": root.get("name") or "machine",
        "links": list(links.values()),
    }
    if own:
        return data | {key: value for key, value in own.items() if key in OWN and value is not None}
    first = next((name for name, link in links.items() if not link.get("parent")), "")
    last = list(links)[-1] if links else ""
    tool: dict[str, Any] = {"name": "tool", "link": last, "takes": "tool"}
    channel: dict[str, Any] = {"number": 1, "axes": [names[child] for child in moving]}
    if arm:
        last = _hand(joints, arm[-1])
        turned, offset = placed[last]
        # A flange's Z leads out of it (common practice); a mount's leads from tool tip to gauge point.
        tool |= {"link": last, "at": _tidy(offset), "turn": _euler(turned @ np.diag([1.0, -1.0, -1.0]))}
        rail = [child for child in moving if child not in arm and joints[child].get("type") == "prismatic"]
        rail = [child for child in rail if child in _path(joints, arm[0])]
        channel["arm"] = {"joints": [names[child] for child in arm], "rail": [names[child] for child in rail]}
    return data | {"mounts": [tool, {"name": "work", "link": first, "takes": "work"}], "channels": [channel]}


def _placed(joints: dict[str, Element]) -> dict[str, tuple[Floats, Floats]]:
    """Of every link that a joint carries: how its frame is turned against the root's with all joints at zero (our frames are not), and
    how far it stands off that of the last link that moves, mm. Raises NotUrdf for a ring of links."""
    found: dict[str, tuple[Floats, Floats]] = {}
    for name in joints:
        turned, offset = np.eye(3), np.zeros(3)
        for child in reversed(_path(joints, name)):
            origin = joints[child].find("origin")
            if joints[child].get("type") == "fixed":
                offset = offset + turned @ np.array(_numbers(origin, "xyz", [0, 0, 0])) * METRE_MM
            else:
                offset = np.zeros(3)
            roll = [math.degrees(c) for c in _numbers(origin, "rpy", [0, 0, 0])]
            if any(roll):
                turned = turned @ frame((0, 0, 0), roll)[:3, :3]
        found[name] = turned, offset
    return found


def _path(joints: dict[str, Element], link: str) -> list[str]:
    """The links from one to the last that a joint carries, before the root."""
    path: list[str] = []
    while link in joints:
        if link in path:
            raise NotUrdf(f"link '{link}' is its own ancestor")
        path.append(link)
        link = _named(joints[link], "parent")
    return path


def _arm(joints: dict[str, Element], moving: list[str]) -> list[str]:
    """The links of six rotary joints in a row at the end of the longest chain, from the foot; empty where there is none."""
    for end in sorted(moving, key=lambda name: -len(_path(joints, name))):
        path = [name for name in _path(joints, end)[::-1] if joints[name].get("type") != "fixed"]
        if len(path) >= 6 and all(joints[name].get("type") in ("revolute", "continuous") for name in path[-6:]):
            return path[-6:]
    return []


def _hand(joints: dict[str, Element], link: str) -> str:
    """The last link that is fixed to one, and to one fixed to it."""
    while after := [
        name for name, joint in joints.items() if joint.get("type") == "fixed" and _named(joint, "parent") == link
    ]:
        link = after[-1]
    return link


def _axis_names(joints: dict[str, Element], moving: list[str], arm: list[str]) -> dict[str, str]:
    """A name for each axis, of eight characters at most: J1 to J6 and R of an arm, for its programs must be able to say them."""
    names = {child: f"J{i + 1}" for i, child in enumerate(arm)}
    for child in moving:
        if child in names:
            continue
        wanted = "R" if arm and joints[child].get("type") == "prismatic" else str(joints[child].get("name"))[:8]
        name, number = wanted, 2
        while name in names.values():
            name, number = f"{wanted[: 8 - len(str(number))]}{number}", number + 1
        names[child] = name
    return names


def _moved(shape: dict[str, Any], turned: Floats, offset: Floats) -> dict[str, Any]:
    placed = frame(shape.get("at", (0, 0, 0)), shape.get("turn", (0, 0, 0)))
    return shape | {"at": _tidy(offset + turned @ placed[:3, 3]), "turn": _euler(turned @ placed[:3, :3])}


def _euler(rotation: Floats) -> list[float]:
    """Degrees about fixed X, then Y, then Z."""
    return _tidy(Rotation.from_matrix(rotation).as_euler("xyz", degrees=True))


def _tidy(values: Floats) -> list[float]:
    return [round(float(value), 9) + 0.0 for value in values]


def _named(joint: Element, tag: str) -> str:
    element = joint.find(tag)
    return str(element.get("link")) if element is not None else ""


def _numbers(element: Element | None, name: str, default: list[float]) -> list[float]:
    if element is None or element.get(name) is None:
        return [float(c) for c in default]
    try:
        values = [float(c) for c in str(element.get(name)).split()]
    except ValueError as error:
        raise NotUrdf(f"{name}: '{element.get(name)}' is no list of numbers") from error
    if len(values) != len(default) or not all(math.isfinite(v) for v in values):
        raise NotUrdf(f"{name}: '{element.get(name)}' must be {len(default)} numbers")
    return values


def _shapes(link: Element) -> list[dict[str, Any]]:
    found: list[dict[str, Any]] = []
    for use in link.findall("collision") or link.findall("visual"):
        geometry = use.find("geometry")
        origin = use.find("origin")
        place: dict[str, Any] = {
            "at": [c * METRE_MM for c in _numbers(origin, "xyz", [0, 0, 0])],
            "turn": [math.degrees(c) for c in _numbers(origin, "rpy", [0, 0, 0])],
        }
        shape = geometry[0] if geometry is not None and len(geometry) else None
        if shape is None:
            continue
        if shape.tag == "box":
            found.append({"type": "box", "size": [c * METRE_MM for c in _numbers(shape, "size", [0, 0, 0])], **place})
        elif shape.tag == "cylinder":
            radius, length = (float(str(shape.get(n))) * METRE_MM for n in ("radius", "length"))
            found.append({"type": "cylinder", "diameter": 2 * radius, "length": length, **place})
        elif shape.tag == "mesh":
            found.append({"type": "mesh", "file": str(shape.get("filename")).removeprefix("package://"), **place})
    return found
