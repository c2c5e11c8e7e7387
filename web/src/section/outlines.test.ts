import { BoxGeometry, CylinderGeometry, Matrix4, type BufferGeometry } from "three";
import { describe, expect, it } from "vitest";

import { areaOf, asDxf, asSvg, crossings, cutArea, faces, joined, parting, type Axis, type Cut } from "./outlines";

function cut(geometry: BufferGeometry, across: Axis, at: number, matrix = new Matrix4()): Cut {
  const segments = crossings(geometry.getAttribute("position").array, geometry.index?.array ?? null, matrix.elements, across, at);
  return { name: "body", role: "stock", outlines: joined(segments) };
}

describe("a plane through a body", () => {
  it("leaves a box's own rectangle, whichever way it stands across it", () => {
    for (const [across, area] of [[0, 20 * 30], [1, 10 * 30], [2, 10 * 20]] as [Axis, number][]) {
      const { outlines } = cut(new BoxGeometry(10, 20, 30), across, 1.25);
      expect(outlines).toHaveLength(1);
      expect(outlines[0]).toHaveLength(4); // no corner but its own
      expect(areaOf(outlines[0])).toBeCloseTo(area, 6); // anticlockwise
    }
    expect(cut(new BoxGeometry(10, 20, 30), 0, 6).outlines).toHaveLength(0);
  });

  it("does not tear where it lies in a face", () => {
    expect(cutArea(cut(new BoxGeometry(10, 20, 30), 2, 15))).toBeCloseTo(200, 6); // what lies below it is there
    expect(cutArea(cut(new BoxGeometry(10, 20, 30), 2, -15))).toBe(0); // nothing does
  });

  it("cuts a turned cylinder into an ellipse", () => {
    // A cylinder of radius 5 about y, turned by 45° about z and cut across x: half axes 5 and 5·√2.
    const turned = new Matrix4().makeRotationZ(Math.PI / 4);
    const facets = 360;
    const { outlines } = cut(new CylinderGeometry(5, 5, 80, facets), 0, 0.3, turned);
    expect(areaOf(outlines[0])).toBeCloseTo(Math.PI * 25 * Math.SQRT2, 1);
  });

  it("keeps holes in what they are holes of", () => {
    const square = (half: number, turn: 1 | -1): [number, number][] => {
      const corners: [number, number][] = [[-half, -half], [half, -half], [half, half], [-half, half]];
      return turn > 0 ? corners : corners.reverse();
    };
    const found = faces([square(10, 1), square(6, -1), square(3, 1), square(1, -1)]);
    expect(found.map(({ outside, holes }) => [areaOf(outside), holes.map(areaOf)])).toEqual([[36, [-4]], [400, [-144]]]);
  });

  it("tells where two outlines part most, inwards and outwards", () => {
    const design: [number, number][][] = [[[0, 0], [20, 0], [20, 10], [0, 10]]];
    const stock: [number, number][][] = [[[0, 0], [20, 0], [20, 10.3], [12, 10], [10, 9.5], [8, 10], [0, 10]]];
    const { deep, left } = parting(stock, design);
    expect([deep!.amount, deep!.at, deep!.to]).toEqual([-0.5, [10, 9.5], [10, 10]]);
    expect(left!.amount).toBeCloseTo(0.3, 9);
    expect(parting(stock, []).deep).toBeNull();
  });
});

describe("files", () => {
  const body: Cut = { name: "hub, left", role: "stock", outlines: [[[0, 0], [4, 0], [4, 2.5]]] };

  it("writes a drawing in millimetres", () => {
    const svg = asSvg([body]);
    expect(svg).toContain('width="4mm" height="2.5mm" viewBox="0 -2.5 4 2.5"');
    expect(svg).toContain('id="hub_left"');
    expect(svg).toContain('d="M0 0L4 0L4 -2.5Z"');
  });

  it("writes closed polylines as DXF", () => {
    const lines = asDxf([body]).trim().split("\n");
    expect(lines.filter((line) => line === "VERTEX")).toHaveLength(3);
    expect(lines.slice(lines.indexOf("POLYLINE"), lines.indexOf("POLYLINE") + 7)).toEqual(["POLYLINE", "8", "hub_left", "66", "1", "70", "1"]);
    expect(lines.slice(-2)).toEqual(["0", "EOF"]);
  });
});
