// A stock as it stands at a moment, as a file: the surface that the stage shows, in the frame of the work's mount.

import * as THREE from "three";

export type StockFormat = "stl" | "3mf" | "glb";

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

/** The file: STL in millimetres, 3MF in millimetres with the colours of the stage, or GLB in metres with them. */
export async function stockFile(meshes: THREE.Mesh[], toFrame: THREE.Matrix4, format: StockFormat): Promise<Blob> {
  if (format === "stl") {
    const { STLExporter } = await import("three/examples/jsm/exporters/STLExporter.js");
    const data = new STLExporter().parse(gathered(meshes, toFrame), { binary: true });
    return new Blob([data as DataView<ArrayBuffer>], { type: "model/stl" });
  }
  if (format === "3mf") return packed3mf(gathered(meshes, toFrame));
  const { GLTFExporter } = await import("three/examples/jsm/exporters/GLTFExporter.js");
  const data = await new GLTFExporter().parseAsync(gathered(meshes, toFrame, METRE), { binary: true });
  return new Blob([data as ArrayBuffer], { type: "model/gltf-binary" });
}

const CORE = "http://schemas.microsoft.com/3dmanufacturing/core/2015/02";
const MATERIAL = "http://schemas.microsoft.com/3dmanufacturing/material/2015/02";
const TYPES = `<?xml version="1.0" encoding="UTF-8"?><Types xmlns="http://schemas.openxmlformats.org/package/2006/content-types"><Default Extension="rels" ContentType="application/vnd.openxmlformats-package.relationships+xml"/><Default Extension="model" ContentType="application/vnd.ms-package.3dmanufacturing-3dmodel+xml"/></Types>`;
const RELATIONS = `<?xml version="1.0" encoding="UTF-8"?><Relationships xmlns="http://schemas.openxmlformats.org/package/2006/relationships"><Relationship Target="/3D/3dmodel.model" Id="model" Type="http://schemas.microsoft.com/3dmanufacturing/2013/01/3dmodel"/></Relationships>`;
const AT_ONCE = 20_000; // lines joined before they go into the archive

/** One object in the 3MF core format; equal vertices are one, so that the surface is closed where it is. */
async function packed3mf(group: THREE.Group): Promise<Blob> {
  const { zipSync, strToU8 } = await import("three/examples/jsm/libs/fflate.module.js");
  const known = new Map<string, number>();
  const colours = new Map<string, number>();
  const vertices: string[] = [];
  const triangles: string[] = [];
  const colour = new THREE.Color();
  for (const { geometry } of group.children as THREE.Mesh[]) {
    const positions = geometry.getAttribute("position");
    const painted = geometry.getAttribute("color");
    const corner = (i: number) => {
      const place = `${positions.getX(i)} ${positions.getY(i)} ${positions.getZ(i)}`;
      let number = known.get(place);
      if (number === undefined) {
        known.set(place, (number = known.size));
        vertices.push(`<vertex x="${positions.getX(i)}" y="${positions.getY(i)}" z="${positions.getZ(i)}"/>`);
      }
      return number;
    };
    const { index } = geometry;
    const count = index ? index.count : positions.count;
    for (let at = 0; at < count; at += 3) {
      const [i, j, k] = [0, 1, 2].map((step) => (index ? index.getX(at + step) : at + step));
      const [a, b, c] = [corner(i), corner(j), corner(k)];
      if (a === b || b === c || a === c) continue; // has no area: the format forbids it
      const hex = painted ? `#${colour.fromBufferAttribute(painted as THREE.BufferAttribute, i).getHexString().toUpperCase()}` : "#D6D0C0";
      if (!colours.has(hex)) colours.set(hex, colours.size);
      triangles.push(`<triangle v1="${a}" v2="${b}" v3="${c}" pid="2" p1="${colours.get(hex)}"/>`);
    }
  }
  const parts = [
    `<?xml version="1.0" encoding="UTF-8"?>\n<model unit="millimeter" xml:lang="en" xmlns="${CORE}" xmlns:m="${MATERIAL}"><resources><m:colorgroup id="2">`,
    [...colours.keys()].map((hex) => `<m:color color="${hex}"/>`).join(""),
    `</m:colorgroup><object id="1" type="model"><mesh><vertices>`,
    ...inChunks(vertices),
    `</vertices><triangles>`,
    ...inChunks(triangles),
    `</triangles></mesh></object></resources><build><item objectid="1"/></build></model>`,
  ].map((part) => strToU8(part));
  const model = new Uint8Array(parts.reduce((sum, part) => sum + part.length, 0));
  let at = 0;
  for (const part of parts) {
    model.set(part, at);
    at += part.length;
  }
  const archive = zipSync({ "[Content_Types].xml": strToU8(TYPES), "_rels/.rels": strToU8(RELATIONS), "3D/3dmodel.model": model }, { level: 6 });
  return new Blob([archive as Uint8Array<ArrayBuffer>], { type: "model/3mf" });
}

function* inChunks(lines: string[]): Generator<string> {
  for (let at = 0; at < lines.length; at += AT_ONCE) yield lines.slice(at, at + AT_ONCE).join("\n");
}
