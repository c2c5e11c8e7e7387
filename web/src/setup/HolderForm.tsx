import { Alert, Button, InputNumber } from "antd";
import { useState } from "react";

import { api } from "../api/client";
import type { HolderShape, Segment, ToolData } from "./tools";

type Holder = NonNullable<ToolData["holder"]>;

/** The holder: turned segments stacked up from its face, and shapes drawn around the gauge point. */
export function HolderForm({ revision, holder, turning, onHolder }: { revision: number; holder: Holder; turning: boolean; onHolder: (holder: Holder) => void }) {
  const [failure, setFailure] = useState("");
  const segments = holder.segments ?? [];
  const shapes = holder.shapes ?? [];
  const setSegments = (next: Segment[]) => onHolder({ ...holder, segments: next });
  const setShapes = (next: HolderShape[]) => onHolder({ ...holder, shapes: next });
  const cell = (i: number, key: keyof Segment, label: string) => (
    <td>
      <InputNumber
        size="small"
        controls={false}
        value={segments[i][key] ?? (key === "to_diameter" ? segments[i].diameter : undefined)}
        aria-label={`segment ${i + 1} ${label}`}
        onChange={(value) => value !== null && setSegments(segments.map((entry, k) => (k === i ? { ...entry, [key]: value } : entry)))}
      />
    </td>
  );
  const bring = async (file: File) => {
    setFailure("");
    try {
      const dropped = await api.dropFile(revision, file);
      const type = (["revolve", "mesh"] as const).find((kind) => dropped.shapes.some((shape) => shape.type === kind));
      if (!type) throw new Error(`${file.name}: a holder's drawing shows the half right of its axis, or a whole section about x = 0`);
      setShapes([...shapes, { type, file: dropped.file, at: [0, 0, 0] }]);
    } catch (error) {
      setFailure((error as Error).message);
    }
  };
  return (
    <div className="holder-form">
      <div className="hand-row">
        <b>Holder</b>
        <span className="grow" />
        {!turning && (
          <Button size="small" onClick={() => setSegments([...segments, { diameter: segments.at(-1)?.to_diameter ?? segments.at(-1)?.diameter ?? 40, length: 20 }])}>
            Segment
          </Button>
        )}
        <label className="choose">
          <input
            type="file"
            accept=".dxf,.stl,.3mf,.glb,.step,.stp"
            hidden
            aria-label="Import a holder"
            onChange={(event) => {
              const file = event.target.files?.[0];
              if (file) void bring(file);
              event.target.value = "";
            }}
          />
          import
        </label>
      </div>
      {segments.length > 0 && (
        <table className="segments">
          <thead>
            <tr>
              <th>⌀ from the face</th>
              <th>to ⌀</th>
              <th>long</th>
              <th />
            </tr>
          </thead>
          <tbody>
            {segments.map((_, i) => (
              <tr key={i}>
                {cell(i, "diameter", "diameter")}
                {cell(i, "to_diameter", "to diameter")}
                {cell(i, "length", "length")}
                <td>
                  <Button size="small" type="text" aria-label={`Remove segment ${i + 1}`} onClick={() => setSegments(segments.filter((_entry, k) => k !== i))}>
                    ✕
                  </Button>
                </td>
              </tr>
            ))}
          </tbody>
        </table>
      )}
      {shapes.map((shape, i) => (
        <div key={i} className="holder-shape">
          <span title={shape.file}>{shape.file ?? shape.type}</span>
          {(["x", "y", "z"] as const).map((axis, k) => (
            <InputNumber
              key={axis}
              size="small"
              controls={false}
              prefix={axis}
              value={shape.at?.[k] ?? 0}
              aria-label={`${shape.file ?? shape.type} ${axis}`}
              onChange={(value) => {
                const at = [...(shape.at ?? [0, 0, 0])] as [number, number, number];
                at[k] = value ?? 0;
                setShapes(shapes.map((entry, n) => (n === i ? { ...entry, at } : entry)));
              }}
            />
          ))}
          <Button size="small" type="text" aria-label={`Remove ${shape.file ?? shape.type}`} onClick={() => setShapes(shapes.filter((_entry, k) => k !== i))}>
            ✕
          </Button>
        </div>
      ))}
      {failure && <Alert type="error" title={failure} />}
    </div>
  );
}
