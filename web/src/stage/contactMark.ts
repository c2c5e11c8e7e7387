// A body marked where it is touched: its surface takes the colour of a stop near the place, and stays what it is elsewhere.

import * as THREE from "three";

import { STOP } from "../look";

/** Shared by all bodies: where the place is (frame of the machine), and how far its colour reaches. */
export const place = { at: { value: new THREE.Vector3() }, reach: { value: 14 }, colour: { value: new THREE.Color(STOP) } };

/** Let a material be marked; `mark(1)` does, `mark(0)` takes it away. */
export function markable(material: THREE.MeshStandardMaterial): void {
  const on = { value: 0 };
  material.userData.mark = on;
  material.onBeforeCompile = (shader) => {
    Object.assign(shader.uniforms, { markOn: on, markAt: place.at, markReach: place.reach, markColour: place.colour });
    shader.vertexShader = shader.vertexShader
      .replace("#include <common>", "#include <common>\nvarying vec3 vMarked;")
      .replace("#include <begin_vertex>", "#include <begin_vertex>\nvMarked = (modelMatrix * vec4(position, 1.0)).xyz;");
    shader.fragmentShader = shader.fragmentShader
      .replace("#include <common>", "#include <common>\nvarying vec3 vMarked;\nuniform float markOn;\nuniform vec3 markAt;\nuniform float markReach;\nuniform vec3 markColour;")
      .replace("#include <color_fragment>", "#include <color_fragment>\ndiffuseColor.rgb = mix(diffuseColor.rgb, markColour, markOn * (1.0 - smoothstep(0.55 * markReach, markReach, distance(vMarked, markAt))));");
  };
}

export function mark(material: THREE.Material, on: boolean): void {
  const held = material.userData.mark as { value: number } | undefined;
  if (held) held.value = on ? 1 : 0;
}
