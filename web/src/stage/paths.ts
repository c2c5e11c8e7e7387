// The way of every tool's tip, seen from the work: cutting moves in the tool's colour, rapids thin and apart.

import * as THREE from "three";

import { toolColour } from "../look";
import type { Replay } from "../replay/replay";
import { matrix, type Skeleton } from "./skeleton";

const RAPID = "#8a8577";

export class ToolPaths {
  readonly lines: THREE.LineSegments[] = [];
  private readonly motions: Uint32Array[] = [];
  private built = false;

  constructor(
    private readonly replay: Replay,
    private readonly skeleton: Skeleton,
  ) {}

  /** Made when they are first shown. Poses the machine: whoever asks shows the moment again afterwards. */
  show(on: boolean): void {
    if (on && !this.built) this.build(this.replay.description.stocks[0]?.link ?? this.replay.description.links[0].name);
    for (const line of this.lines) line.visible = on;
  }

  /** The motion that a segment of one of the lines belongs to. */
  motionOf(line: THREE.Object3D, index: number): number {
    return this.motions[this.lines.indexOf(line as THREE.LineSegments)][index >> 1];
  }

  private build(workLink: string): void {
    this.built = true;
    const { knots, axes, description } = this.replay;
    const toolOf = this.replay.column("tool");
    const kinds = this.replay.column("kind");
    const tools = new Map(description.tools.map((tool) => [tool.number, { ...tool, mount: matrix(tool.matrix) }]));
    const tip = new THREE.Vector3();
    const place = (row: number, tool: { link: string; length: number; mount: THREE.Matrix4 }) => {
      this.skeleton.pose(Array.from(knots.at.subarray(row * axes.length, (row + 1) * axes.length)));
      const work = this.skeleton.frame(workLink).invert();
      return tip.set(0, 0, -tool.length).applyMatrix4(work.multiply(this.skeleton.frame(tool.link)).multiply(tool.mount));
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
      const material = new THREE.LineBasicMaterial({ color: key ? toolColour(key) : RAPID, transparent: true, opacity: key ? 0.9 : 0.45 });
      const lines = new THREE.LineSegments(geometry, material);
      this.skeleton.of(workLink)!.add(lines);
      this.lines.push(lines);
      this.motions.push(Uint32Array.from(group.motions));
    }
  }
}
