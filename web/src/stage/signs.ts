// Frames drawn as three arrows (X ink, Y middle, Z accent, each with its letter), and picked features as dots.

import * as THREE from "three";

import { ACCENT, INK, PAPER } from "../look";
import { matrix, type Skeleton } from "./skeleton";

/** A frame, in the frame of a link. */
export interface Triad {
  name: string;
  link: string;
  matrix: number[][];
}

/** A feature with its direction, in a frame on a link. */
export interface Dot {
  link: string;
  matrix: number[][];
  point: [number, number, number];
  direction: [number, number, number] | null;
  colour?: string; // of one of many: drawn larger, and hidden by what stands before it
}

/** How far something may be off along a line, drawn as lengths both ways from a point beside it; open-ended where nothing is known
 *  to happen. `point` and `direction` in the frame. */
export interface Whisker {
  link: string;
  matrix: number[][];
  point: [number, number, number];
  direction: [number, number, number];
  says: string;
  ends: { sign: 1 | -1; length: number; colour: string; open: boolean }[];
}

const ARROWS = ["#1d2a30", "#6f7f58", "#1f5a73"];

export class Signs {
  private readonly drawn: THREE.Object3D[] = [];

  constructor(private readonly skeleton: Skeleton) {}

  /** In place of those drawn before. */
  draw(triads: Triad[], dots: Dot[], whiskers: Whisker[] = []): void {
    for (const old of this.drawn) old.removeFromParent();
    this.drawn.length = 0;
    for (const { link, matrix: rows, name } of triads) {
      const group = framed(rows);
      (["X", "Y", "Z"] as const).forEach((letter, i) => {
        const direction = new THREE.Vector3().setComponent(i, 1);
        group.add(new THREE.ArrowHelper(direction, new THREE.Vector3(), 34, ARROWS[i], 9, 5));
        const label = word(letter);
        label.position.copy(direction).multiplyScalar(41);
        group.add(label);
      });
      const label = word(name);
      label.position.set(-12, -12, -6);
      group.add(label);
      this.hang(link, group);
    }
    for (const { link, matrix: rows, point, direction, says, ends } of whiskers) {
      const group = framed(rows);
      const along = new THREE.Vector3(...direction).normalize();
      const upright = new THREE.Quaternion().setFromUnitVectors(new THREE.Vector3(0, 1, 0), along);
      const part = (colour: string, radius: number, height: number, at: number) => {
        const mesh = new THREE.Mesh(new THREE.CylinderGeometry(radius, radius, height, 12), new THREE.MeshBasicMaterial({ color: colour, depthTest: false }));
        mesh.quaternion.copy(upright);
        mesh.position.set(...point).addScaledVector(along, at);
        mesh.renderOrder = 6;
        group.add(mesh);
      };
      for (const { sign, length, colour, open } of ends) {
        part(colour, 1.2, length, (sign * length) / 2);
        if (!open) part(colour, 3.6, 1.2, sign * length);
      }
      part(INK, 2, 0.8, 0); // where it stands
      const label = word(says);
      label.position.set(...point).addScaledVector(along, Math.max(...ends.map(({ sign, length }) => sign * length), 0) + 14);
      group.add(label);
      this.hang(link, group);
    }
    for (const { link, matrix: rows, point, direction, colour } of dots) {
      const group = framed(rows);
      const dot = new THREE.Mesh(new THREE.SphereGeometry(colour ? 4.5 : 2, 12, 8), new THREE.MeshBasicMaterial({ color: colour ?? ACCENT, depthTest: !!colour }));
      dot.position.set(...point);
      dot.renderOrder = 6;
      group.add(dot);
      if (direction) group.add(new THREE.ArrowHelper(new THREE.Vector3(...direction), dot.position, 24, ACCENT, 7, 4));
      this.hang(link, group);
    }
  }

  private hang(link: string, group: THREE.Group): void {
    this.skeleton.of(link)?.add(group);
    this.drawn.push(group);
  }
}

function framed(rows: number[][]): THREE.Group {
  const group = new THREE.Group();
  group.matrixAutoUpdate = false;
  group.matrix.copy(matrix(rows));
  return group;
}

/** A word that always faces the eye. */
function word(text: string): THREE.Sprite {
  const canvas = document.createElement("canvas");
  canvas.width = text.length > 10 ? 512 : 256;
  canvas.height = 64;
  const pen = canvas.getContext("2d")!;
  pen.font = "600 40px 'IBM Plex Sans', sans-serif";
  pen.textAlign = "center";
  pen.textBaseline = "middle";
  pen.lineWidth = 8;
  pen.strokeStyle = PAPER;
  pen.strokeText(text, canvas.width / 2, 32);
  pen.fillStyle = INK;
  pen.fillText(text, canvas.width / 2, 32);
  const sprite = new THREE.Sprite(new THREE.SpriteMaterial({ map: new THREE.CanvasTexture(canvas), depthTest: false }));
  sprite.scale.set((12 * canvas.width) / canvas.height, 12, 1);
  sprite.renderOrder = 7;
  return sprite;
}
