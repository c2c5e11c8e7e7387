// The bodies of machine, fixture, tools and design: which are there at a moment, which are shown, and in what colour.

import * as THREE from "three";
import { toCreasedNormals } from "three/examples/jsm/utils/BufferGeometryUtils.js";

import type { HeldPiece, BodyMoved } from "../api/client";
import { INK, STOP, toolColour } from "../look";
import type { Replay } from "../replay/replay";
import { mark, markable } from "./contactMark";
import { matrix, type Skeleton } from "./skeleton";

export type Showing = "shown" | "ghost" | "hidden";

const CHOSEN = "#5f9db8";
const OFFERED = "#1f5a73";
const GREYS: Record<string, string> = {
  machine: "#a9b4b8", fixture: "#9c8f78", part: "#9c8f78", design: "#7fa98f", tool: "#5f6b70", stock: "#cfc9ba", access: "#c9a36a",
};

const CREASE = THREE.MathUtils.degToRad(32); // faces that meet at less are one surface, drawn smooth
const MOST_TRIANGLES = 80_000; // of a body whose edges are looked for: beyond that it takes too long to begin
const [EDGE, GHOST_EDGE] = [0.5, 0.28];

/** A body as it is drawn: round faces smooth, edges as lines. */
function finished(told: THREE.BufferGeometry): { geometry: THREE.BufferGeometry; edges: Body["edges"] } {
  if (told.index!.count > 3 * MOST_TRIANGLES) return { geometry: told, edges: null };
  const geometry = toCreasedNormals(told, CREASE); // its triangles stay in their order
  const material = new THREE.LineBasicMaterial({ color: INK, transparent: true, opacity: EDGE, depthWrite: false });
  const edges = new THREE.LineSegments(new THREE.EdgesGeometry(told, THREE.MathUtils.radToDeg(CREASE)), material);
  edges.raycast = () => {};
  return { geometry, edges };
}

export interface Body {
  mesh: THREE.Mesh;
  edges: THREE.LineSegments<THREE.BufferGeometry, THREE.LineBasicMaterial> | null; // where its faces meet at an angle
  name: string;
  label: string;
  role: string;
  link: string; // that it begins on
  tool: number;
  there: [number, number] | null;
  rests: boolean; // it hangs in a rack while it is not in use
}

/** What is asked of all bodies at once. `whole`: what is lit is coloured as a whole, not only at its place. */
export interface Moment {
  time: number;
  inUse: number[];
  tools: boolean;
  lit: Set<string>;
  whole: boolean;
  inTheWay: Set<string>;
  planes: THREE.Plane[] | null;
}

export class Bodies {
  readonly all: Body[] = [];
  private readonly showing = new Map<string, Showing>();
  private chosen: string[] = [];
  private readonly offered: (THREE.Mesh | THREE.LineSegments)[] = [];

  constructor(
    private readonly replay: Replay,
    private readonly skeleton: Skeleton,
  ) {
    for (const body of replay.description.bodies) {
      const told = new THREE.BufferGeometry();
      told.setAttribute("position", new THREE.BufferAttribute(replay.array(body.mesh.positions), 3));
      told.setIndex(new THREE.BufferAttribute(replay.array(body.mesh.triangles), 1));
      const { geometry, edges } = finished(told);
      // A design lies in the blank's own faces, and edges in those that they go around: the faces stand back a little.
      const step = body.role === "design" ? 3 : 1;
      const behind = { polygonOffset: true, polygonOffsetFactor: step, polygonOffsetUnits: 2 * step };
      const material = new THREE.MeshStandardMaterial({ color: GREYS[body.role], roughness: 0.75, flatShading: !geometry.getAttribute("normal"), clipShadows: true, ...behind });
      markable(material);
      const mesh = new THREE.Mesh(geometry, material);
      if (edges) mesh.add(edges);
      skeleton.of(body.link)!.add(mesh);
      const label = body.role === "tool" ? `${replay.called(body.tool)} ${body.name}` : body.name;
      this.all.push({ mesh, edges, name: body.name, label, role: body.role, link: body.link, tool: body.tool, there: body.there ?? null, rests: body.rests ?? false });
      const first: Record<string, Showing> = { machine: replay.motionCount && !replay.description.arms?.length ? "ghost" : "shown", design: replay.motionCount ? "hidden" : "ghost", access: "ghost" };
      this.showing.set(label, first[body.role] ?? "shown");
    }
    for (const stock of replay.description.stocks) this.showing.set(stock.name, "shown");
  }

  /** Of a body or stock. */
  showingOf(label: string): Showing {
    return this.showing.get(label) ?? "shown";
  }

  setShowing(label: string, state: Showing): void {
    this.showing.set(label, state);
  }

  allShowing(): Map<string, Showing> {
    return new Map(this.showing);
  }

  /** As it was remembered, for what is there. */
  restoreShowing(showing: Map<string, Showing>): void {
    for (const [label, state] of showing) if (this.showing.has(label)) this.showing.set(label, state);
  }

  /** The whole machine at once: ghost → hidden → shown → ghost. */
  turnMachine(): void {
    const machine = this.all.filter((body) => body.role === "machine");
    const next = { ghost: "hidden", hidden: "shown", shown: "ghost" } as const;
    const state = next[this.showingOf(machine[0]?.label ?? "")];
    for (const { label } of machine) this.showing.set(label, state);
  }

  /** The bodies that a person works on: tinted, as nothing that touches is. */
  choose(labels: string[]): void {
    this.chosen = labels;
  }

  /** Bodies as a change would have them: their edges, and a breath of their faces. */
  offer(moved: BodyMoved[]): void {
    for (const shape of this.offered.splice(0)) {
      shape.removeFromParent();
      (shape.material as THREE.Material).dispose();
    }
    for (const { body, by } of moved) {
      for (const { mesh, edges } of this.all.filter(({ name, role }) => name === body && role !== "machine" && role !== "tool")) {
        const faces = new THREE.Mesh(mesh.geometry, new THREE.MeshBasicMaterial({ color: CHOSEN, transparent: true, opacity: 0.22, depthWrite: false }));
        const shapes = edges ? [faces, new THREE.LineSegments(edges.geometry, new THREE.LineBasicMaterial({ color: OFFERED }))] : [faces];
        for (const shape of shapes) {
          shape.position.set(...by);
          shape.raycast = () => {};
          mesh.add(shape);
          this.offered.push(shape);
        }
      }
    }
  }

  showOffered(on: boolean): void {
    for (const shape of this.offered) shape.visible = on;
  }

  /** Only these bodies; the others become ghosts. Called with what is alone already, all come back. */
  isolate(labels: string[]): void {
    const alone = this.all.every(({ label }) => labels.includes(label) === (this.showingOf(label) === "shown"));
    for (const { label } of this.all) this.showing.set(label, alone || labels.includes(label) ? "shown" : "ghost");
  }

  /** What stands in the way of an eye or a click. */
  get solid(): Body[] {
    return this.all.filter(({ mesh }) => mesh.visible && !(mesh.material as THREE.Material).transparent);
  }

  /** Put stock into the hands that hold it, and its design with it; null: back where they begin. */
  hold(held: HeldPiece[] | null): void {
    const begins = new Map(this.all.filter(({ role }) => role === "stock").map(({ name, link }) => [name, link]));
    for (const { mesh, name, role, link } of this.all) {
      if (role !== "stock" && role !== "design") continue;
      const now = held?.find(({ piece }) => (role === "stock" ? piece === name : begins.get(piece) === link));
      this.skeleton.of(now?.link ?? link)!.add(mesh);
      mesh.matrixAutoUpdate = false;
      if (now) mesh.matrix.copy(matrix(now.matrix));
      else mesh.matrix.identity();
      mesh.matrixWorldNeedsUpdate = true;
    }
  }

  paint(moment: Moment): void {
    for (const body of this.all) {
      const { label, role } = body;
      const state = this.showing.get(label)!;
      // A design that is not shown stays away also when a finding names it: it would lie in the stock's own surface.
      const lit = moment.lit.has(label) && !(role === "design" && state === "hidden");
      const material = body.mesh.material as THREE.MeshStandardMaterial;
      const carried = moment.inUse.includes(body.tool) || this.stays(body.tool);
      body.mesh.visible = (state !== "hidden" || lit) && (role !== "tool" || (body.rests ? !moment.inUse.includes(body.tool) : carried && moment.tools)) && this.isThere(body, moment.time);
      const ghost = (state === "ghost" || moment.inTheWay.has(label)) && !lit;
      material.transparent = ghost;
      material.opacity = ghost ? 0.16 : 1;
      material.depthWrite = !ghost;
      // A body is marked where it is touched; where a finding has no place, as a whole.
      const whole = lit && moment.whole;
      const chosen = this.chosen.includes(label) && !lit;
      material.color.set(whole ? STOP : chosen ? CHOSEN : this.own(body));
      material.emissive.set(whole ? STOP : "#000000");
      material.emissiveIntensity = whole ? 0.35 : 0;
      mark(material, lit && !moment.whole);
      material.clippingPlanes = role === "fixture" || role === "design" ? moment.planes : null;
      body.mesh.castShadow = !ghost && role !== "design";
      body.mesh.receiveShadow = !ghost;
      if (body.edges) {
        body.edges.material.opacity = ghost ? GHOST_EDGE : EDGE;
        body.edges.material.clippingPlanes = material.clippingPlanes;
      }
    }
  }

  /** Whether a tool is there also when it is not in use: on a turret, or at a place of its own. */
  private stays(tool: number): boolean {
    const { tools, turret } = this.replay.description;
    return tools.find(({ number }) => number === tool)?.stays ?? turret;
  }

  /** Between two programmed stops, where a body comes and goes. */
  private isThere({ there }: Body, time: number): boolean {
    return !there || (time >= there[0] && (time < there[1] || there[1] >= this.replay.seconds) && there[0] < there[1]);
  }

  private own({ role, name, tool }: Body): string {
    if (role === "tool" && (name.startsWith("cutter") || name === "insert")) return toolColour(tool);
    return role === "machine" ? this.sideColour(name) : GREYS[role];
  }

  /** The machine's tool side cooler, its work side warmer, what carries both in between. */
  private sideColour(link: string): string {
    const { toolMount, workMount } = this.replay.description;
    const [tool, work] = [this.skeleton.carries(link, toolMount.link), this.skeleton.carries(link, workMount.link)];
    return tool === work ? GREYS.machine : tool ? "#9db0bb" : "#b9b29c";
  }
}
