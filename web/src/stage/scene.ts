// The stage: machine, fixtures, tool, stock and paths in three dimensions, put together here and drawn only when something
// changed. What each part is stands beside this file: skeleton, bodies, stock, paths, signs, eye.

import * as THREE from "three";

import { Bodies, type Body, type Showing } from "./bodies";
import { Carry, type Way } from "./carry";
import { place } from "./contactMark";
import { PAPER, STOP, type Scale } from "../look";
import type { HeldPiece, BodyMoved } from "../api/client";
import type { Span } from "../replay/film";
import type { CutBefore, Replay } from "../replay/replay";
import { Eye, type View } from "./eye";
import { Limits } from "./limits";
import { ToolPaths } from "./paths";
import { CutFaces, type Section, type Sliced } from "./section";
import type { Axis, Cut } from "../section/outlines";
import { Dimensions, type Dimension } from "./dimensions";
import { Signs, type Dot, type Triad, type Whisker } from "./signs";
import { Skeleton } from "./skeleton";
import { StockView, type Colours } from "./stock";
import { stockFile, type StockFormat } from "./stockFile";

export type { Way } from "./carry";
export type { Showing } from "./bodies";
export type { Dimension } from "./dimensions";
export type { Dot, Triad, Whisker } from "./signs";
export type Colouring = Colours["by"];
export type { Section } from "./section";

/** What a click on the stage met. */
export type Picked =
  | { what: "path"; motion: number }
  | { what: "face"; motion: number; before: CutBefore | null; deviation: number | null; point: [number, number, number] };

/** Where the machine is stood by hand rather than by a program: axis values, and the tool in use. */
export interface Stance {
  values: number[];
  tool: number;
  held: HeldPiece[] | null; // the pieces in the hand's grips; null: as they begin
}

/** A place pointed at on a body: its triangle, and the point in the frame of its link. */
export interface Pointed {
  body: string;
  triangle: number;
  point: [number, number, number];
}

/** A place pointed at on a stock: which, and the point in the frame of its mount. */
export interface Touched {
  stock: number;
  point: [number, number, number];
}

/** Bodies carried by the pointer: how far along the machine's axes, and along those of the link that the first of them is on. */
export interface Carried {
  taken: string[];
  way: Way;
  onLink: Way;
  letGo: boolean;
}

/** Where the eye is, what it looks at, and what is shown of each body. */
export interface Look {
  eye: THREE.Vector3;
  target: THREE.Vector3;
  showing: Map<string, Showing>;
}

const AHEAD = 400; // versions of bricks that are fetched ahead at once
const SUN = new THREE.Vector3(-0.5, -0.8, 1.4).normalize(); // from the work to it
const [SHADOW_MM, SHADOW_PX] = [420, 2048]; // how far around the work shadows fall, and how finely
const SHADOWS_KEPT = "stage.shadows";
const TURN_PX = 4; // a pointer that moved farther between press and release turned the view

export class StageScene {
  private readonly renderer: THREE.WebGLRenderer;
  private readonly scene = new THREE.Scene();
  private readonly sun = new THREE.DirectionalLight("#ffffff", 1.9);
  private readonly eye: Eye;
  private readonly skeleton: Skeleton;
  private readonly bodies: Bodies;
  private readonly stocks: StockView[];
  private readonly paths: ToolPaths;
  private readonly signs: Signs;
  private readonly limits: Limits;
  private readonly marker: THREE.Mesh;
  private readonly watcher: ResizeObserver;
  private readonly inTheWay = new Set<string>(); // ghosts while a finding is looked at
  private readonly cut = new THREE.Plane();
  private readonly cutFaces = new CutFaces();
  private readonly dimensions = new Dimensions(this.scene);
  private lit = new Set<string>();
  private pathsShown = false;
  private colours: Colours = { by: "tool" };
  private section: Section = null;
  private stance: Stance | null = null;
  private time = 0;
  private pending = 0;
  private slicing = 0; // the timer that cuts open what has changed
  private sliceMs = 0; // how long that took last
  /** Told what the plane of the section cuts, each time it has been cut anew. */
  onCut: ((cuts: Cut[]) => void) | null = null;
  /** Set while a person points at faces: the next click goes there instead of to paths and cut faces. */
  onPoint: ((pointed: Pointed) => void) | null = null;

  /** Set while a person points at the part: the next click goes there. */
  onTouch: ((touched: Touched) => void) | null = null;

  /** Which bodies go along when a person takes hold of one; none: a drag turns the view as anywhere else. */
  carries: ((body: string) => string[]) | null = null;
  /** Told how far they have been carried, and whether they were let go of. */
  onCarry: ((carried: Carried) => void | Promise<boolean>) | null = null;
  /** Nothing is carried up or down. */
  level = false;

  /** Told how many bricks of the stock are lacking for the moment that is shown, and whether they cannot be had. */
  onLack: ((count: number, failed: boolean) => void) | null = null;

  private followed = 0; // the piece of stock that the eye goes along with

  constructor(
    private readonly host: HTMLElement,
    private readonly replay: Replay,
    private readonly picked: (picked: Picked | null) => void,
  ) {
    this.renderer = new THREE.WebGLRenderer({ antialias: !navigator.webdriver });
    this.renderer.localClippingEnabled = true;
    this.renderer.setPixelRatio(Math.min(2, devicePixelRatio));
    const canvas = this.renderer.domElement;
    host.appendChild(canvas);
    this.eye = new Eye(canvas, this.draw);
    this.illuminate();
    this.skeleton = new Skeleton(replay, this.scene);
    this.bodies = new Bodies(replay, this.skeleton);
    this.stocks = replay.description.stocks.map((stock) => new StockView(replay, this.skeleton, stock));
    this.paths = new ToolPaths(replay, this.skeleton);
    this.signs = new Signs(this.skeleton);
    this.limits = new Limits(replay, this.skeleton);
    this.marker = marker();
    this.scene.add(this.marker, this.cutFaces.group);
    this.watcher = new ResizeObserver(() => this.fit());
    this.watcher.observe(host);
    canvas.addEventListener("pointerdown", this.takeHold, { capture: true }); // before the eye takes it for a turn of the view
    canvas.addEventListener("pointerdown", this.press);
    canvas.addEventListener("click", this.pick);
    this.replay.film.onArrive = () => this.show(this.time);
    this.fit();
    this.show(0);
    this.view("work");
    // Where nothing of the stock was there yet, the view is of the table: it is taken again when the stock has come.
    if (this.replay.film.missing) void this.whole().then(() => this.view("work"));
  }

  dispose(): void {
    this.replay.film.onArrive = null;
    this.onLack = null;
    cancelAnimationFrame(this.pending);
    clearTimeout(this.slicing);
    this.cutFaces.clear();
    this.watcher.disconnect();
    this.eye.controls.dispose();
    this.renderer.dispose();
    this.renderer.domElement.remove();
  }

  // --- the moment -----------------------------------------------------------------------------------------------------

  show(time: number): void {
    this.time = time;
    const values = this.stance?.values ?? this.replay.axesAt(time);
    this.skeleton.pose(values);
    this.limits.pose(values);
    const work = this.workLink();
    if (work) this.eye.keepTo(this.origin(work));
    this.shine(this.origin(work ?? this.replay.description.workMount.link));
    const planes = this.sectionPlanes();
    const inUse = this.stance ? [this.stance.tool] : this.replay.toolsAt(time);
    const { lit, inTheWay } = this;
    this.bodies.paint({ time, inUse, tools: this.colours.by !== "deviation", lit, whole: !this.marker.visible, inTheWay, planes });
    const lacking = this.stocks.flatMap((stock) => stock.show(time, inTheWay.has(stock.name) ? "ghost" : this.bodies.showingOf(stock.name), planes));
    if (this.stocks.length) this.replay.film.want(lacking, () => this.coming());
    this.onLack?.(lacking.length, this.replay.film.failed);
    this.dimensions.place((stock) => this.stocks[stock].fromMount());
    this.slice();
    this.draw();
  }

  /** What of the film to fetch when nothing is lacking: what comes after the moment that is shown, of all stocks. */
  private coming(): Span[] {
    const spans: Span[] = [];
    for (const stock of this.stocks)
      for (const span of stock.coming(this.time)) {
        if (spans.length >= AHEAD) break;
        spans.push(span);
      }
    return spans;
  }

  /** When all of the stock is there as it is at the moment that is shown. */
  whole(): Promise<void> {
    return this.replay.film.settled();
  }

  /** Draw measures on the part, in place of those drawn before. */
  dimension(dimensions: Dimension[]): void {
    this.dimensions.draw(dimensions);
    this.show(this.time);
  }

  get hasLimits(): boolean {
    return !!this.replay.description.arms?.length;
  }

  /** An arm's joint limits as arcs. */
  get limitsOn(): boolean {
    return this.limits.on;
  }

  showLimits(on: boolean): void {
    this.limits.show(on);
    this.draw();
  }

  /** Stand the machine by hand; null gives it back to the program. */
  stand(stance: Stance | null): void {
    this.stance = stance;
    this.bodies.hold(stance?.held ?? null);
    this.show(this.time);
  }

  /** Draw frames as arrows, picked features as dots, and how far things may be off as whiskers. */
  sign(triads: Triad[], dots: Dot[], whiskers: Whisker[] = []): void {
    this.signs.draw(triads, dots, whiskers);
    this.draw();
  }

  /** The link whose way the eye goes along with. */
  private workLink(): string | undefined {
    const { stocks, bodies, workMount } = this.replay.description;
    const clamped = bodies.some(({ role }) => role !== "machine" && role !== "tool");
    const piece = this.stocks[this.followed] ?? this.stocks[0];
    return piece?.link ?? stocks[0]?.link ?? (this.stance && clamped ? workMount.link : undefined);
  }

  private origin(link: string): THREE.Vector3 {
    return new THREE.Vector3().setFromMatrixPosition(this.skeleton.frame(link));
  }

  private sectionPlanes(): THREE.Plane[] | null {
    if (!this.section || !this.stocks.length) return null;
    CutFaces.plane(this.section, this.workFrame(), this.cut);
    return [this.cut];
  }

  /** The frame of the mount that the stock is on, in the machine's, as it stands. */
  private workFrame(): THREE.Matrix4 {
    return (this.stocks[this.followed] ?? this.stocks[0]).fromMount();
  }

  /** Cut open again soon: at once where that is quick, in between frames where it is not. */
  private slice(): void {
    if (!this.section || !this.stocks.length) {
      clearTimeout(this.slicing);
      this.slicing = 0;
      if (this.cutFaces.cuts.length) this.onCut?.([]);
      this.cutFaces.clear();
      return;
    }
    if (this.slicing) return; // a replay that runs does not put it off for ever
    this.slicing = window.setTimeout(() => {
      this.slicing = 0;
      if (!this.section) return;
      const begun = performance.now();
      const shown = this.bodies.all.filter(({ mesh, role, label }) => role === "design" || (mesh.visible && role !== "machine" && this.bodies.showingOf(label) === "shown"));
      const bodies: Sliced[] = shown.map(({ name, role, label, mesh }) => ({ name: role === "tool" ? label : name, role, mesh }));
      for (const { name, group } of this.stocks) {
        if (group.visible) for (const mesh of group.children as THREE.Mesh[]) bodies.push({ name, role: "stock", mesh });
      }
      this.scene.updateMatrixWorld(true);
      this.cutFaces.cut(this.section, this.workFrame(), bodies);
      this.sliceMs = performance.now() - begun;
      this.onCut?.(this.cutFaces.cuts);
      this.draw();
    }, Math.min(400, 2 * this.sliceMs));
  }

  /** On which side of a plane across an axis of the work's frame the eye is: there the work is cut away to be seen into. */
  eyeSide(axis: Axis): 1 | -1 {
    const work = this.workFrame();
    const towards = this.eye.camera.position.clone().sub(new THREE.Vector3().setFromMatrixPosition(work));
    return towards.dot(new THREE.Vector3().setFromMatrixColumn(work, axis)) < 0 ? -1 : 1;
  }

  /** How far the work reaches along an axis of its own frame. */
  reachAlong(axis: Axis): [number, number] {
    const box = new THREE.Box3();
    this.scene.updateMatrixWorld(true);
    const toWork = this.workFrame().invert();
    for (const { group } of this.stocks)
      for (const mesh of group.children as THREE.Mesh[]) {
        if (!mesh.geometry.getAttribute("position")?.count) continue;
        if (!mesh.geometry.boundingBox) mesh.geometry.computeBoundingBox();
        box.union(mesh.geometry.boundingBox!.clone().applyMatrix4(toWork.clone().multiply(mesh.matrixWorld)));
      }
    return box.isEmpty() ? [-50, 50] : [box.min.getComponent(axis), box.max.getComponent(axis)];
  }

  // --- choices of the user --------------------------------------------------------------------------------------------

  get bodyNames(): { label: string; role: string }[] {
    return [
      ...this.stocks.map(({ name }) => ({ label: name, role: "stock" })),
      ...this.bodies.all.filter(({ role }) => role !== "tool").map(({ name, role }) => ({ label: name, role })),
    ];
  }

  showingOf(label: string): Showing {
    return this.bodies.showingOf(label);
  }

  setShowing(label: string, state: Showing): void {
    this.bodies.setShowing(label, state);
    this.show(this.time);
  }

  /** The whole machine at once: ghost → hidden → shown → ghost. */
  turnMachine(): void {
    this.bodies.turnMachine();
    this.show(this.time);
  }

  /** The bodies that a person works on. */
  choose(labels: string[]): void {
    this.bodies.choose(labels);
    this.show(this.time);
  }

  /** Bodies as a change would have them, as shapes beside what is there. */
  offer(moved: BodyMoved[]): void {
    this.bodies.offer(moved);
    this.show(this.time);
  }

  /** Only these bodies; called with what is alone already, all come back. */
  isolate(labels: string[]): void {
    this.bodies.isolate(labels);
    this.show(this.time);
  }

  look(): Look {
    return { eye: this.eye.camera.position.clone(), target: this.eye.target.clone(), showing: this.bodies.allShowing() };
  }

  lookFrom({ eye, target, showing }: Look): void {
    this.eye.to(eye, target);
    this.eye.workIs(this.origin(this.replay.description.stocks[0]?.link ?? this.replay.description.workMount.link));
    this.bodies.restoreShowing(showing);
    this.show(this.time);
  }

  /** Light bodies at the place where they touch (frame of the machine), or as a whole where there is none. */
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
    this.pathsShown = on;
    this.paths.show(on);
    this.show(this.time);
  }

  /** Colour the stock by what cut it and when, or the finished part by its deviation. */
  colourBy(by: Colouring, scale: Scale): void {
    this.colours = by === "deviation" ? { by, scale } : { by };
    for (const stock of this.stocks) stock.colour(this.colours);
    this.show(this.time);
  }

  get hasDesign(): boolean {
    return this.stocks.some((stock) => stock.hasDesign);
  }

  /** Cut the work open across an axis of its own frame; null closes it. */
  setSection(section: Section): void {
    this.section = section;
    this.show(this.time);
  }

  // --- the eye --------------------------------------------------------------------------------------------------------

  view(name: View): void {
    const box = new THREE.Box3();
    this.scene.updateMatrixWorld(true);
    const pieces = this.stocks.filter((stock) => stock.isThere(this.time));
    if (name === "work" && pieces.length > 1) {
      // Of several pieces the next one each time: it is looked at, and kept to from now on.
      const next = pieces[(pieces.indexOf(this.stocks[this.followed]) + 1) % pieces.length];
      this.followed = this.stocks.indexOf(next);
      this.show(this.time);
      this.eye.view(name, box.expandByObject(next.group));
      this.draw();
      return;
    }
    if (name !== "machine") {
      const work = ["stock", "fixture", "part", "design"];
      const seen = this.stocks.length ? this.stocks.map(({ group }) => group) : this.bodies.all.filter(({ role }) => work.includes(role)).map(({ mesh }) => mesh);
      for (const object of seen) box.expandByObject(object);
    }
    if (box.isEmpty()) box.setFromObject(this.scene);
    this.eye.view(name, box);
    this.draw();
  }

  /** Bring a place (frame of the machine, as it stands now) to the middle of the stage, near by, and seen. */
  focus(point: THREE.Vector3, radius = 28): void {
    this.scene.updateMatrixWorld(true);
    const stocks = this.stocks.filter(({ group }) => group.visible).flatMap(({ group }) => group.children);
    this.eye.focus(point, radius, [...this.bodies.solid.map(({ mesh }) => mesh), ...stocks]);
    this.draw();
  }

  /** A place of the work mount's frame in the machine's frame as it stands now. */
  fromWork(stock: number, point: [number, number, number]): THREE.Vector3 {
    return new THREE.Vector3(...point).applyMatrix4(this.stocks[stock].fromMount());
  }

  /** A stock as it stands now, as a file in the frame of its mount. */
  async fileOf(stock: number, format: StockFormat): Promise<Blob> {
    await this.whole();
    if (this.replay.film.failed) throw new Error("the stock cannot be fetched; is the server still running?");
    const { group } = this.stocks[stock];
    return stockFile(group.children as THREE.Mesh[], this.stocks[stock].fromMount().invert(), format);
  }

  /** Look at what is lit, from the side from which it is seen; what hides it from every side becomes a ghost. */
  focusOnLit(): void {
    if (!this.marker.visible) return;
    const point = this.marker.position.clone();
    this.inTheWay.clear();
    this.focus(point, 95);
    const ray = this.eye.rayTo(point);
    const hides = (object: THREE.Object3D, deep = false) => ray.intersectObject(object, deep).length > 0;
    for (const { mesh, label } of this.bodies.solid) if (!this.lit.has(label) && hides(mesh)) this.inTheWay.add(label);
    for (const { group, name } of this.stocks) if (group.visible && !this.lit.has(name) && hides(group, true)) this.inTheWay.add(name);
    this.show(this.time);
  }

  /** A picture of a moment with bodies lit and the place in the middle; the stage itself is left as it was. None while the stock of
   *  that moment has not come. */
  picture(time: number, bodies: string[], point: [number, number, number]): string | null {
    const keep = { time: this.time, look: this.look(), lit: this.lit };
    const mark = { visible: this.marker.visible, position: this.marker.position.clone() };
    this.light(bodies, point);
    this.show(time);
    this.focus(new THREE.Vector3(...point), 70);
    this.bodies.showOffered(false); // a picture is of what was found
    const lacks = this.replay.film.missing > 0;
    this.renderer.render(this.scene, this.eye.camera);
    const url = lacks ? null : small(this.renderer.domElement, 560, 320);
    this.bodies.showOffered(true);
    this.lit = keep.lit;
    this.marker.visible = mark.visible;
    this.marker.position.copy(mark.position);
    this.show(keep.time);
    this.eye.to(keep.look.eye, keep.look.target);
    this.draw();
    return url;
  }

  // --- drawing --------------------------------------------------------------------------------------------------------

  private illuminate(): void {
    this.scene.background = new THREE.Color(PAPER);
    this.scene.add(new THREE.HemisphereLight("#ffffff", "#b8b09c", 1.7));
    const { sun } = this;
    sun.shadow.mapSize.set(SHADOW_PX, SHADOW_PX);
    sun.shadow.radius = 5;
    sun.shadow.intensity = 0.6;
    sun.shadow.normalBias = 0.6;
    Object.assign(sun.shadow.camera, { left: -SHADOW_MM, right: SHADOW_MM, top: SHADOW_MM, bottom: -SHADOW_MM, near: 1, far: 4 * SHADOW_MM });
    this.scene.add(sun, sun.target);
    this.setShadows(shadowsAsked() ?? !drawnBySoftware(this.renderer));
  }

  redraw(): void {
    this.draw();
  }

  get shadows(): boolean {
    return this.sun.castShadow;
  }

  setShadows(on: boolean): void {
    this.renderer.shadowMap.enabled = this.sun.castShadow = on;
    this.renderer.shadowMap.type = THREE.PCFSoftShadowMap;
    this.scene.traverse((object) => {
      if (object instanceof THREE.Mesh) for (const material of [object.material].flat() as THREE.Material[]) material.needsUpdate = true;
    });
  }

  /** Let the light fall where the work is. */
  private shine(work: THREE.Vector3): void {
    this.sun.target.position.copy(work);
    this.sun.position.copy(work).addScaledVector(SUN, 2 * SHADOW_MM);
  }

  private fit(): void {
    const { clientWidth: width, clientHeight: height } = this.host;
    if (!width || !height) return;
    this.renderer.setSize(width, height);
    this.eye.fit(width, height);
    this.draw();
  }

  private draw = (): void => {
    if (this.pending) return;
    this.pending = requestAnimationFrame(() => {
      this.pending = 0;
      this.renderer.render(this.scene, this.eye.camera);
      // What is drawn, and from where, for a test to see without looking at pixels.
      this.host.dataset.time = this.time.toFixed(3);
      this.host.dataset.eye = this.eye.camera.position.toArray().map((at) => at.toFixed(2)).join(" ");
      this.host.dataset.missing = String(this.replay.film.missing);
      this.host.dataset.quads = String(this.stocks.reduce((sum, stock) => sum + stock.seen, 0));
    });
  };

  // --- clicks ---------------------------------------------------------------------------------------------------------

  private carry: Carry | null = null;

  private takeHold = (event: PointerEvent): void => {
    if (event.button !== 0 || !this.carries) return;
    const ray = this.rayOf(event);
    const hit = this.hitBody(ray);
    const names = hit ? this.carries(hit.body.name) : [];
    if (!hit || !names.length) return;
    const taken = this.bodies.all.filter(({ name, role }) => names.includes(name) && role !== "machine" && role !== "tool");
    this.eye.controls.enabled = false;
    this.carry = new Carry(taken, hit.point, this.eye.camera);
    const follow = (now: PointerEvent) => {
      if (!this.carry || Math.hypot(now.clientX - this.pressedAt.x, now.clientY - this.pressedAt.y) <= TURN_PX) return;
      const before = String(this.carry.way);
      this.carry.to(this.rayOf(now).ray, now.shiftKey && !this.level);
      if (String(this.carry.way) === before) return;
      this.draw();
      this.onCarry?.({ taken: names, way: this.carry.way, onLink: this.carry.onLink, letGo: false });
    };
    const end = (now: PointerEvent | KeyboardEvent) => {
      const { carry } = this;
      if (!carry || (now instanceof KeyboardEvent && now.key !== "Escape")) return;
      removeEventListener("pointermove", follow);
      removeEventListener("pointerup", end);
      removeEventListener("pointercancel", end);
      removeEventListener("keydown", end);
      this.carry = null;
      this.eye.controls.enabled = true;
      const moved = carry.way.some((mm) => mm !== 0);
      if (now.type !== "pointerup") carry.back();
      const taken = moved && this.onCarry?.({ taken: names, way: carry.way, onLink: carry.onLink, letGo: true });
      // Where it is refused no new model comes, and what was carried stands where it stood.
      if (taken) void taken.then((held) => !held && (carry.back(), this.draw()));
      this.draw();
    };
    addEventListener("pointermove", follow);
    addEventListener("pointerup", end);
    addEventListener("pointercancel", end);
    addEventListener("keydown", end);
  };

  private pressedAt = { x: 0, y: 0 };
  private press = (event: PointerEvent): void => {
    this.pressedAt = { x: event.clientX, y: event.clientY };
  };

  /** A click on a path tells the motion that runs it; on the work, the motion that made the face. */
  private pick = (event: MouseEvent): void => {
    if (Math.hypot(event.clientX - this.pressedAt.x, event.clientY - this.pressedAt.y) > TURN_PX) return;
    const ray = this.rayOf(event);
    if (this.onPoint) {
      const pointed = this.pointed(ray);
      if (pointed) this.onPoint(pointed);
    } else if (this.onTouch) {
      const hit = this.stockHit(ray);
      if (hit) this.onTouch({ stock: this.stocks.indexOf(hit.stock), point: hit.point });
    } else this.picked(this.met(ray));
  };

  private rayOf(event: MouseEvent): THREE.Raycaster {
    const box = this.renderer.domElement.getBoundingClientRect();
    const spot = new THREE.Vector2(((event.clientX - box.left) / box.width) * 2 - 1, 1 - ((event.clientY - box.top) / box.height) * 2);
    const ray = new THREE.Raycaster();
    ray.params.Line.threshold = 0.8;
    ray.setFromCamera(spot, this.eye.camera);
    return ray;
  }

  /** The body that a ray meets first, of those that are seen; tools are seen through. */
  private hitBody(ray: THREE.Raycaster): { body: Body; triangle: number; point: THREE.Vector3 } | null {
    const hidden = ({ label }: Body) => this.bodies.showingOf(label) === "hidden";
    const seen = this.bodies.all.filter((body) => body.mesh.visible && !hidden(body) && body.role !== "tool");
    const found = ray.intersectObjects(seen.map(({ mesh }) => mesh), false)[0];
    const body = seen.find(({ mesh }) => mesh === found?.object);
    return found && found.faceIndex != null && body ? { body, triangle: found.faceIndex, point: found.point } : null;
  }

  private pointed(ray: THREE.Raycaster): Pointed | null {
    const hit = this.hitBody(ray);
    if (!hit) return null;
    const { x, y, z } = hit.body.mesh.parent!.worldToLocal(hit.point.clone());
    return { body: hit.body.name, triangle: hit.triangle, point: [x, y, z] };
  }

  /** The stock's face that a ray meets first, and where, in the frame of its mount. */
  private stockHit(ray: THREE.Raycaster) {
    const hits = ray.intersectObjects(this.stocks.map(({ group }) => group).filter(({ visible }) => visible));
    const hit = hits.find(({ point }) => !this.section || this.cut.distanceToPoint(point) >= 0);
    if (!hit || hit.faceIndex == null) return null;
    const { stock, brick, version } = hit.object.userData as { stock: StockView; brick: number; version: number };
    const { x, y, z } = hit.point.clone().applyMatrix4(stock.fromMount().invert());
    return { stock, brick, version, triangle: hit.faceIndex, distance: hit.distance, point: [x, y, z] as [number, number, number] };
  }

  private met(ray: THREE.Raycaster): Picked | null {
    const line = ray.intersectObjects(this.paths.lines.filter(({ visible }) => visible), false)[0];
    const hit = this.stockHit(ray);
    if (line?.index !== undefined && (!hit || line.distance <= hit.distance + 1)) {
      return { what: "path", motion: this.paths.motionOf(line.object, line.index) };
    }
    return hit && { what: "face", ...hit.stock.face(hit, hit.triangle), point: hit.point };
  }
}

/** Whether a person has switched shadows on or off. */
function shadowsAsked(): boolean | null {
  const kept = localStorage.getItem(SHADOWS_KEPT);
  return kept === null ? null : kept === "on";
}

export function keepShadows(on: boolean): void {
  localStorage.setItem(SHADOWS_KEPT, on ? "on" : "off");
}

/** Without a graphics card every shadow is paid for by the processor: there they are off until they are asked for. */
function drawnBySoftware(renderer: THREE.WebGLRenderer): boolean {
  const gl = renderer.getContext();
  const told = gl.getExtension("WEBGL_debug_renderer_info");
  const name = String(gl.getParameter(told ? told.UNMASKED_RENDERER_WEBGL : gl.RENDERER));
  return /swiftshader|llvmpipe|software/i.test(name);
}

/** The dot at a contact. */
function marker(): THREE.Mesh {
  const mesh = new THREE.Mesh(
    new THREE.SphereGeometry(2.2, 16, 12),
    new THREE.MeshBasicMaterial({ color: STOP, depthTest: false, transparent: true, opacity: 0.85 }),
  );
  mesh.visible = false;
  mesh.renderOrder = 5;
  return mesh;
}

/** The middle of a canvas as a small picture. */
function small(source: HTMLCanvasElement, width: number, height: number): string {
  const canvas = document.createElement("canvas");
  canvas.width = width;
  canvas.height = height;
  const scale = Math.max(width / source.width, height / source.height);
  const [w, h] = [source.width * scale, source.height * scale];
  canvas.getContext("2d")!.drawImage(source, (width - w) / 2, (height - h) / 2, w, h);
  return canvas.toDataURL("image/png");
}
