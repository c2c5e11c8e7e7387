import * as THREE from "three";
import { strFromU8, unzipSync } from "three/examples/jsm/libs/fflate.module.js";
import { describe, expect, it } from "vitest";

import { gathered, stockFile } from "./stockFile";

function bricks(): THREE.Mesh[] {
  const one = new THREE.Mesh(new THREE.BoxGeometry(10, 20, 30).toNonIndexed());
  const parent = new THREE.Group();
  parent.position.set(100, 0, 0);
  parent.add(one);
  return [one, new THREE.Mesh(new THREE.BufferGeometry())]; // a brick that is gone has nothing
}

describe("a stock as a file", () => {
  it("stands in the frame that was asked for", () => {
    const group = gathered(bricks(), new THREE.Matrix4().makeTranslation(-100, 5, 0));
    const box = new THREE.Box3().setFromObject(group);
    expect([box.min.toArray(), box.max.toArray()]).toEqual([[-5, -5, -15], [5, 15, 15]]);
    expect(group.children).toHaveLength(1);
  });

  it("is a binary STL of its triangles, in millimetres", async () => {
    const data = new DataView(await (await stockFile(bricks(), new THREE.Matrix4(), "stl")).arrayBuffer());
    expect(data.getUint32(80, true)).toBe(12);
    expect(data.byteLength).toBe(84 + 12 * 50);
    const x = Array.from({ length: 36 }, (_, corner) => data.getFloat32(84 + 50 * Math.floor(corner / 3) + 12 + 12 * (corner % 3), true));
    expect([Math.min(...x), Math.max(...x)]).toEqual([95, 105]);
  });

  it("is a 3MF whose faces share their corners", async () => {
    const data = new Uint8Array(await (await stockFile(bricks(), new THREE.Matrix4(), "3mf")).arrayBuffer());
    const held = unzipSync(data);
    expect(Object.keys(held).sort()).toEqual(["3D/3dmodel.model", "[Content_Types].xml", "_rels/.rels"]);
    const model = strFromU8(held["3D/3dmodel.model"]);
    expect(model).toContain('unit="millimeter"');
    expect(model.match(/<vertex /g)).toHaveLength(8);
    expect(model.match(/<triangle /g)).toHaveLength(12);
  });
});
