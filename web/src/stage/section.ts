// The work cut open: the cut faces of stock, fixtures and tools filled and hatched, the design's outline drawn over them.

import * as THREE from "three";

import { ACCENT, INK } from "../look";
import { AXES_IN_PLANE, crossings, faces, joined, type Axis, type Cut, type Outline } from "../section/outlines";

/** Across an axis of the work's frame, at a place along it, mm. What lies on one side of it is taken away: +1 what is beyond. */
export type Section = { axis: Axis; at: number; side: 1 | -1 } | null;

/** A mesh to be cut: its geometry as it hangs on the stage, and whose it is. */
export interface Sliced {
  name: string;
  role: string;
  mesh: THREE.Mesh;
}

const HATCH_MM = 3;
const FILLS: Record<string, string> = { stock: "#e4dcc6", tool: "#b9c6cc", part: "#cfd6cf" };
const FILL = "#c9cdd0"; // fixtures and machine
const RISE_MM = 0.02; // by which lines stand before the faces they go around

export class CutFaces {
  readonly group = new THREE.Group();
  cuts: Cut[] = [];
  private readonly hatches = new Map<string, THREE.Texture>();

  constructor() {
    this.group.matrixAutoUpdate = false;
    this.group.visible = false;
  }

  /** The plane in the machine's frame: what lies beyond it is clipped. */
  static plane(section: NonNullable<Section>, work: THREE.Matrix4, into: THREE.Plane): THREE.Plane {
    const normal = new THREE.Vector3().setFromMatrixColumn(work, section.axis).normalize();
    const point = new THREE.Vector3().setComponent(section.axis, section.at).applyMatrix4(work);
    return into.setFromNormalAndCoplanarPoint(normal.multiplyScalar(-section.side), point);
  }

  clear(): void {
    this.empty();
    this.cuts = [];
    this.group.visible = false;
  }

  /** Cut everything anew. `work`: the work's frame in the machine's. */
  cut(section: NonNullable<Section>, work: THREE.Matrix4, bodies: Sliced[]): void {
    this.empty();
    this.group.visible = true;
    this.group.matrix.copy(work);
    this.group.matrixWorldNeedsUpdate = true;
    const toWork = work.clone().invert();
    const found = new Map<string, { role: string; segments: number[] }>();
    for (const { name, role, mesh } of bodies) {
      const positions = mesh.geometry.getAttribute("position");
      if (!positions || !near(mesh, toWork, section)) continue;
      const matrix = toWork.clone().multiply(mesh.matrixWorld);
      const own = crossings(positions.array, mesh.geometry.index?.array ?? null, matrix.elements, section.axis, section.at);
      const known = found.get(name) ?? { role, segments: [] };
      for (const value of own) known.segments.push(value);
      found.set(name, known);
    }
    this.cuts = [...found].map(([name, { role, segments }]) => ({ name, role, outlines: joined(segments) })).filter(({ outlines }) => outlines.length);
    for (const cut of this.cuts) this.draw(cut, section);
  }

  private draw({ role, outlines }: Cut, section: NonNullable<Section>): void {
    const design = role === "design";
    if (!design) {
      const shapes = faces(outlines).map(({ outside, holes }) => {
        const shape = new THREE.Shape(outside.map(([u, v]) => new THREE.Vector2(u, v)));
        shape.holes = holes.map((hole) => new THREE.Path(hole.map(([u, v]) => new THREE.Vector2(u, v))));
        return shape;
      });
      const material = new THREE.MeshBasicMaterial({ map: this.hatch(role), side: THREE.DoubleSide });
      this.group.add(this.placed(new THREE.Mesh(new THREE.ShapeGeometry(shapes), material), section, 0));
    }
    const lines = new THREE.BufferGeometry().setAttribute("position", new THREE.Float32BufferAttribute(outlines.flatMap(edges), 3));
    const material = new THREE.LineBasicMaterial({ color: design ? ACCENT : INK, depthTest: !design });
    const drawn = this.placed(new THREE.LineSegments(lines, material), section, RISE_MM);
    drawn.renderOrder = design ? 4 : 0;
    this.group.add(drawn);
  }

  /** From the plane's own u and v into the work's frame. */
  private placed<T extends THREE.Object3D>(drawn: T, section: NonNullable<Section>, rise: number): T {
    const [u, v] = AXES_IN_PLANE[section.axis];
    const axes = [0, 1, 2].map((i) => new THREE.Vector3().setComponent(i, 1));
    drawn.matrixAutoUpdate = false;
    drawn.matrix.makeBasis(axes[u], axes[v], axes[section.axis]).setPosition(axes[section.axis].clone().multiplyScalar(section.at + section.side * rise));
    return drawn;
  }

  /** Lines at 45°, of fixtures the other way; drawn once for each role. */
  private hatch(role: string): THREE.Texture {
    const known = this.hatches.get(role);
    if (known) return known;
    const size = 32;
    const canvas = document.createElement("canvas");
    canvas.width = canvas.height = size;
    const pen = canvas.getContext("2d")!;
    pen.fillStyle = FILLS[role] ?? FILL;
    pen.fillRect(0, 0, size, size);
    pen.strokeStyle = "#1d2a3066";
    pen.lineWidth = 1.5;
    for (const shift of [-size, 0, size]) {
      pen.beginPath();
      if (role === "stock") {
        pen.moveTo(shift, size);
        pen.lineTo(shift + size, 0);
      } else {
        pen.moveTo(shift, 0);
        pen.lineTo(shift + size, size);
      }
      pen.stroke();
    }
    const texture = new THREE.CanvasTexture(canvas);
    texture.wrapS = texture.wrapT = THREE.RepeatWrapping;
    texture.repeat.set(1 / HATCH_MM, 1 / HATCH_MM);
    texture.colorSpace = THREE.SRGBColorSpace;
    this.hatches.set(role, texture);
    return texture;
  }

  private empty(): void {
    for (const child of [...this.group.children] as (THREE.Mesh | THREE.LineSegments)[]) {
      child.geometry.dispose();
      (child.material as THREE.Material).dispose();
      this.group.remove(child);
    }
  }
}

/** Whether a mesh reaches the plane at all. */
function near(mesh: THREE.Mesh, toWork: THREE.Matrix4, { axis, at }: NonNullable<Section>): boolean {
  if (!mesh.geometry.boundingBox) mesh.geometry.computeBoundingBox();
  mesh.updateWorldMatrix(true, false);
  const box = mesh.geometry.boundingBox!.clone().applyMatrix4(toWork.clone().multiply(mesh.matrixWorld));
  return box.min.getComponent(axis) <= at && box.max.getComponent(axis) >= at;
}

function edges(outline: Outline): number[] {
  return outline.flatMap(([u, v], i) => {
    const [u1, v1] = outline[(i + 1) % outline.length];
    return [u, v, 0, u1, v1, 0];
  });
}
