// The path without material, drawn: a small scene of lines. Drawn only when something changed.

import * as THREE from "three";
import { OrbitControls } from "three/addons/controls/OrbitControls.js";

import type { Path } from "../api/client";
import { ACCENT, PAPER, SKIPPED, toolColour } from "../look";

export type Look = "space" | "top" | "front" | "side";

export interface Columns {
  points: Float32Array;
  rapid: Uint8Array;
  tool: Uint16Array;
  line: Uint32Array;
  file: Uint8Array;
  count: number;
}

function bytes(packed: string): ArrayBuffer {
  const text = atob(packed);
  const made = new Uint8Array(text.length);
  for (let i = 0; i < text.length; i++) made[i] = text.charCodeAt(i);
  return made.buffer;
}

export function columnsOf(path: Path): Columns {
  return {
    points: new Float32Array(bytes(path.points)), rapid: new Uint8Array(bytes(path.rapid)), tool: new Uint16Array(bytes(path.tool)),
    line: new Uint32Array(bytes(path.line)), file: new Uint8Array(bytes(path.file)), count: path.count,
  }; // prettier-ignore
}

/** The box around the cutting pieces (of all, where none cuts): from, to. */
export function boxOf({ points, rapid, count }: Columns): [number[], number[]] {
  const least = [Infinity, Infinity, Infinity];
  const most = [-Infinity, -Infinity, -Infinity];
  const cuts = rapid.some((value) => !value);
  for (let i = 0; i < count; i++) {
    if (cuts && rapid[i]) continue;
    for (const at of [i, i + 1])
      for (let k = 0; k < 3; k++) {
        least[k] = Math.min(least[k], points[3 * at + k]);
        most[k] = Math.max(most[k], points[3 * at + k]);
      }
  }
  return [least, most];
}

export class PathScene {
  private readonly renderer: THREE.WebGLRenderer;
  private readonly scene = new THREE.Scene();
  private readonly camera = new THREE.OrthographicCamera();
  private readonly controls: OrbitControls;
  private readonly watch: ResizeObserver;
  private columns: Columns | null = null;
  private lit: THREE.LineSegments | null = null;
  private pending = 0;
  private size = 100;

  /** `turning`: Z lies along the picture, X stands up, as a lathe's drawings have it. */
  constructor(
    private readonly host: HTMLElement,
    private readonly turning: boolean,
  ) {
    this.renderer = new THREE.WebGLRenderer({ antialias: !navigator.webdriver });
    this.renderer.setClearColor(PAPER);
    host.appendChild(this.renderer.domElement);
    this.camera.up.set(turning ? 1 : 0, 0, turning ? 0 : 1);
    this.controls = new OrbitControls(this.camera, this.renderer.domElement);
    this.controls.addEventListener("change", () => this.draw());
    this.watch = new ResizeObserver(() => this.resize());
    this.watch.observe(host);
  }

  dispose(): void {
    this.watch.disconnect();
    cancelAnimationFrame(this.pending);
    this.controls.dispose();
    this.renderer.dispose();
    this.renderer.domElement.remove();
  }

  show(path: Path, first: Look | null): void {
    this.columns = columnsOf(path);
    this.scene.clear();
    this.lit = null;
    const { points, rapid, tool, count } = this.columns;
    const [cutting, fast] = [[], []] as [number[], number[]];
    for (let i = 0; i < count; i++) (rapid[i] ? fast : cutting).push(i);
    const colour = new THREE.Color();
    for (const [pieces, isFast] of [[cutting, false], [fast, true]] as const) {
      const at = new Float32Array(6 * pieces.length);
      const colours = new Float32Array(6 * pieces.length);
      pieces.forEach((piece, k) => {
        at.set(points.subarray(3 * piece, 3 * piece + 6), 6 * k);
        colour.set(isFast ? "#b9b19c" : toolColour(tool[piece]));
        for (const half of [0, 3]) colours.set([colour.r, colour.g, colour.b], 6 * k + half);
      });
      const geometry = new THREE.BufferGeometry();
      geometry.setAttribute("position", new THREE.BufferAttribute(at, 3));
      geometry.setAttribute("color", new THREE.BufferAttribute(colours, 3));
      const material = isFast ? new THREE.LineDashedMaterial({ vertexColors: true, dashSize: 3, gapSize: 2 }) : new THREE.LineBasicMaterial({ vertexColors: true });
      const lines = new THREE.LineSegments(geometry, material);
      if (isFast) lines.computeLineDistances();
      this.scene.add(lines);
    } // prettier-ignore
    const skipped = new Float32Array(bytes(path.skipped));
    const geometry = new THREE.BufferGeometry();
    geometry.setAttribute("position", new THREE.BufferAttribute(skipped, 3));
    const out = new THREE.LineSegments(geometry, new THREE.LineDashedMaterial({ color: SKIPPED, dashSize: 1, gapSize: 2 }));
    out.computeLineDistances();
    this.scene.add(out);
    if (first) this.look(first);
    this.draw();
  }

  /** Light the pieces of a block; -1 lets them go. */
  light(file: number, line: number): void {
    if (!this.columns) return;
    if (this.lit) this.scene.remove(this.lit);
    const { points, line: lines, file: files, count } = this.columns;
    const at: number[] = [];
    for (let i = 0; i < count; i++) if (lines[i] === line && files[i] === file) at.push(...points.subarray(3 * i, 3 * i + 6));
    const geometry = new THREE.BufferGeometry();
    geometry.setAttribute("position", new THREE.Float32BufferAttribute(at, 3));
    this.lit = new THREE.LineSegments(geometry, new THREE.LineBasicMaterial({ color: ACCENT, linewidth: 3, depthTest: false }));
    this.lit.renderOrder = 2;
    this.scene.add(this.lit);
    // A dot at the end, so that a short move is seen too.
    if (at.length) {
      const dot = new THREE.Mesh(new THREE.SphereGeometry(this.size / 90), new THREE.MeshBasicMaterial({ color: ACCENT, depthTest: false }));
      dot.position.fromArray(at.slice(-3));
      this.lit.add(dot);
    }
    this.draw();
  }

  look(which: Look): void {
    if (!this.columns || !this.columns.count) return;
    const [least, most] = boxOf(this.columns);
    const middle = new THREE.Vector3(...least.map((value, k) => (value + most[k]) / 2));
    this.size = Math.max(5, Math.hypot(...most.map((value, k) => value - least[k])));
    const mill = { space: [1, -1.4, 1.1], top: [0, -1e-4, 1], front: [0, -1, 0], side: [1, 0, 0] };
    const lathe = { space: [0.5, 1.4, 0.7], top: [1, 1e-4, 0], front: [0, 1, 0], side: [0, 0, 1] };
    const from = (this.turning ? lathe : mill)[which];
    const away = new THREE.Vector3(...from).normalize().multiplyScalar(20 * this.size);
    this.camera.position.copy(middle).add(away);
    this.controls.target.copy(middle);
    this.camera.near = this.size;
    this.camera.far = 60 * this.size;
    this.camera.zoom = 1;
    this.resize();
    this.controls.update();
  }

  private resize(): void {
    const { clientWidth: width, clientHeight: height } = this.host;
    if (!width || !height) return;
    this.renderer.setPixelRatio(devicePixelRatio);
    this.renderer.setSize(width, height);
    const half = 0.62 * this.size;
    const share = width / height;
    Object.assign(this.camera, share > 1 ? { left: -half * share, right: half * share, top: half, bottom: -half } : { left: -half, right: half, top: half / share, bottom: -half / share });
    this.camera.updateProjectionMatrix();
    this.draw();
  }

  private draw(): void {
    cancelAnimationFrame(this.pending);
    this.pending = requestAnimationFrame(() => this.renderer.render(this.scene, this.camera));
  }
}
