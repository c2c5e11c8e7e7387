// The eye: where it is, what it looks at, and how it comes to see a place. It travels with the work.

import * as THREE from "three";
import { OrbitControls } from "three/addons/controls/OrbitControls.js";

export type View = "work" | "machine" | "top" | "front" | "side";

const FROM: Record<View, [number, number, number]> = {
  work: [-0.75, -1.1, 0.95], machine: [-0.9, -1.3, 0.7], top: [0, -0.001, 1], front: [0, -1, 0.02], side: [1, 0, 0.02],
};
const ROUND = [0, 45, -45, 90, -90, 135, -135, 180];
const UP = new THREE.Vector3(0, 0, 1);

export class Eye {
  readonly camera = new THREE.PerspectiveCamera(32, 1, 1, 20000);
  readonly controls: OrbitControls;
  private readonly workAt = new THREE.Vector3();

  constructor(canvas: HTMLElement, moved: () => void) {
    this.camera.up.copy(UP);
    this.controls = new OrbitControls(this.camera, canvas);
    this.controls.addEventListener("change", moved);
  }

  get target(): THREE.Vector3 {
    return this.controls.target;
  }

  to(eye: THREE.Vector3, target: THREE.Vector3): void {
    this.camera.position.copy(eye);
    this.controls.target.copy(target);
    this.controls.update();
  }

  fit(width: number, height: number): void {
    this.camera.aspect = width / height;
    this.camera.updateProjectionMatrix();
  }

  /** Where the work is from now on, without moving with it. */
  workIs(here: THREE.Vector3): void {
    this.workAt.copy(here);
  }

  /** Move as the work has moved, so that what is looked at stays in sight while the table moves. */
  keepTo(here: THREE.Vector3): void {
    const moved = here.clone().sub(this.workAt);
    this.workAt.copy(here);
    this.to(this.camera.position.add(moved), this.controls.target.clone().add(moved));
  }

  /** The whole of a box, from one of the named sides. */
  view(name: View, box: THREE.Box3): void {
    const centre = box.getCenter(new THREE.Vector3());
    const radius = Math.max(20, box.getSize(new THREE.Vector3()).length() / 2);
    this.to(centre.clone().addScaledVector(new THREE.Vector3(...FROM[name]).normalize(), this.away(radius * 1.25)), centre);
  }

  /** A place in the middle, near by, and seen: where something stands before it the eye goes round to the nearest side from
   *  which nothing does. */
  focus(point: THREE.Vector3, radius: number, solid: THREE.Object3D[]): void {
    const away = this.away(radius);
    const now = this.camera.position.clone().sub(this.controls.target).normalize();
    this.to(point.clone().addScaledVector(clearSight(point, now, away, solid), away), point);
  }

  /** A ray from the eye to just before a place. */
  rayTo(point: THREE.Vector3): THREE.Raycaster {
    const away = this.camera.position.clone().sub(point);
    return new THREE.Raycaster(this.camera.position.clone(), away.clone().normalize().negate(), 0, away.length() - 3);
  }

  /** How far a ball of this radius must be for the whole of it to be seen. */
  private away(radius: number): number {
    return radius / Math.sin((this.camera.fov * Math.PI) / 360);
  }
}

function clearSight(point: THREE.Vector3, now: THREE.Vector3, away: number, solid: THREE.Object3D[]): THREE.Vector3 {
  const ray = new THREE.Raycaster();
  for (const rise of [0, 0.5]) {
    for (const degrees of ROUND) {
      const direction = now.clone().applyAxisAngle(UP, (degrees * Math.PI) / 180);
      direction.z += rise;
      direction.normalize();
      // From the eye inwards: only faces turned to it count, and a place within a body is behind one.
      ray.set(point.clone().addScaledVector(direction, away), direction.clone().negate());
      ray.far = away - 3;
      if (!ray.intersectObjects(solid, false).length) return direction;
    }
  }
  return now;
}
