// A stock as it stands at a moment, as a file: the surface that the stage shows, in the frame of the work's mount.

import * as THREE from "three";

export type StockFormat = "stl" | "glb";

const METRE = 0.001; // glTF counts in metres

/** The meshes on show, brought into a frame; their colours go with them. */
export function gathered(meshes: THREE.Mesh[], toFrame: THREE.Matrix4, scale = 1): THREE.Group {
  const group = new THREE.Group();
  const sized = new THREE.Matrix4().makeScale(scale, scale, scale).multiply(toFrame);
  const material = new THREE.MeshStandardMaterial({ vertexColors: true, roughness: 0.8 });
  for (const mesh of meshes) {
    if (!mesh.geometry.getAttribute("position")?.count) continue;
    mesh.updateWorldMatrix(true, false);
    const geometry = mesh.geometry.clone().applyMatrix4(sized.clone().multiply(mesh.matrixWorld));
    group.add(new THREE.Mesh(geometry, material));
  }
  group.updateMatrixWorld(true);
  return group;
}

/** The file: STL in millimetres, or GLB in metres with the colours of the stage. */
export async function stockFile(meshes: THREE.Mesh[], toFrame: THREE.Matrix4, format: StockFormat): Promise<Blob> {
  if (format === "stl") {
    const { STLExporter } = await import("three/examples/jsm/exporters/STLExporter.js");
    const data = new STLExporter().parse(gathered(meshes, toFrame), { binary: true });
    return new Blob([data as DataView<ArrayBuffer>], { type: "model/stl" });
  }
  const { GLTFExporter } = await import("three/examples/jsm/exporters/GLTFExporter.js");
  const data = await new GLTFExporter().parseAsync(gathered(meshes, toFrame, METRE), { binary: true });
  return new Blob([data as ArrayBuffer], { type: "model/gltf-binary" });
}
