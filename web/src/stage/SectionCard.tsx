import { Button, InputNumber, Segmented, Slider, Tooltip } from "antd";
import { useMemo, useState } from "react";

import { download } from "../pane/download";
import { AXES_IN_PLANE, asDxf, asSvg, cutArea, parting, type Axis, type Cut } from "../section/outlines";
import type { Section } from "./section";

interface Props {
  section: NonNullable<Section>;
  range: [number, number]; // how far the work reaches along the axis
  cuts: Cut[];
  job: string;
  onAxis: (axis: Axis) => void;
  onSection: (section: Section) => void;
}

const NAMES = ["X", "Y", "Z"] as const;
const FIGURES_KEPT = "section.figures"; // whether a person has them folded away
const BEYOND = 5; // mm that the slider goes past the work

/** The plane that cuts the work open: where it stands, what it cuts, how far stock and design part in it, and the drawing to take along. */
export function SectionCard({ section, range, cuts, job, onAxis, onSection }: Props) {
  const parted = useMemo(() => {
    const of = (role: string) => cuts.filter((cut) => cut.role === role).flatMap(({ outlines }) => outlines);
    return parting(of("stock"), of("design"));
  }, [cuts]);
  const [figures, setFigures] = useState(() => localStorage.getItem(FIGURES_KEPT) !== "off");
  const fold = () => {
    localStorage.setItem(FIGURES_KEPT, figures ? "off" : "on");
    setFigures(!figures);
  };
  const short = [parted.deep && `cut in ≈ ${Math.abs(parted.deep.amount).toFixed(2)}`, parted.left && `left on ≈ ${parted.left.amount.toFixed(2)}`].filter(Boolean).join(", ");
  const drawn = cuts.filter(({ role }) => role !== "machine");
  const file = `${job} section ${NAMES[section.axis]}${section.at.toFixed(2)}`;
  const place = (point: [number, number]) => {
    const named = AXES_IN_PLANE[section.axis].map((axis, i) => `${NAMES[axis]}${point[i].toFixed(1)}`);
    return named.sort().join(" ");
  };
  return (
    <div className="section-card" data-testid="section">
      <span className="section-row">
        <b title="Places count from the mount that the work is on">Section</b>
        <Segmented<Axis>
          size="small"
          value={section.axis}
          aria-label="Section across"
          onChange={onAxis}
          options={NAMES.map((label, value) => ({ label, value: value as Axis }))}
        />
        <span className="grow" />
        <Button size="small" type="text" onClick={() => onSection({ ...section, side: section.side > 0 ? -1 : 1 })}>
          Other side
        </Button>
        <Button size="small" type="text" onClick={() => onSection(null)}>
          Close
        </Button>
      </span>
      <span className="section-row">
        <InputNumber
          size="small"
          value={section.at}
          step={0.5}
          precision={3}
          aria-label="Section at"
          prefix={NAMES[section.axis]}
          onChange={(at) => at !== null && onSection({ ...section, at })}
        />
        <Slider
          min={range[0] - BEYOND}
          max={range[1] + BEYOND}
          step={0.25}
          value={section.at}
          tooltip={{ open: false }}
          aria-label="Section place"
          onChange={(at) => onSection({ ...section, at })}
        />
      </span>
      {figures && (
        <>
          <table className="figures">
            <tbody>
              {drawn.map((cut) => (
                <tr key={cut.name}>
                  <th>
                    {cut.name} <i>{cut.role}</i>
                  </th>
                  <td>{cutArea(cut).toFixed(1)} mm²</td>
                </tr>
              ))}
              {!drawn.length && (
                <tr>
                  <th>The plane meets nothing here.</th>
                </tr>
              )}
              {parted.deep && (
                <tr>
                  <th>
                    cut into the design <i>{place(parted.deep.at)}</i>
                  </th>
                  <td>≈ {Math.abs(parted.deep.amount).toFixed(2)} mm</td>
                </tr>
              )}
              {parted.left && (
                <tr>
                  <th>
                    left on it <i>{place(parted.left.at)}</i>
                  </th>
                  <td>≈ {parted.left.amount.toFixed(2)} mm</td>
                </tr>
              )}
            </tbody>
          </table>
          {parted.left && <p className="quiet">Read off the stock as drawn, whose edges are rounded by up to half a cell; the docket and the part's list are exact.</p>}
        </>
      )}
      <span className="section-row">
        <Tooltip title="The outlines as a drawing, millimetres, a path for each body">
          <Button size="small" disabled={!drawn.length} onClick={() => download(new Blob([asSvg(drawn)], { type: "image/svg+xml" }), `${file}.svg`)}>
            SVG
          </Button>
        </Tooltip>
        <Tooltip title="The same as closed polylines, a layer for each body">
          <Button size="small" disabled={!drawn.length} onClick={() => download(new Blob([asDxf(drawn)], { type: "image/vnd.dxf" }), `${file}.dxf`)}>
            DXF
          </Button>
        </Tooltip>
        <span className="quiet">{figures ? "" : short && `${short} mm`}</span>
        <span className="grow" />
        <Button size="small" type="text" aria-expanded={figures} onClick={fold}>
          {figures ? "Less" : "Figures"}
        </Button>
      </span>
    </div>
  );
}
