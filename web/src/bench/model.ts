// A machine with what is clamped on it, before any program runs: loaded as one file, seen through the replay's own classes.

import { Replay, type Description } from "../replay/replay";

/** Length of the JSON (4 bytes, little end first), the JSON, then the binary that it points into. */
export function readModel(data: ArrayBuffer): Replay {
  const length = new DataView(data).getUint32(0, true);
  const description = JSON.parse(new TextDecoder().decode(new Uint8Array(data, 4, length))) as Description;
  return new Replay(description, data.slice(4 + length));
}
