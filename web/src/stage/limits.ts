// How far an arm's joints may still turn: an arc of its travel about each, with a hand where it stands.

import * as THREE from "three";

import { ACCENT, STOP } from "../look";
import type { Replay } from "../replay/replay";
import type { Skeleton } from "./skeleton";

const STEP = Math.PI / 60;
const NEAR = 10; // degrees from a limit: the hand warns
const SHARE = 0.11; // of the arm's longest link

interface Dial {
  axis: string;
  travel: [number, number];
  hand: THREE.Line<THREE.BufferGeometry, THREE.LineBasicMaterial>;
  zero: THREE.Vector3;
  about: THREE.Vector3;
}

export class Limits {
  private readonly dials: Dial[] = [];
  private readonly drawn: THREE.Object3D[] = [];

  constructor(
    private readonly replay: Replay,
    skeleton: Skeleton,
  ) {
    const joints = new Set(replay.description.arms?.flat() ?? []);
    const links = replay.description.links.filter(({ joint }) => joint && joints.has(joint.axis));
    const radius = SHARE * Math.max(1, ...links.map(({ joint }) => Math.hypot(...joint!.at)));
    for (const { parent, joint, name } of links) {
      const travel = replay.description.axes?.find((axis) => axis.name === joint!.axis)?.travel;
      const base = parent ? skeleton.of(parent) : skeleton.of(name)?.parent;
      if (!travel || !base) continue;
      const about = new THREE.Vector3(...joint!.direction).normalize();
      const zero = new THREE.Vector3(Math.abs(about.x) > 0.9 ? 0 : 1, Math.abs(about.x) > 0.9 ? 1 : 0, 0).projectOnPlane(about).setLength(radius);
      const dial = new THREE.Group();
      dial.position.set(...joint!.at);
      const [low, high] = travel.map((degrees) => (degrees * Math.PI) / 180);
      const points: THREE.Vector3[] = [];
      // Beyond a whole turn the arc goes on outside itself.
      for (let angle = low; ; angle = Math.min(high, angle + STEP)) {
        points.push(zero.clone().applyAxisAngle(about, angle).multiplyScalar(1 + (0.25 * (angle - low)) / Math.max(high - low, 2 * Math.PI)));
        if (angle >= high) break;
      }
      const lines = { depthTest: false, transparent: true, opacity: 0.9 };
      const arc = new THREE.Line(new THREE.BufferGeometry().setFromPoints(points), new THREE.LineBasicMaterial({ color: ACCENT, ...lines }));
      const hand = new THREE.Line(new THREE.BufferGeometry().setFromPoints([new THREE.Vector3(), zero.clone().multiplyScalar(1.3)]), new THREE.LineBasicMaterial({ color: ACCENT, ...lines }));
      dial.add(arc, hand);
      dial.renderOrder = 5;
      dial.visible = false;
      base.add(dial);
      this.drawn.push(dial);
      this.dials.push({ axis: joint!.axis, travel, hand, zero, about });
    }
  }

  get on(): boolean {
    return this.drawn.some(({ visible }) => visible);
  }

  show(on: boolean): void {
    for (const dial of this.drawn) dial.visible = on;
  }

  pose(values: number[]): void {
    for (const { axis, travel, hand, about } of this.dials) {
      const q = values[this.replay.axes.indexOf(axis)] ?? 0;
      hand.quaternion.setFromAxisAngle(about, (q * Math.PI) / 180);
      hand.material.color.set(Math.min(q - travel[0], travel[1] - q) < NEAR ? STOP : ACCENT);
    }
  }
}
