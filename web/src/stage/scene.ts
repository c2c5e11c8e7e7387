// The stage: machine, fixtures, tool, stock and paths in three dimensions. Drawn only when something changed.

import * as THREE from "three";
import { OrbitControls } from "three/addons/controls/OrbitControls.js";

import { mark, markable, place } from "./contactMark";
import { ACCENT, deviationColour, PAPER, STOP, toolColour } from "../look";
import { standOf } from "../replay/kinematics";
import { FilmIndex, type Part, type Replay } from "../replay/replay";

export type Showing = "shown" | "ghost" | "hidden";
export type Colouring = "tool" | "deviation";
export type Section = { axis: 0 | 1 | 2; share: number } | null;

/** What a click on the stage met. */
export type Picked =
  | { what: "path"; motion: number }
  | { what: "face"; motion: number; deviation: number | null; point: [number, number, number] };

const CHOSEN = "#5f9db8";
const GREYS: Record<string, string> = {
  machine: "#a9b4b8", fixture: "#9c8f78", part: "#9c8f78", design: "#7fa98f", tool: "#5f6b70", stock: "#cfc9ba", access: "#c9a36a",
};

/** Where the machine is stood by hand rather than by a program: axis values, and the tool in use. */
export interface Stance {
  values: number[];
  tool: number;
}

/** A place pointed at on a body: its triangle, and the point in the frame of its link. */
export interface Pointed {
  body: string;
  triangle: number;
  point: [number, number, number];
}

/** A frame to be drawn as three arrows, or a picked feature as a dot with its direction; in the frame of a link. */
export interface Triad {
  name: string;
  link: string;
  matrix: number[][];
}
export interface Dot {
  link: string;
  matrix: number[][];
  point: [number, number, number];
  direction: [number, number, number] | null;
}

interface Stock {
  group: THREE.Group;
  film: FilmIndex;
  bricks: Map<number, { mesh: THREE.Mesh; version: number }>;
  vertices: Float32Array;
  quads: Uint16Array;
  tags: Int32Array;
  vertexEnd: Uint32Array;
  quadEnd: Uint32Array;
  deviation: Map<number, Float32Array>; // version → deviation of each quad, for the final bricks
}

export class StageScene {
  private readonly renderer: THREE.WebGLRenderer;
  private readonly scene = new THREE.Scene();
  private readonly camera = new THREE.PerspectiveCamera(32, 1, 1, 20000);
  private readonly controls: OrbitControls;
  private readonly links = new Map<string, THREE.Group>();
  private readonly bodies: { mesh: THREE.Mesh; name: string; role: string; tool: number; there: [number, number] | null }[] = [];
  private readonly stocks: Stock[] = [];
  private readonly showing = new Map<string, Showing>();
  private lit = new Set<string>();
  private readonly inTheWay = new Set<string>(); // ghosts while a finding is looked at
  private chosen: string[] = [];
  private readonly paths: THREE.LineSegments[] = [];
  private readonly pathMotion: Uint32Array[] = [];
  private pathsBuilt = false;
  private pathsShown = false;
  private colouring: Colouring = "tool";
  private reach = 1;
  private section: Section = null;
  private readonly cut = new THREE.Plane();
  private readonly marker: THREE.Mesh;
  private readonly watcher: ResizeObserver;
  private pending = 0;
  private time = 0;
  private stance: Stance | null = null;
  private readonly signs: THREE.Object3D[] = [];
  /** Set while a person points at faces: the next click goes there instead of to paths and cut faces. */
  onPoint: ((pointed: Pointed) => void) | null = null;
  private readonly workAt = new THREE.Vector3();

  constructor(
    private readonly host: HTMLElement,
    private readonly replay: Replay,
    private readonly picked: (picked: Picked | null) => void,
  ) {
    this.renderer = new THREE.WebGLRenderer({ antialias: !navigator.webdriver });
    this.renderer.localClippingEnabled = true;
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
    this.renderer.domElement.addEventListener("pointerdown", this.press);
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
      markable(material);
      if (body.role === "design") Object.assign(material, { polygonOffset: true, polygonOffsetFactor: 1, polygonOffsetUnits: 2 }); // lies in the blank's own faces
      const mesh = new THREE.Mesh(geometry, material);
      this.links.get(body.link)!.add(mesh);
      this.bodies.push({ mesh, name: body.name, role: body.role, tool: body.tool, there: body.there ?? null });
      const shown: Record<string, Showing> = { machine: this.replay.motionCount ? "ghost" : "shown", design: this.replay.motionCount ? "hidden" : "ghost", access: "ghost" };
      this.showing.set(this.label(body), shown[body.role] ?? "shown");
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
        deviation: new Map(),
      });
      if (stock.part) this.readDeviation(this.stocks[this.stocks.length - 1], stock.part);
    }
  }

  private readDeviation(stock: Stock, part: Part): void {
    const all = this.replay.array(part.deviation) as Float32Array;
    let at = 0;
    for (const version of this.replay.array(part.final)) {
      const quads = stock.quadEnd[version] - (version ? stock.quadEnd[version - 1] : 0);
      stock.deviation.set(version, all.subarray(at, at + quads));
      at += quads;
    }
  }

  /** The way of every tool's tip, seen from the work: cutting moves in the tool's colour, rapids thin and apart. */
  private buildPaths(workLink: string): void {
    const { knots, axes, description } = this.replay;
    const toolOf = this.replay.column("tool");
    const kinds = this.replay.column("kind");
    const tools = new Map(description.tools.map((tool) => [tool.number, { ...tool, mount: matrix(tool.matrix) }]));
    const tip = new THREE.Vector3();
    this.pathsBuilt = true;
    const place = (row: number, tool: { link: string; length: number; mount: THREE.Matrix4 }) => {
      this.pose(Array.from(knots.at.subarray(row * axes.length, (row + 1) * axes.length)));
      const work = this.poseOf(workLink).invert();
      return tip.set(0, 0, -tool.length).applyMatrix4(work.multiply(this.poseOf(tool.link)).multiply(tool.mount));
    };
    const groups = new Map<number, { points: number[]; motions: number[] }>();
    for (let i = 0; i < knots.count; i++) {
      const motion = knots.motion[i];
      const tool = tools.get(toolOf[motion]);
      if (tool === undefined) continue;
      const key = kinds[motion] === 0 ? 0 : toolOf[motion];
      const group = groups.get(key) ?? { points: [], motions: [] };
      groups.set(key, group);
      for (const row of [i, i + 1]) group.points.push(...place(row, tool).toArray());
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
      const q = standOf(joint, (axis) => values[this.replay.axes.indexOf(axis)] ?? 0);
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
    this.pose(this.stance?.values ?? this.replay.axesAt(time));
    this.keepToWork();
    const planes = this.sectionPlanes();
    const tool = this.stance?.tool ?? (this.replay.motionCount ? this.replay.column("tool")[this.replay.motionAt(time)] : 0);
    for (const body of this.bodies) {
      const state = this.showing.get(this.label(body))!;
      // A design that is not shown stays away also when a finding names it: it would lie in the stock's own surface.
      const lit = this.lit.has(this.label(body)) && !(body.role === "design" && state === "hidden");
      const material = body.mesh.material as THREE.MeshStandardMaterial;
      const carried = body.tool === tool || this.replay.description.turret;
      const held = body.role !== "tool" || (carried && this.colouring === "tool");
      const there = !body.there || (time >= body.there[0] && (time < body.there[1] || body.there[1] >= this.replay.seconds) && body.there[0] < body.there[1]);
      body.mesh.visible = (state !== "hidden" || lit) && held && there;
      const ghost = (state === "ghost" || this.inTheWay.has(this.label(body))) && !lit;
      material.transparent = ghost;
      material.opacity = ghost ? 0.16 : 1;
      material.depthWrite = !ghost;
      const cuts = body.role === "tool" && (body.name === "cutter" || body.name === "insert");
      const own = cuts ? toolColour(body.tool) : body.role === "machine" ? this.sideColour(body.name) : GREYS[body.role];
      const chosen = this.chosen.includes(this.label(body)) && !lit;
      // A body is marked where it is touched; where a finding has no place, as a whole.
      const whole = lit && !this.marker.visible;
      material.color.set(whole ? STOP : chosen ? CHOSEN : own);
      material.emissive.set(whole ? STOP : "#000000");
      material.emissiveIntensity = whole ? 0.35 : 0;
      mark(material, lit && this.marker.visible);
      material.clippingPlanes = body.role === "fixture" || body.role === "design" ? planes : null;
    }
    const finished = this.colouring === "deviation" ? this.replay.seconds : time;
    for (const [i, stock] of this.stocks.entries()) {
      const { name } = this.replay.description.stocks[i];
      const state = this.inTheWay.has(name) ? "ghost" : this.showing.get(name);
      stock.group.visible = state !== "hidden";
      for (const brick of stock.film.bricks) this.brick(stock, brick, stock.film.versionAt(brick, finished), state === "ghost", planes);
    }
    this.draw();
  }

  /** The machine's tool side cooler, its work side warmer, what carries both in between. */
  private sideColour(link: string): string {
    const { links, toolMount, workMount } = this.replay.description;
    const carries = (end: string): boolean => {
      for (let at: string | null = end; at; at = links.find((entry) => entry.name === at)?.parent ?? null) if (at === link) return true;
      return false;
    };
    const [tool, work] = [carries(toolMount.link), carries(workMount.link)];
    return tool === work ? GREYS.machine : tool ? "#9db0bb" : "#b9b29c";
  }

  /** Stand the machine by hand; null gives it back to the program. */
  stand(stance: Stance | null): void {
    this.stance = stance;
    this.show(this.time);
  }

  /** Draw frames as arrows (X ink, Y middle, Z accent, each with its letter) and picked features as dots. */
  sign(triads: Triad[], dots: Dot[]): void {
    for (const old of this.signs) old.removeFromParent();
    this.signs.length = 0;
    for (const { link, matrix: rows, name } of triads) {
      const group = new THREE.Group();
      group.matrixAutoUpdate = false;
      group.matrix.copy(matrix(rows));
      (["X", "Y", "Z"] as const).forEach((letter, i) => {
        const direction = new THREE.Vector3().setComponent(i, 1);
        group.add(new THREE.ArrowHelper(direction, new THREE.Vector3(), 34, TRIAD[i], 9, 5));
        const label = word(letter);
        label.position.copy(direction).multiplyScalar(41);
        group.add(label);
      });
      const label = word(name);
      label.position.set(-12, -12, -6);
      group.add(label);
      this.links.get(link)?.add(group);
      this.signs.push(group);
    }
    for (const { link, matrix: rows, point, direction } of dots) {
      const group = new THREE.Group();
      group.matrixAutoUpdate = false;
      group.matrix.copy(matrix(rows));
      const dot = new THREE.Mesh(new THREE.SphereGeometry(2, 12, 8), new THREE.MeshBasicMaterial({ color: ACCENT, depthTest: false }));
      dot.position.set(...point);
      dot.renderOrder = 6;
      group.add(dot);
      if (direction) group.add(new THREE.ArrowHelper(new THREE.Vector3(...direction), dot.position, 24, ACCENT, 7, 4));
      this.links.get(link)?.add(group);
      this.signs.push(group);
    }
    this.draw();
  }

  /** The eye travels with the work, so that what is looked at stays in sight while the table moves. */
  private keepToWork(): void {
    const { stocks, bodies, workMount } = this.replay.description;
    const clamped = bodies.some(({ role }) => role !== "machine" && role !== "tool");
    const work = stocks[0]?.link ?? (this.stance && clamped ? workMount.link : undefined);
    if (!work) return;
    const here = new THREE.Vector3().setFromMatrixPosition(this.poseOf(work));
    const moved = here.clone().sub(this.workAt);
    this.workAt.copy(here);
    this.camera.position.add(moved);
    this.controls.target.add(moved);
    this.controls.update();
  }

  private standsAt(): THREE.Vector3 {
    const { stocks, workMount } = this.replay.description;
    return new THREE.Vector3().setFromMatrixPosition(this.poseOf(stocks[0]?.link ?? workMount.link));
  }

  private sectionPlanes(): THREE.Plane[] | null {
    if (!this.section || !this.stocks.length) return null;
    const box = new THREE.Box3();
    for (const stock of this.stocks) box.expandByObject(stock.group);
    const normal = new THREE.Vector3().setComponent(this.section.axis, -1);
    const low = box.min.getComponent(this.section.axis);
    const high = box.max.getComponent(this.section.axis);
    this.cut.set(normal, low + this.section.share * (high - low));
    return [this.cut];
  }

  private brick(stock: Stock, brick: number, version: number, ghost: boolean, planes: THREE.Plane[] | null): void {
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
    material.clippingPlanes = planes;
    material.side = planes ? THREE.DoubleSide : THREE.FrontSide;
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
    const deviation = stock.deviation.get(version);
    const { gouge, excess } = this.replay.description.checks;
    for (let q = 0; q < quads; q++) {
      const corner = [0, 1, 2, 3].map((c) => 3 * (v0 + stock.quads[4 * (q0 + q) + c]));
      const tag = stock.tags[q0 + q];
      if (this.colouring === "tool") colour.set(toolColour(tag >= 0 ? tools[tag] : 0));
      else if (deviation) colour.setRGB(...deviationColour(deviation[q], gouge, excess, this.reach));
      else colour.set("#cfc9ba");
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

  /** The whole machine at once: ghost → hidden → shown → ghost. */
  turnMachine(): void {
    const machine = this.bodies.filter((body) => body.role === "machine").map((body) => this.label(body));
    const next = { ghost: "hidden", hidden: "shown", shown: "ghost" } as const;
    const state = next[this.showingOf(machine[0] ?? "")];
    for (const label of machine) this.showing.set(label, state);
    this.show(this.time);
  }

  /** The bodies that a person works on: tinted, as nothing that touches is. */
  choose(labels: string[]): void {
    this.chosen = labels;
    this.show(this.time);
  }

  /** Only these bodies; the others become ghosts. Called with what is alone already, all come back. */
  isolate(labels: string[]): void {
    const alone = this.bodies.every((body) => labels.includes(this.label(body)) === (this.showingOf(this.label(body)) === "shown"));
    for (const body of this.bodies) this.showing.set(this.label(body), alone || labels.includes(this.label(body)) ? "shown" : "ghost");
    this.show(this.time);
  }

  /** Where the eye is, and what it looks at. */
  look(): { eye: THREE.Vector3; target: THREE.Vector3; showing: Map<string, Showing> } {
    return { eye: this.camera.position.clone(), target: this.controls.target.clone(), showing: new Map(this.showing) };
  }

  lookFrom({ eye, target, showing }: ReturnType<StageScene["look"]>): void {
    this.camera.position.copy(eye);
    this.controls.target.copy(target);
    this.workAt.copy(this.standsAt());
    for (const [label, state] of showing) if (this.showing.has(label)) this.showing.set(label, state);
    this.controls.update();
    this.show(this.time);
  }

  light(bodies: string[], point: [number, number, number] | null): void {
    this.lit = new Set(bodies);
    this.inTheWay.clear();
    this.marker.visible = point !== null;
    if (point) this.marker.position.set(...point);
    if (point) place.at.value.set(...point);
    this.show(this.time);
  }

  get pathsOn(): boolean {
    return this.pathsShown;
  }

  showPaths(on: boolean): void {
    const work = this.replay.description.stocks[0]?.link ?? this.replay.description.links[0].name;
    if (on && !this.pathsBuilt) this.buildPaths(work);
    this.pathsShown = on;
    for (const path of this.paths) path.visible = on;
    this.show(this.time);
  }

  /** Colour the stock by the tool that cut it, or the finished part by its deviation (full colour at `reach` mm). */
  colourBy(colouring: Colouring, reach: number): void {
    this.colouring = colouring;
    this.reach = reach;
    for (const stock of this.stocks) for (const brick of stock.bricks.values()) brick.version = -2;
    this.show(this.time);
  }

  get hasDesign(): boolean {
    return this.stocks.some((stock) => stock.deviation.size > 0);
  }

  /** Cut the work open across an axis at a share of its extent; null closes it. */
  setSection(section: Section): void {
    this.section = section;
    this.show(this.time);
  }

  /** Bring a place (frame of the machine, as it stands now) to the middle of the stage, near by, and seen: where bodies stand
   *  before it the eye goes round to the nearest side from which they do not. */
  focus(point: THREE.Vector3, radius = 28): void {
    const away = radius / Math.sin((this.camera.fov * Math.PI) / 360);
    const direction = this.clearSight(point, this.camera.position.clone().sub(this.controls.target).normalize(), away);
    this.controls.target.copy(point);
    this.camera.position.copy(point).addScaledVector(direction, away);
    this.controls.update();
    this.draw();
  }

  private clearSight(point: THREE.Vector3, now: THREE.Vector3, away: number): THREE.Vector3 {
    this.scene.updateMatrixWorld(true);
    const solid = [...this.solidBodies().map(({ mesh }) => mesh as THREE.Object3D), ...this.stocks.filter((stock) => stock.group.visible).flatMap((stock) => stock.group.children)];
    const ray = new THREE.Raycaster();
    const around = [0, 45, -45, 90, -90, 135, -135, 180];
    for (const rise of [0, 0.5]) {
      for (const degrees of around) {
        const direction = now.clone().applyAxisAngle(new THREE.Vector3(0, 0, 1), (degrees * Math.PI) / 180);
        direction.z += rise;
        direction.normalize();
        // From the eye inwards: only faces turned to it count, and a place within a body is behind one.
        ray.set(point.clone().addScaledVector(direction, away), direction.clone().negate());
        ray.far = away - 3;
        if (!ray.intersectObjects(solid, false).length) return direction;
      }
    }
    return now;
  }

  private solidBodies() {
    return this.bodies.filter(({ mesh }) => mesh.visible && !(mesh.material as THREE.Material).transparent);
  }

  /** A place of the work mount's frame in the machine's frame as it stands now. */
  fromWork(stock: number, point: [number, number, number]): THREE.Vector3 {
    const { link, mount } = this.replay.description.stocks[stock];
    return new THREE.Vector3(...point).applyMatrix4(this.poseOf(link).multiply(matrix(mount)));
  }

  /** Look at what is lit, from the side from which it is seen; what hides it from every side becomes a ghost. */
  focusOnLit(): void {
    if (!this.marker.visible) return;
    const point = this.marker.position.clone();
    this.inTheWay.clear();
    this.focus(point, 95);
    const away = this.camera.position.clone().sub(point);
    const ray = new THREE.Raycaster(this.camera.position.clone(), away.clone().normalize().negate(), 0, away.length() - 3);
    const solid = this.solidBodies();
    for (const { object } of ray.intersectObjects(solid.map(({ mesh }) => mesh as THREE.Object3D), false)) {
      const body = solid.find(({ mesh }) => mesh === object)!;
      if (!this.lit.has(this.label(body))) this.inTheWay.add(this.label(body));
    }
    for (const [i, stock] of this.stocks.entries()) {
      const { name } = this.replay.description.stocks[i];
      if (stock.group.visible && !this.lit.has(name) && ray.intersectObjects(stock.group.children, false).length) this.inTheWay.add(name);
    }
    this.show(this.time);
  }

  /** A picture of a moment with bodies lit and the place in the middle; the stage itself is left as it was. */
  picture(time: number, bodies: string[], point: [number, number, number]): string {
    const keep = { time: this.time, position: this.camera.position.clone(), target: this.controls.target.clone(), lit: this.lit };
    const marker = { visible: this.marker.visible, position: this.marker.position.clone() };
    this.light(bodies, point);
    this.show(time);
    this.focus(new THREE.Vector3(...point), 70);
    this.renderer.render(this.scene, this.camera);
    const source = this.renderer.domElement;
    const small = document.createElement("canvas");
    small.width = 560;
    small.height = 320;
    const scale = Math.max(small.width / source.width, small.height / source.height);
    const width = source.width * scale;
    const height = source.height * scale;
    small.getContext("2d")!.drawImage(source, (small.width - width) / 2, (small.height - height) / 2, width, height);
    this.lit = keep.lit;
    this.marker.visible = marker.visible;
    this.marker.position.copy(marker.position);
    this.show(keep.time);
    this.camera.position.copy(keep.position);
    this.controls.target.copy(keep.target);
    this.controls.update();
    this.draw();
    return small.toDataURL("image/png");
  }

  view(name: "work" | "machine" | "top" | "front" | "side"): void {
    const box = new THREE.Box3();
    this.scene.updateMatrixWorld(true);
    if (name === "machine") box.setFromObject(this.scene);
    else {
      for (const stock of this.stocks) box.expandByObject(stock.group);
      if (!this.stocks.length)
        for (const body of this.bodies) if (["stock", "fixture", "part", "design"].includes(body.role)) box.expandByObject(body.mesh);
    }
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

  private pressedAt = { x: 0, y: 0 };
  private press = (event: PointerEvent): void => {
    this.pressedAt = { x: event.clientX, y: event.clientY };
  };

  /** A click on a path tells the motion that runs it; on the work, the motion that made the face. */
  private pick = (event: MouseEvent): void => {
    if (Math.hypot(event.clientX - this.pressedAt.x, event.clientY - this.pressedAt.y) > 4) return; // a turn of the view
    const box = this.renderer.domElement.getBoundingClientRect();
    const spot = new THREE.Vector2(
      ((event.clientX - box.left) / box.width) * 2 - 1,
      1 - ((event.clientY - box.top) / box.height) * 2,
    );
    const ray = new THREE.Raycaster();
    ray.params.Line.threshold = 0.8;
    ray.setFromCamera(spot, this.camera);
    if (this.onPoint) {
      const seen = this.bodies.filter((body) => body.mesh.visible && this.showing.get(this.label(body)) !== "hidden" && body.role !== "tool");
      const found = ray.intersectObjects(seen.map((body) => body.mesh), false)[0];
      const body = seen.find(({ mesh }) => mesh === found?.object);
      if (!found || found.faceIndex == null || !body) return;
      const { x, y, z } = body.mesh.parent!.worldToLocal(found.point.clone());
      this.onPoint({ body: body.name, triangle: found.faceIndex, point: [x, y, z] });
      return;
    }
    const paths = this.paths.filter((path) => path.visible);
    const line = ray.intersectObjects(paths, false)[0];
    const hits = ray.intersectObjects(this.stocks.map((stock) => stock.group).filter((g) => g.visible));
    const hit = hits.find(({ point }) => !this.section || this.cut.distanceToPoint(point) >= 0);
    if (line?.index !== undefined && (!hit || line.distance <= hit.distance + 1)) {
      const motion = this.pathMotion[this.paths.indexOf(line.object as THREE.LineSegments)][line.index >> 1];
      this.picked({ what: "path", motion });
      return;
    }
    if (!hit || hit.faceIndex == null) {
      this.picked(null);
      return;
    }
    const { stock, version } = hit.object.userData as { stock: Stock; version: number };
    const quad = hit.faceIndex >> 1;
    const motion = stock.tags[(version ? stock.quadEnd[version - 1] : 0) + quad];
    const place = this.stocks.indexOf(stock);
    const { link, mount } = this.replay.description.stocks[place];
    const { x, y, z } = hit.point.clone().applyMatrix4(this.poseOf(link).multiply(matrix(mount)).invert());
    this.picked({ what: "face", motion, deviation: stock.deviation.get(version)?.[quad] ?? null, point: [x, y, z] });
  };
}

const TRIAD = ["#1d2a30", "#6f7f58", "#1f5a73"];

/** A word that always faces the eye. */
function word(text: string): THREE.Sprite {
  const canvas = document.createElement("canvas");
  canvas.width = 256;
  canvas.height = 64;
  const pen = canvas.getContext("2d")!;
  pen.font = "600 40px 'IBM Plex Sans', sans-serif";
  pen.textAlign = "center";
  pen.textBaseline = "middle";
  pen.lineWidth = 8;
  pen.strokeStyle = PAPER;
  pen.strokeText(text, 128, 32);
  pen.fillStyle = "#1d2a30";
  pen.fillText(text, 128, 32);
  const sprite = new THREE.Sprite(new THREE.SpriteMaterial({ map: new THREE.CanvasTexture(canvas), depthTest: false }));
  sprite.scale.set(48, 12, 1);
  sprite.renderOrder = 7;
  return sprite;
}

function matrix(rows: number[][]): THREE.Matrix4 {
  const m = rows.flat() as Parameters<THREE.Matrix4["set"]>;
  return new THREE.Matrix4().set(...m);
}

