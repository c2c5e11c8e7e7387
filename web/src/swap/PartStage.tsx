import { useQuery } from "@tanstack/react-query";
import { Alert, Button, Spin } from "antd";
import { useEffect, useRef, useState } from "react";
import * as THREE from "three";

import { api } from "../api/client";
import { deviationColour, PAPER, type Scale } from "../look";
import { DeviationScale } from "../stage/DeviationScale";
import { Eye } from "../stage/eye";
import { readSurface, type Surface } from "./surface";

const SAME_MM = 0.02; // surfaces nearer to each other are the same
const OWN = { gouge: SAME_MM, excess: SAME_MM };
const TURN_PX = 4; // a pointer that has gone farther turned the part

/** The right part to be turned about, coloured by how it differs from the left one; a click tells how much. */
export default function PartStage({ a, b }: { a: number; b: number }) {
  const loaded = useQuery({ queryKey: ["surface beside", a, b], queryFn: async () => readSurface(await api.surfaceBeside(a, b)), staleTime: Infinity, gcTime: 60_000, retry: false });
  if (loaded.isError) return <Alert type="error" title={loaded.error.message} action={<Button onClick={() => loaded.refetch()}>Try again</Button>} />;
  if (!loaded.data) return <Spin description="The part is coming" />;
  return <Turned key={`${a} ${b}`} surface={loaded.data} />;
}

function Turned({ surface }: { surface: Surface }) {
  const host = useRef<HTMLDivElement>(null);
  const scene = useRef<PartScene | null>(null);
  const [scale, setScale] = useState<Scale>({ ...OWN, reach: 1, steps: 0 });
  const [told, setTold] = useState<number | null>(null);
  const [failure, setFailure] = useState("");
  useEffect(() => {
    try {
      scene.current = new PartScene(host.current!, surface, setTold);
    } catch (error) {
      setFailure(String(error));
    }
    return () => {
      scene.current?.dispose();
      scene.current = null;
    };
  }, [surface]);
  useEffect(() => scene.current?.colour(scale), [surface, scale]);
  return (
    <div className="part-stage">
      <div ref={host} data-testid="part-stage" />
      {failure && <p>The part cannot be drawn: {failure}.</p>}
      <p className="quiet">{told === null ? "Drag to turn it; click a place to read how far it differs there." : Math.abs(told) < SAME_MM ? "The same there." : `${Math.abs(told).toFixed(3)} mm ${told < 0 ? "deeper" : "more left"} there.`}</p>
      <DeviationScale own={OWN} scale={scale} onScale={setScale} />
    </div>
  );
}

class PartScene {
  private readonly renderer = new THREE.WebGLRenderer({ antialias: true });
  private readonly scene = new THREE.Scene();
  private readonly mesh: THREE.Mesh<THREE.BufferGeometry, THREE.MeshStandardMaterial>;
  private readonly eye: Eye;
  private readonly watcher: ResizeObserver;
  private pending = 0;
  private pressed = { x: 0, y: 0 };

  constructor(
    private readonly host: HTMLElement,
    private readonly surface: Surface,
    private readonly told: (away: number | null) => void,
  ) {
    const canvas = this.renderer.domElement;
    this.renderer.setPixelRatio(Math.min(2, devicePixelRatio));
    host.appendChild(canvas);
    this.eye = new Eye(canvas, this.draw);
    const geometry = new THREE.BufferGeometry();
    geometry.setAttribute("position", new THREE.BufferAttribute(surface.corners, 3));
    geometry.setAttribute("color", new THREE.BufferAttribute(new Float32Array(surface.corners.length), 3));
    this.mesh = new THREE.Mesh(geometry, new THREE.MeshStandardMaterial({ vertexColors: true, roughness: 0.8, flatShading: true }));
    const sun = new THREE.DirectionalLight("#fffaf0", 1.6);
    sun.position.set(0.4, -0.7, 1);
    this.scene.background = new THREE.Color(PAPER);
    this.scene.add(new THREE.HemisphereLight("#ffffff", "#b8b09c", 1.7), sun, this.mesh);
    geometry.computeBoundingBox();
    this.eye.view("work", geometry.boundingBox!);
    canvas.addEventListener("pointerdown", this.press);
    canvas.addEventListener("click", this.ask);
    this.watcher = new ResizeObserver(() => this.fit());
    this.watcher.observe(host);
    this.fit();
  }

  colour(scale: Scale): void {
    const colours = this.mesh.geometry.getAttribute("color") as THREE.BufferAttribute;
    this.surface.away.forEach((away, i) => {
      const [r, g, b] = deviationColour(away, scale);
      for (let k = 0; k < 3; k++) colours.setXYZ(3 * i + k, r, g, b);
    });
    colours.needsUpdate = true;
    this.draw();
  }

  dispose(): void {
    cancelAnimationFrame(this.pending);
    this.watcher.disconnect();
    this.eye.controls.dispose();
    this.mesh.geometry.dispose();
    this.mesh.material.dispose();
    this.renderer.dispose();
    this.renderer.domElement.remove();
  }

  private fit(): void {
    const { clientWidth: width, clientHeight: height } = this.host;
    if (!width || !height) return;
    this.renderer.setSize(width, height);
    this.eye.fit(width, height);
    this.draw();
  }

  private draw = (): void => {
    this.pending ||= requestAnimationFrame(() => {
      this.pending = 0;
      this.renderer.render(this.scene, this.eye.camera);
      this.host.dataset.triangles = String(this.surface.away.length);
    });
  };

  private press = (event: PointerEvent): void => {
    this.pressed = { x: event.clientX, y: event.clientY };
  };

  private ask = (event: MouseEvent): void => {
    if (Math.hypot(event.clientX - this.pressed.x, event.clientY - this.pressed.y) > TURN_PX) return;
    const box = this.renderer.domElement.getBoundingClientRect();
    const ray = new THREE.Raycaster();
    ray.setFromCamera(new THREE.Vector2(((event.clientX - box.left) / box.width) * 2 - 1, 1 - ((event.clientY - box.top) / box.height) * 2), this.eye.camera);
    const hit = ray.intersectObject(this.mesh)[0];
    this.told(hit?.faceIndex == null ? null : this.surface.away[hit.faceIndex]);
  };
}
