import * as THREE from "three";
import { describe, expect, it } from "vitest";

import { asKeptNow, type Description } from "../replay/replay";
import { replayOf } from "../tests/replay";
import { Skeleton } from "./skeleton";
import { creased, StockView } from "./stock";

const ONE = [[1, 0, 0, 0], [0, 1, 0, 0], [0, 0, 1, 0], [0, 0, 0, 1]];

describe("a stock on the stage", () => {
  it("is seen also of a rehearsal that holds its film itself", () => {
    const stock = { name: "blank", link: "bed", matrix: ONE, mount: ONE, brick: "b", time: "t", vertexEnd: "ve", quadEnd: "qe", vertices: "v", quads: "q", tags: "g", part: null };
    asKeptNow(stock as Description["stocks"][number]);
    const replay = replayOf({ stocks: [stock as Description["stocks"][number]] }, {
      b: ["uint32", [0, 0]], t: ["float64", [0, 5]], ve: ["uint32", [4, 8]], qe: ["uint32", [1, 2]],
      v: ["float32", [0, 0, 0, 1, 0, 0, 1, 1, 0, 0, 1, 0, 0, 0, 9, 1, 0, 9, 1, 1, 9, 0, 1, 9]], q: ["uint16", [0, 1, 2, 3, 0, 1, 2, 3]], g: ["int32", [-1, 7]],
    });
    const view = new StockView(replay, new Skeleton(replay, new THREE.Scene()), replay.description.stocks[0]);
    expect(view.show(6, "shown", null)).toEqual([]);
    const mesh = view.group.children[0] as THREE.Mesh;
    expect([...mesh.geometry.getAttribute("position").array].filter((_, i) => i % 3 === 2)).toEqual(Array(6).fill(9));
    expect(view.face({ brick: 0, version: 1 }, 0).motion).toBe(7);
  });

  it("is smooth where it bends a little, and has an edge where it bends much", () => {
    // Two squares over the edge x = 1: the second tilted up by 10°, then by 80°.
    const bent = (degrees: number) => {
      const [c, s] = [Math.cos((degrees * Math.PI) / 180), Math.sin((degrees * Math.PI) / 180)];
      const vertices = new Float32Array([0, 0, 0, 1, 0, 0, 1, 1, 0, 0, 1, 0, 1 + c, 0, s, 1 + c, 1, s]);
      return creased({ vertices, quads: new Uint16Array([0, 1, 2, 3, 1, 4, 5, 2]), tags: new Int32Array(2) });
    };
    const corner = (normals: Float32Array, quad: number, c: number) => [...normals.slice(12 * quad + 3 * c, 12 * quad + 3 * c + 3)];
    const smooth = bent(10);
    corner(smooth, 0, 1).forEach((value, i) => expect(value).toBeCloseTo(corner(smooth, 1, 0)[i]));
    const sharp = bent(80);
    expect(corner(sharp, 0, 1)[2]).toBeCloseTo(1);
    expect(corner(sharp, 1, 0)[2]).toBeCloseTo(Math.cos((80 * Math.PI) / 180));
  });
});
