// A part's surface as the server sends it: corners, triangles, and how far each triangle stands beyond another part.

export interface Surface {
  corners: Float32Array; // x y z of every corner of every triangle, nine a triangle
  away: Float32Array; // one a triangle, mm
}

export function readSurface(data: ArrayBuffer): Surface {
  const [points, triangles] = new Uint32Array(data, 0, 2);
  const at = 8 + 12 * points;
  const places = new Float32Array(data, 8, 3 * points);
  const corner = new Uint32Array(data, at, 3 * triangles);
  const corners = new Float32Array(9 * triangles);
  for (let i = 0; i < corner.length; i++) corners.set(places.subarray(3 * corner[i], 3 * corner[i] + 3), 3 * i);
  return { corners, away: new Float32Array(data, at + 12 * triangles, triangles) };
}
