// The chain in the browser: where links stand for some axis values, and what a program calls the place of the tip.

import { Matrix4, Quaternion, Vector3 } from "three";

import type { Description, Joint, Snapshot } from "./replay";

type Chain = Pick<Description, "links" | "axes">;

export function matrixOf(rows: number[][]): Matrix4 {
  return new Matrix4().set(...(rows.flat() as Parameters<Matrix4["set"]>));
}

/** Where a joint itself stands: at its axis value, or at the sum of those that move it. */
export function standOf(joint: Joint, value: (axis: string) => number): number {
  const factors = Object.entries(joint.moved_by ?? {});
  return factors.length ? factors.reduce((sum, [axis, factor]) => sum + factor * value(axis), 0) : value(joint.axis);
}

/** The frame of a link in the machine's, for axis values in the order of `axes`. */
export function poseOf(chain: Chain, link: string, values: number[]): Matrix4 {
  const found = chain.links.find((entry) => entry.name === link);
  if (!found) return new Matrix4();
  const base = found.parent ? poseOf(chain, found.parent, values) : new Matrix4();
  if (!found.joint) return base;
  const { type, direction, at } = found.joint;
  const q = standOf(found.joint, (axis) => values[chain.axes?.findIndex((entry) => entry.name === axis) ?? -1] ?? 0);
  const unit = new Vector3(...direction).normalize();
  const place = new Vector3(...at);
  const turn = new Quaternion();
  if (type === "linear") place.addScaledVector(unit, q);
  else turn.setFromAxisAngle(unit, (q * Math.PI) / 180);
  return base.multiply(new Matrix4().compose(place, turn, new Vector3(1, 1, 1)));
}

/** The tip's place seen from the work mount, for a tool taken to be `length` long; `workOnly`: the tool's own side stands at zero. */
function tip(description: Description, values: number[], length: number, workOnly: boolean): Vector3 {
  const { toolMount, workMount } = description;
  const still = workOnly ? values.map((value, i) => (turnsTool(description, i) ? 0 : value)) : values;
  const tool = poseOf(description, toolMount.link, still).multiply(matrixOf(toolMount.matrix));
  const work = poseOf(description, workMount.link, still).multiply(matrixOf(workMount.matrix));
  return new Vector3(0, 0, -length).applyMatrix4(work.invert().multiply(tool));
}

function turnsTool(description: Description, axis: number): boolean {
  const name = description.axes![axis].name;
  if (description.axes![axis].type !== "rotary") return false;
  for (let link = description.links.find((l) => l.name === description.toolMount.link); link; link = description.links.find((l) => l.name === link!.parent))
    if (link.joint?.axis === name) return true;
  return false;
}

/** Program coordinates of every axis: machine less offset, or through the tool frame where one is on. */
export function programPlace(description: Description, values: number[], snapshot: Snapshot): number[] {
  const plain = values.map((value, i) => value - snapshot.offset[i]);
  const { frame } = snapshot;
  const axes = description.axes ?? [];
  const columns = ["X", "Y", "Z"].map((name) => axes.findIndex((axis) => axis.name === name));
  if (!frame || columns.includes(-1)) return plain;
  const zero = values.map(() => 0);
  const origin = tip(description, zero, 0, false);
  const along = columns.map((column) => tip(description, zero.map((_, i) => (i === column ? 1 : 0)), 0, false).sub(origin));
  const place = tip(description, values, frame.length, frame.workOnly).sub(origin);
  // Zero place: the coordinates of the tip along X, Y and Z, which are square to each other.
  const zeroPlace = along.map((axis) => place.dot(axis) / axis.lengthSq());
  const r = frame.rows;
  const away = zeroPlace.map((value, i) => value - r[4 * i + 3]);
  const result = [...plain];
  columns.forEach((column, j) => (result[column] = r[j] * away[0] + r[4 + j] * away[1] + r[8 + j] * away[2]));
  return result;
}
