// The stage: machine, fixtures, tool, stock and paths in three dimensions. Drawn only when something changed.

import * as THREE from "three";
import { OrbitControls } from "three/addons/controls/OrbitControls.js";

import { PAPER, STOP, toolColour } from "../look";
import { FilmIndex, type Replay } from "../replay/replay";

export type Showing = "shown" | "ghost" | "hidden";

const GREYS: Record<string, string> = { machine: "#a9b4b8", fixture: "#8c7f6a", part: "#8c7f6a", design: "#7fa98f", tool: "#5f6b70" };

interface Stock {
  group: THREE.Group;
  film: FilmIndex;
  bricks: Map<number, { mesh: THREE.Mesh; version: number }>;
  vertices: Float32Array;
  quads: Uint16Array;
  tags: Int32Array;
  vertexEnd: Uint32Array;
  quadEnd: Uint32Array;
}

export class StageScene {
  private readonly renderer: THREE.WebGLRenderer;
  private readonly scene = new THREE.Scene();
  private readonly camera = new THREE.PerspectiveCamera(32, 1, 1, 20000);
  private readonly controls: OrbitControls;
  private readonly links = new Map<string, THREE.Group>();
  private readonly bodies: { mesh: THREE.Mesh; name: string; role: string; tool: number }[] = [];
  private readonly stocks: Stock[] = [];
  private readonly showing = new Map<string, Showing>();
  private lit = new Set<string>();
  private readonly paths: THREE.LineSegments[] = [];
  private readonly pathMotion: Uint32Array[] = [];
  private readonly marker: THREE.Mesh;
  private readonly watcher: ResizeObserver;
  private pending = 0;
  private time = 0;
  private readonly workAt = new THREE.Vector3();

  constructor(
    private readonly host: HTMLElement,
    private readonly replay: Replay,
    private readonly picked: (motion: number) => void,
  ) {
    this.renderer = new THREE.WebGLRenderer({ antialias: !navigator.webdriver });
    this.renderer.setPixelRatio(Math.min(2, devicePixelRatio));
    host.appendChild(this.renderer.domElement);
    this.scene.background = new THREE.Color(PAPER);
    this.scene.add(new THREE.HemisphereLight("#ffffff", "#b8b09c", 1.7));
    const sun = new THREE.DirectionalLight("#ffffff", 1.9);
    sun.position.set(-0.5, -0.8, 1.4);
    this.scene.add(sun);
    this.camera.up.set(0, 0, 1);
    this.controls = new OrbitControls(this.camera, this.renderer.domElement);
    this.controls.addEventListener("change", this.draw);
    this.marker = new THREE.Mesh(
      new THREE.SphereGeometry(2.2, 16, 12),
      new THREE.MeshBasicMaterial({ color: STOP, depthTest: false, transparent: true, opacity: 0.85 }),
    );
    this.marker.visible = false;
    this.marker.renderOrder = 5;
    this.scene.add(this.marker);
    this.build();
    this.watcher = new ResizeObserver(() => this.fit());
    this.watcher.observe(host);
    this.renderer.domElement.addEventListener("click", this.pick);
    this.fit();
    this.show(0);
    this.view("work");
  }

  dispose(): void {
    cancelAnimationFrame(this.pending);
    this.watcher.disconnect();
    this.controls.dispose();
    this.renderer.dispose();
    this.renderer.domElement.remove();
  }

  // --- building -------------------------------------------------------------------------------------------------------

  private build(): void {
    const { description } = this.replay;
    for (const link of description.links) {
      const group = new THREE.Group();
      (link.parent ? this.links.get(link.parent)! : this.scene).add(group);
      this.links.set(link.name, group);
    }
    for (const body of description.bodies) {
      const geometry = new THREE.BufferGeometry();
      geometry.setAttribute("position", new THREE.BufferAttribute(this.replay.array(body.mesh.positions), 3));
      geometry.setIndex(new THREE.BufferAttribute(this.replay.array(body.mesh.triangles), 1));
      const material = new THREE.MeshStandardMaterial({ color: GREYS[body.role], roughness: 0.75, flatShading: true });
      if (body.role === "tool" && body.name === "cutter") material.color.set(toolColour(body.tool));
      const mesh = new THREE.Mesh(geometry, material);
      this.links.get(body.link)!.add(mesh);
      this.bodies.push({ mesh, name: body.name, role: body.role, tool: body.tool });
      this.showing.set(this.label(body), body.role === "machine" ? "ghost" : body.role === "design" ? "hidden" : "shown");
    }
    for (const stock of description.stocks) {
      const group = new THREE.Group();
      group.matrixAutoUpdate = false;
      group.matrix.copy(matrix(stock.matrix));
      this.links.get(stock.link)!.add(group);
      this.showing.set(stock.name, "shown");
      this.stocks.push({
        group,
        film: new FilmIndex(this.replay.array(stock.brick), this.replay.array(stock.time)),
        bricks: new Map(),
        vertices: this.replay.array(stock.vertices) as Float32Array,
        quads: this.replay.array(stock.quads) as Uint16Array,
        tags: this.replay.array(stock.tags) as Int32Array,
        vertexEnd: this.replay.array(stock.vertexEnd) as Uint32Array,
        quadEnd: this.replay.array(stock.quadEnd) as Uint32Array,
      });
    }
    if (this.stocks.length) this.buildPaths(description.stocks[0].link);
  }

  /** The way of every tool's tip, seen from the work: cutting moves in the tool's colour, rapids thin and apart. */
  private buildPaths(workLink: string): void {
    const { knots, axes, description } = this.replay;
    const toolOf = this.replay.column("tool");
    const kinds = this.replay.column("kind");
    const mount = matrix(description.toolMount.matrix);
    const lengths = new Map(description.tools.map((tool) => [tool.number, tool.length]));
    const tip = new THREE.Vector3();
    const place = (row: number, length: number) => {
      this.pose(Array.from(knots.at.subarray(row * axes.length, (row + 1) * axes.length)));
      const work = this.poseOf(workLink).invert();
      return tip.set(0, 0, -length).applyMatrix4(work.multiply(this.poseOf(description.toolMount.link)).multiply(mount));
    };
    const groups = new Map<number, { points: number[]; motions: number[] }>();
    for (let i = 0; i < knots.count; i++) {
      const motion = knots.motion[i];
      const length = lengths.get(toolOf[motion]);
      if (length === undefined) continue;
      const key = kinds[motion] === 0 ? 0 : toolOf[motion];
      const group = groups.get(key) ?? { points: [], motions: [] };
      groups.set(key, group);
      for (const row of [i, i + 1]) group.points.push(...place(row, length).toArray());
      group.motions.push(motion);
    }
    for (const [key, group] of groups) {
      const geometry = new THREE.BufferGeometry();
      geometry.setAttribute("position", new THREE.Float32BufferAttribute(group.points, 3));
      const material = new THREE.LineBasicMaterial({
        color: key ? toolColour(key) : "#8a8577",
        transparent: true,
        opacity: key ? 0.9 : 0.45,
      });
      const lines = new THREE.LineSegments(geometry, material);
      lines.visible = false;
      this.links.get(workLink)!.add(lines);
      this.paths.push(lines);
      this.pathMotion.push(Uint32Array.from(group.motions));
    }
  }

  private label(body: { name: string; role: string; tool: number }): string {
    return body.role === "tool" ? `T${body.tool} ${body.name}` : body.name;
  }

  // --- posing ---------------------------------------------------------------------------------------------------------

  private pose(values: number[]): void {
    for (const link of this.replay.description.links) {
      const joint = link.joint;
      const group = this.links.get(link.name)!;
      if (!joint) continue;
      const q = values[this.replay.axes.indexOf(joint.axis)] ?? 0;
      const direction = new THREE.Vector3(...joint.direction).normalize();
      group.position.set(...joint.at);
      if (joint.type === "linear") group.position.addScaledVector(direction, q);
      else group.quaternion.setFromAxisAngle(direction, (q * Math.PI) / 180);
    }
  }

  private poseOf(link: string): THREE.Matrix4 {
    const group = this.links.get(link)!;
    group.updateWorldMatrix(true, false);
    return group.matrixWorld.clone();
  }

  show(time: number): void {
    this.time = time;
    this.pose(this.replay.axesAt(time));
    this.keepToWork();
    const tool = this.replay.motionCount ? this.replay.column("tool")[this.replay.motionAt(time)] : 0;
    for (const body of this.bodies) {
      const state = this.showing.get(this.label(body))!;
      const lit = this.lit.has(this.label(body));
      const material = body.mesh.material as THREE.MeshStandardMaterial;
      body.mesh.visible = (state !== "hidden" || lit) && (body.role !== "tool" || body.tool === tool);
      const ghost = state === "ghost" && !lit;
      material.transparent = ghost;
      material.opacity = ghost ? 0.16 : 1;
      material.depthWrite = !ghost;
      material.emissive.set(lit ? STOP : "#000000");
      material.emissiveIntensity = lit ? 0.55 : 0;
    }
    for (const [i, stock] of this.stocks.entries()) {
      const state = this.showing.get(this.replay.description.stocks[i].name);
      stock.group.visible = state !== "hidden";
      for (const brick of stock.film.bricks) this.brick(stock, brick, stock.film.versionAt(brick, time), state === "ghost");
    }
    this.draw();
  }

  /** The eye travels with the work, so that what is looked at stays in sight while the table moves. */
  private keepToWork(): void {
    const work = this.replay.description.stocks[0]?.link;
    if (!work) return;
    const here = new THREE.Vector3().setFromMatrixPosition(this.poseOf(work));
    const moved = here.clone().sub(this.workAt);
    this.workAt.copy(here);
    this.camera.position.add(moved);
    this.controls.target.add(moved);
    this.controls.update();
  }

  private brick(stock: Stock, brick: number, version: number, ghost: boolean): void {
    let known = stock.bricks.get(brick);
    if (!known) {
      const material = new THREE.MeshStandardMaterial({ vertexColors: true, roughness: 0.8 });
      known = { mesh: new THREE.Mesh(new THREE.BufferGeometry(), material), version: -2 };
      stock.group.add(known.mesh);
      stock.bricks.set(brick, known);
    }
    const material = known.mesh.material as THREE.MeshStandardMaterial;
    material.transparent = ghost;
    material.opacity = ghost ? 0.25 : 1;
    if (known.version === version) return;
    known.version = version;
    known.mesh.geometry.dispose();
    known.mesh.geometry = version < 0 ? new THREE.BufferGeometry() : this.brickGeometry(stock, version);
    known.mesh.userData = { stock, version };
  }

  private brickGeometry(stock: Stock, version: number): THREE.BufferGeometry {
    const v0 = version ? stock.vertexEnd[version - 1] : 0;
    const q0 = version ? stock.quadEnd[version - 1] : 0;
    const quads = stock.quadEnd[version] - q0;
    const tools = this.replay.column("tool");
    const positions = new Float32Array(quads * 18);
    const colours = new Float32Array(quads * 18);
    const colour = new THREE.Color();
    for (let q = 0; q < quads; q++) {
      const corner = [0, 1, 2, 3].map((c) => 3 * (v0 + stock.quads[4 * (q0 + q) + c]));
      const tag = stock.tags[q0 + q];
      colour.set(toolColour(tag >= 0 ? tools[tag] : 0));
      [0, 1, 2, 0, 2, 3].forEach((c, i) => {
        const at = 18 * q + 3 * i;
        for (let d = 0; d < 3; d++) positions[at + d] = stock.vertices[corner[c] + d];
        colours[at] = colour.r;
        colours[at + 1] = colour.g;
        colours[at + 2] = colour.b;
      });
    }
    const geometry = new THREE.BufferGeometry();
    geometry.setAttribute("position", new THREE.BufferAttribute(positions, 3));
    geometry.setAttribute("color", new THREE.BufferAttribute(colours, 3));
    geometry.computeVertexNormals();
    return geometry;
  }

  // --- choices of the user --------------------------------------------------------------------------------------------

  get bodyNames(): { label: string; role: string }[] {
    return [
      ...this.replay.description.stocks.map((stock) => ({ label: stock.name, role: "stock" })),
      ...this.bodies.filter((b) => b.role !== "tool").map((b) => ({ label: b.name, role: b.role })),
    ];
  }

  showingOf(label: string): Showing {
    return this.showing.get(label) ?? "shown";
  }

  setShowing(label: string, state: Showing): void {
    this.showing.set(label, state);
    this.show(this.time);
  }

  light(bodies: string[], point: [number, number, number] | null): void {
    this.lit = new Set(bodies);
    this.marker.visible = point !== null;
    if (point) this.marker.position.set(...point);
    this.show(this.time);
  }

  showPaths(on: boolean): void {
    for (const path of this.paths) path.visible = on;
    this.draw();
  }

  view(name: "work" | "machine" | "top" | "front" | "side"): void {
    const box = new THREE.Box3();
    this.scene.updateMatrixWorld(true);
    if (name === "machine") box.setFromObject(this.scene);
    else for (const stock of this.stocks) box.expandByObject(stock.group);
    if (box.isEmpty()) box.setFromObject(this.scene);
    const centre = box.getCenter(new THREE.Vector3());
    const radius = Math.max(20, box.getSize(new THREE.Vector3()).length() / 2);
    const direction = { work: [-0.75, -1.1, 0.95], machine: [-0.9, -1.3, 0.7], top: [0, -0.001, 1], front: [0, -1, 0.02], side: [1, 0, 0.02] }[name];
    const away = (radius * 1.25) / Math.sin((this.camera.fov * Math.PI) / 360);
    this.camera.position.copy(centre).addScaledVector(new THREE.Vector3(...direction).normalize(), away);
    this.controls.target.copy(centre);
    this.controls.update();
    this.draw();
  }

  // --- plumbing -------------------------------------------------------------------------------------------------------

  private fit(): void {
    const { clientWidth: width, clientHeight: height } = this.host;
    if (!width || !height) return;
    this.renderer.setSize(width, height);
    this.camera.aspect = width / height;
    this.camera.updateProjectionMatrix();
    this.draw();
  }

  private draw = (): void => {
    if (this.pending) return;
    this.pending = requestAnimationFrame(() => {
      this.pending = 0;
      this.renderer.render(this.scene, this.camera);
      this.host.dataset.time = this.time.toFixed(3);
      this.host.dataset.quads = String(this.quadsSeen());
    });
  };

  /** How many quads of stock are on show: lets a test see the stock change without looking at pixels. */
  private quadsSeen(): number {
    let total = 0;
    for (const stock of this.stocks) {
      for (const { version } of stock.bricks.values()) {
        if (version >= 0) total += stock.quadEnd[version] - (version ? stock.quadEnd[version - 1] : 0);
      }
    }
    return total;
  }

  /** A click on a machined face goes to the motion that made it, one on a path to the motion that runs it. */
  private pick = (event: MouseEvent): void => {
    const box = this.renderer.domElement.getBoundingClientRect();
    const spot = new THREE.Vector2(
      ((event.clientX - box.left) / box.width) * 2 - 1,
      1 - ((event.clientY - box.top) / box.height) * 2,
    );
    const ray = new THREE.Raycaster();
    ray.params.Line.threshold = 0.8;
    ray.setFromCamera(spot, this.camera);
    const paths = this.paths.filter((path) => path.visible);
    const line = ray.intersectObjects(paths, false)[0];
    if (line?.index !== undefined) {
      this.picked(this.pathMotion[this.paths.indexOf(line.object as THREE.LineSegments)][line.index >> 1]);
      return;
    }
    const hit = ray.intersectObjects(this.stocks.map((stock) => stock.group).filter((g) => g.visible))[0];
    if (!hit || hit.faceIndex == null) return;
    const { stock, version } = hit.object.userData as { stock: Stock; version: number };
    const tag = stock.tags[(version ? stock.quadEnd[version - 1] : 0) + (hit.faceIndex >> 1)];
    if (tag >= 0) this.picked(tag);
  };
}

function matrix(rows: number[][]): THREE.Matrix4 {
  const m = rows.flat() as Parameters<THREE.Matrix4["set"]>;
  return new THREE.Matrix4().set(...m);
}

