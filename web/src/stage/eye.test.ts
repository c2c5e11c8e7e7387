// @vitest-environment jsdom
import * as THREE from "three";
import { expect, test } from "vitest";

import { Eye } from "./eye";

const PLACE = new THREE.Vector3(10, 20, 30);

function eyeFrom(x: number, y: number, z: number): Eye {
  const eye = new Eye(document.createElement("div"), () => undefined);
  eye.to(new THREE.Vector3(x, y, z), new THREE.Vector3());
  return eye;
}

function wall(x: number, y: number): THREE.Mesh {
  const mesh = new THREE.Mesh(new THREE.BoxGeometry(20, 20, 200));
  mesh.position.set(PLACE.x + x, PLACE.y + y, PLACE.z);
  mesh.updateMatrixWorld(true);
  return mesh;
}

test("a place is looked at from where the eye was, unless something stands before it", () => {
  const eye = eyeFrom(0, -100, 1);
  eye.focus(PLACE, 28, []);
  expect(eye.target.distanceTo(PLACE)).toBeCloseTo(0);
  const clear = eye.camera.position.clone().sub(PLACE).normalize();
  expect(clear.y).toBeLessThan(-0.9);

  const hidden = wall(0, -40);
  eye.focus(PLACE, 28, [hidden]);
  expect(eye.rayTo(PLACE).intersectObject(hidden)).toHaveLength(0);
  expect(eye.camera.position.clone().sub(PLACE).normalize().angleTo(clear)).toBeGreaterThan(0.5);
});

test("the eye goes along with the work", () => {
  const eye = eyeFrom(100, 0, 50);
  eye.workIs(new THREE.Vector3(1, 2, 3));
  eye.keepTo(new THREE.Vector3(11, 2, 3));
  expect(eye.target.x).toBeCloseTo(10);
  expect(eye.camera.position.x).toBeCloseTo(110);
});
