// The machine's chain as groups, one for each link, posed by axis values. Everything on the stage hangs from one of them.

import * as THREE from "three";

import { standOf } from "../replay/kinematics";
import type { Replay } from "../replay/replay";

export class Skeleton {
  private readonly links = new Map<string, THREE.Group>();

  constructor(
    private readonly replay: Replay,
    root: THREE.Object3D,
  ) {
    for (const link of replay.description.links) {
      const group = new THREE.Group();
      (link.parent ? this.links.get(link.parent)! : root).add(group);
      this.links.set(link.name, group);
    }
  }

  /** The group of a link; undefined where the machine has none of that name. */
  of(link: string): THREE.Group | undefined {
    return this.links.get(link);
  }

  pose(values: number[]): void {
    for (const { name, joint } of this.replay.description.links) {
      if (!joint) continue;
      const group = this.links.get(name)!;
      const q = standOf(joint, (axis) => values[this.replay.axes.indexOf(axis)] ?? 0);
      const direction = new THREE.Vector3(...joint.direction).normalize();
      group.position.set(...joint.at);
      if (joint.type === "linear") group.position.addScaledVector(direction, q);
      else group.quaternion.setFromAxisAngle(direction, (q * Math.PI) / 180);
    }
  }

  /** A link's frame in the machine's, as it stands. */
  frame(link: string): THREE.Matrix4 {
    const group = this.links.get(link)!;
    group.updateWorldMatrix(true, false);
    return group.matrixWorld.clone();
  }

  /** Whether a link carries another, or is it. */
  carries(link: string, end: string): boolean {
    const { links } = this.replay.description;
    for (let at: string | null = end; at; at = links.find((entry) => entry.name === at)?.parent ?? null) if (at === link) return true;
    return false;
  }
}

export function matrix(rows: number[][]): THREE.Matrix4 {
  const m = rows.flat() as Parameters<THREE.Matrix4["set"]>;
  return new THREE.Matrix4().set(...m);
}
