// A body carried over the stage by the pointer: along the floor, or up and down with Shift held.

import * as THREE from "three";

import type { Body } from "./bodies";

const SNAP_MM = 1;

export type Way = [number, number, number]; // mm along the machine's axes

/** How far a body has been carried since it was taken hold of, by where the pointer's ray is now. */
export class Carry {
  way: Way = [0, 0, 0];
  private plane: THREE.Plane;
  private upright: boolean;
  private from: THREE.Vector3; // where the pointer was on the plane when it began to lie so
  private before: Way = [0, 0, 0];

  constructor(
    readonly taken: Body[],
    private readonly at: THREE.Vector3, // the place that was taken hold of
    private readonly eye: THREE.Camera,
  ) {
    this.upright = false;
    this.plane = this.laid(at);
    this.from = at.clone();
  }

  /** The plane that the pointer runs on: level, or facing the eye when it goes up and down. */
  private laid(through: THREE.Vector3): THREE.Plane {
    const normal = new THREE.Vector3(0, 0, 1);
    if (this.upright) {
      this.eye.getWorldDirection(normal).setZ(0);
      if (normal.lengthSq() < 1e-6) normal.set(1, 0, 0); // seen from right above
      normal.normalize();
    }
    return new THREE.Plane().setFromNormalAndCoplanarPoint(normal, through);
  }

  /** Follow the pointer. Where its ray runs beside the plane the body stays. */
  to(ray: THREE.Ray, upright: boolean): void {
    if (upright !== this.upright) {
      this.upright = upright;
      this.before = this.way;
      const held = this.at.clone().add(new THREE.Vector3(...this.way));
      this.plane = this.laid(held);
      const there = ray.intersectPlane(this.plane, new THREE.Vector3());
      this.from = there ?? held;
    }
    const spot = ray.intersectPlane(this.plane, new THREE.Vector3());
    if (!spot) return;
    const moved = spot.sub(this.from);
    const [x, y, z] = this.upright ? [0, 0, moved.z] : [moved.x, moved.y, 0];
    this.way = [this.before[0] + x, this.before[1] + y, this.before[2] + z].map((mm) => Math.round(mm / SNAP_MM) * SNAP_MM + 0) as Way;
    this.show();
  }

  /** Put back what was carried. */
  back(): void {
    this.way = [0, 0, 0];
    this.show();
  }

  /** The way along the axes of the link that the first of the bodies is on. */
  get onLink(): Way {
    return this.seenFrom(this.taken[0].mesh).toArray();
  }

  private seenFrom(mesh: THREE.Mesh): THREE.Vector3 {
    const turn = new THREE.Matrix4().extractRotation(mesh.parent!.matrixWorld).invert();
    return new THREE.Vector3(...this.way).applyMatrix4(turn);
  }

  private show(): void {
    for (const { mesh } of this.taken) {
      mesh.matrixAutoUpdate = false;
      mesh.matrix.setPosition(this.seenFrom(mesh));
      mesh.matrixWorldNeedsUpdate = true;
    }
  }
}
