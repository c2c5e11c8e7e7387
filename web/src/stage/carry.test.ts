import * as THREE from "three";
import { expect, test } from "vitest";

import type { Body } from "./bodies";
import { Carry } from "./carry";

/** A body on a link that is turned by 90° about Z, and an eye that looks down on it aslant. */
function made() {
  const link = new THREE.Group();
  link.rotation.z = Math.PI / 2;
  const mesh = new THREE.Mesh();
  link.add(mesh);
  link.updateMatrixWorld(true);
  const eye = new THREE.PerspectiveCamera();
  eye.up.set(0, 0, 1);
  eye.position.set(0, -500, 500);
  eye.lookAt(0, 0, 0);
  eye.updateMatrixWorld(true);
  return { mesh, carry: new Carry([{ mesh } as Body], new THREE.Vector3(0, 0, 0), eye), eye };
}

/** The ray from the eye through a place. */
const through = (eye: THREE.Camera, x: number, y: number, z: number) => new THREE.Ray(eye.position.clone(), new THREE.Vector3(x, y, z).sub(eye.position).normalize());

test("along the floor a body goes where the pointer points, in whole millimetres, whatever its link's axes are", () => {
  const { mesh, carry, eye } = made();
  carry.to(through(eye, 100.2, -30.4, 0), false);
  expect(carry.way).toEqual([100, -30, 0]);
  mesh.updateWorldMatrix(true, false);
  const at = new THREE.Vector3().setFromMatrixPosition(mesh.matrixWorld);
  expect(at.toArray().map((mm) => Math.round(1000 * mm) / 1000 + 0)).toEqual([100, -30, 0]);
  expect(carry.onLink.map((mm) => Math.round(1000 * mm) / 1000 + 0)).toEqual([-30, -100, 0]);
});

test("with Shift it goes up and down from where it is, and without it on along the floor at that height", () => {
  const { carry, eye } = made();
  carry.to(through(eye, 40, 0, 0), false);
  carry.to(through(eye, 40, 0, 0), true);
  expect(carry.way).toEqual([40, 0, 0]);
  carry.to(through(eye, 90, 0, 25), true); // the plane faces the eye: to the side nothing happens
  expect(carry.way).toEqual([40, 0, 25]);
  carry.to(through(eye, 90, 0, 25), false);
  carry.to(through(eye, 100, 10, 25), false);
  expect(carry.way).toEqual([50, 10, 25]);
});

test("a pointer above the horizon leaves it where it is, and letting go of it brings it back", () => {
  const { mesh, carry, eye } = made();
  carry.to(through(eye, 10, 0, 0), false);
  carry.to(new THREE.Ray(eye.position.clone(), new THREE.Vector3(0, 0.7, 0.7).normalize()), false);
  expect(carry.way).toEqual([10, 0, 0]);
  carry.back();
  expect(carry.way).toEqual([0, 0, 0]);
  expect(new THREE.Vector3().setFromMatrixPosition(mesh.matrix).length()).toBe(0);
});
