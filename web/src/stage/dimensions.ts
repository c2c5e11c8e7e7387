// Measures drawn on the part: a line between the two points that each was taken between, with its reading.

import * as THREE from "three";

import { ACCENT, CAUTION, PAPER } from "../look";

export interface Dimension {
  stock: number; // its place among the replay's stocks
  feet: [number, number, number][]; // frame of the stock's mount; one for a measure of a single face
  text: string;
  out: boolean; // out of tolerance
  bold: boolean;
}

const INK_HEIGHT_PX = 44;
const LABEL_SHARE = 0.028; // height of a label, of its distance from the eye

export class Dimensions {
  private groups: THREE.Group[] = [];
  private told: Dimension[] = [];

  constructor(private readonly scene: THREE.Scene) {}

  /** In place of those drawn before. */
  draw(dimensions: Dimension[]): void {
    for (const group of this.groups) {
      group.removeFromParent();
      group.traverse((object) => {
        if (object instanceof THREE.Mesh || object instanceof THREE.Line) object.geometry.dispose();
        if (object instanceof THREE.Sprite) object.material.map?.dispose();
      });
    }
    this.told = dimensions;
    this.groups = dimensions.map((dimension) => {
      const group = drawn(dimension);
      this.scene.add(group);
      return group;
    });
  }

  /** Where the parts stand: `mountOf(stock)` takes the frame of its mount to the machine's. */
  place(mountOf: (stock: number) => THREE.Matrix4): void {
    this.groups.forEach((group, i) => {
      group.matrix.copy(mountOf(this.told[i].stock));
      group.matrixWorldNeedsUpdate = true;
    });
  }
}

function drawn({ feet, text, out, bold }: Dimension): THREE.Group {
  const group = new THREE.Group();
  group.matrixAutoUpdate = false;
  const color = out ? CAUTION : ACCENT;
  const points = feet.map((foot) => new THREE.Vector3(...foot));
  for (const point of points) {
    const dot = new THREE.Mesh(new THREE.SphereGeometry(bold ? 0.9 : 0.6, 12, 8), new THREE.MeshBasicMaterial({ color, depthTest: false }));
    dot.position.copy(point);
    dot.renderOrder = 8;
    group.add(dot);
  }
  if (points.length > 1) {
    const line = new THREE.Line(new THREE.BufferGeometry().setFromPoints(points), new THREE.LineBasicMaterial({ color, depthTest: false }));
    line.renderOrder = 8;
    group.add(line);
  }
  const label = sign(text, color, bold);
  label.position.copy(points.reduce((sum, point) => sum.add(point), new THREE.Vector3()).divideScalar(Math.max(1, points.length)));
  group.add(label);
  return group;
}

/** A reading on a slip of paper that always faces the eye, as large from near as from far. */
function sign(text: string, color: string, bold: boolean): THREE.Sprite {
  const canvas = document.createElement("canvas");
  const font = `${bold ? 700 : 500} ${INK_HEIGHT_PX}px 'IBM Plex Mono', monospace`;
  const pen = canvas.getContext("2d")!;
  pen.font = font;
  canvas.width = Math.ceil(pen.measureText(text).width) + 28;
  canvas.height = INK_HEIGHT_PX + 20;
  pen.font = font; // a canvas that changed its size has forgotten it
  pen.fillStyle = PAPER;
  pen.strokeStyle = color;
  pen.lineWidth = bold ? 6 : 3;
  pen.fillRect(0, 0, canvas.width, canvas.height);
  pen.strokeRect(1, 1, canvas.width - 2, canvas.height - 2);
  pen.fillStyle = color;
  pen.textAlign = "center";
  pen.textBaseline = "middle";
  pen.fillText(text, canvas.width / 2, canvas.height / 2 + 2);
  const map = new THREE.CanvasTexture(canvas);
  map.colorSpace = THREE.SRGBColorSpace;
  const sprite = new THREE.Sprite(new THREE.SpriteMaterial({ map, depthTest: false, sizeAttenuation: false }));
  sprite.scale.set((LABEL_SHARE * canvas.width) / canvas.height, LABEL_SHARE, 1);
  sprite.center.set(0.5, -0.25); // beside what it tells of, not over it
  sprite.renderOrder = bold ? 10 : 9;
  return sprite;
}
