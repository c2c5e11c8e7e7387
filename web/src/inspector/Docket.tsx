import { Button, Input, Typography } from "antd";
import { useState } from "react";

import type { Finding, Judgement, RehearsalFull } from "../api/client";
import { clock, VERDICT_WORDS } from "../look";
import { Mark } from "./Mark";

const JUDGEMENTS: Record<Judgement, string> = { real: "Real", accepted: "Accepted", model: "Fault of the model" };

interface Props {
  rehearsal: RehearsalFull;
  selected: Finding | null;
  onSelect: (id: number | null) => void;
  onTriage: (finding: Finding, judgement: Judgement | null, reason: string) => Promise<void>;
}

export function Docket({ rehearsal, selected, onSelect, onTriage }: Props) {
  const { findings, result } = rehearsal;
  return (
    <div className="docket">
      {rehearsal.verdict && (
        <div className={`verdict ${rehearsal.verdict}`} data-testid="verdict">
          <Mark severity={rehearsal.verdict} />
          <b>{VERDICT_WORDS[rehearsal.verdict]}</b>
          <span>{rehearsal.seconds !== null && clock(rehearsal.seconds)}</span>
        </div>
      )}
      <ul>
        {findings.map((finding) => (
          <li key={finding.id} className={finding.id === selected?.id ? "chosen" : ""}>
            <button className="finding" data-testid="finding" onClick={() => onSelect(finding.id)}>
              <Mark severity={finding.data.severity} />
              <span className="finding-title">
                {finding.title}
                {finding.triage && <em>{finding.triage.reopened ? "worse than accepted" : JUDGEMENTS[finding.triage.judgement]}</em>}
              </span>
              <span className="finding-place">{finding.data.line ? `line ${finding.data.line}` : "setup"}</span>
            </button>
            {finding.id === selected?.id && <Details key={finding.id} finding={finding} onTriage={onTriage} />}
          </li>
        ))}
      </ul>
      {!findings.length && rehearsal.state === "done" && <p className="quiet">Nothing was found. What was checked stands below.</p>}
      {result && (
        <div className="checked">
          <h4>Checked</h4>
          <p>
            {result.checked.pairs} pairs of bodies for contact, clearance {result.checked.near} mm; stock on a grid of{" "}
            {result.checked.resolution} mm; travel of {result.axes.length} axes.
          </p>
          <p className="quiet">Not checked yet: gouges and material left against a design.</p>
          {result.checked.notes.map((note) => (
            <p key={note}>{note}</p>
          ))}
          <table>
            <tbody>
              {result.axes.map((axis) => (
                <tr key={axis.axis}>
                  <th>{axis.axis}</th>
                  <td>{axis.min.toFixed(3)}</td>
                  <td>… {axis.max.toFixed(3)}</td>
                  <td className="quiet">{axis.travel ? `of ${axis.travel[0]} … ${axis.travel[1]}` : "endless"}</td>
                </tr>
              ))}
            </tbody>
          </table>
          <h4>Least margins</h4>
          <table>
            <tbody>
              {result.checked.margins.slice(0, 6).map((margin) => (
                <tr key={margin.bodies.join()}>
                  <td>{margin.bodies.join(" · ")}</td>
                  <td>{margin.clearance.toFixed(1)} mm</td>
                </tr>
              ))}
            </tbody>
          </table>
        </div>
      )}
    </div>
  );
}

function Details({ finding, onTriage }: { finding: Finding; onTriage: Props["onTriage"] }) {
  const [reason, setReason] = useState(finding.triage?.reason ?? "");
  const [failure, setFailure] = useState("");
  const { data } = finding;
  const judge = (judgement: Judgement | null) =>
    onTriage(finding, judgement, reason).then(
      () => setFailure(""),
      (error: Error) => setFailure(error.message),
    );
  return (
    <div className="details">
      <p>
        <Typography.Text copyable={{ text: data.message }}>{data.message}.</Typography.Text>
      </p>
      <p className="remedy">{data.remedy}</p>
      <dl>
        <dt>Amount</dt>
        <dd>
          <Typography.Text copyable={{ text: String(data.amount) }}>{data.amount.toFixed(3)}</Typography.Text>
        </dd>
        <dt>Moment</dt>
        <dd>
          {clock(data.time)}, {data.program} line {data.line}
          {data.count > 1 && `, ${data.count} motions`}
        </dd>
        {data.tool > 0 && (
          <>
            <dt>Tool</dt>
            <dd>T{data.tool}</dd>
          </>
        )}
        {data.bodies.length > 0 && (
          <>
            <dt>Bodies</dt>
            <dd>{data.bodies.join(", ")}</dd>
          </>
        )}
        {data.point && (
          <>
            <dt>Place</dt>
            <dd>
              <Typography.Text copyable={{ text: data.point.join(" ") }}>
                {data.point.map((c) => c.toFixed(2)).join("  ")}
              </Typography.Text>
            </dd>
          </>
        )}
      </dl>
      <div className="triage">
        <Input size="small" value={reason} placeholder="Reason" aria-label="Reason" onChange={(e) => setReason(e.target.value)} />
        {(Object.keys(JUDGEMENTS) as Judgement[]).map((judgement) => (
          <Button
            key={judgement}
            size="small"
            type={finding.triage?.judgement === judgement ? "primary" : "default"}
            onClick={() => judge(judgement)}
          >
            {JUDGEMENTS[judgement]}
          </Button>
        ))}
        {finding.triage && (
          <Button size="small" type="text" onClick={() => judge(null)}>
            Undo
          </Button>
        )}
        {failure && <p className="failure">{failure}</p>}
      </div>
    </div>
  );
}
