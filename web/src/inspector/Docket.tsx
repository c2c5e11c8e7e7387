import { Button, Input, Typography } from "antd";
import { useEffect, useRef, useState } from "react";

import type { Finding, Judgement, RehearsalFull } from "../api/client";
import { MendBar, Offers } from "../remedies/Offers";
import type { Mending } from "../remedies/useMending";
import { clock, unitOf, VERDICT_WORDS } from "../look";
import { percent } from "./distribution";
import { Mark } from "./Mark";

const JUDGEMENTS: Record<Judgement, string> = { real: "Real", accepted: "Accepted", model: "Fault of the model" };
const COPIES = { tooltips: ["Copy", "Copied"] };

interface Props {
  rehearsal: RehearsalFull;
  selected: Finding | null;
  onSelect: (id: number | null) => void;
  onTriage: (finding: Finding, judgement: Judgement | null, reason: string) => Promise<void>;
  /** A picture of the finding from the stage; null while there is no stage. */
  pictureOf: (finding: Finding) => Promise<string | null>;
  /** On a machine of several channels: which channel it is in, and where the others are then. */
  besideOf?: (finding: Finding) => string;
  /** Changes that clear findings; none for a quick look. */
  mending?: Mending;
}

/** Since when a finding is there, and whether it was away in between. */
export function lifeOf({ life }: Finding): string {
  if (!life?.first) return "for the first time";
  const first = `since revision ${life.first.revision}, rehearsal ${life.first.rehearsal}`;
  return life.gone ? `${first}; gone in revision ${life.gone.revision}, and back` : first;
}

export function Verdict({ rehearsal }: { rehearsal: RehearsalFull }) {
  if (!rehearsal.verdict) return null;
  return (
    <div className={`verdict ${rehearsal.verdict}`} data-testid="verdict">
      <Mark severity={rehearsal.verdict} />
      <b>{VERDICT_WORDS[rehearsal.verdict]}</b>
      <span>
        {rehearsal.stops} stop · {rehearsal.cautions} caution
      </span>
    </div>
  );
}

export function Docket({ rehearsal, selected, onSelect, onTriage, pictureOf, besideOf, mending }: Props) {
  const { findings, gone, result } = rehearsal;
  return (
    <div className="docket">
      {mending && <MendBar count={findings.length} mending={mending} />}
      <ul>
        {findings.map((finding) => (
          <li key={finding.id} className={finding.id === selected?.id ? "chosen" : ""}>
            <button className="finding" data-testid="finding" onClick={() => onSelect(finding.id)}>
              <Mark severity={finding.data.severity} />
              <span className="finding-title">
                {finding.title}
                {mending?.search.offers.some((offer) => offer.finding === finding.id && offer.cures) && <em title="A change that was tried clears this">change found</em>}
                {finding.triage && <em>{finding.triage.doubt ? "judged elsewhere: look again" : finding.triage.reopened ? "worse than accepted" : JUDGEMENTS[finding.triage.judgement]}</em>}
              </span>
              <span className="finding-place">
                {besideOf && finding.data.line > 0 && <b className="channel">{finding.data.channel}</b>}
                {finding.data.line ? `line ${finding.data.line}` : "setup"}
              </span>
            </button>
            {finding.id === selected?.id && (
              <Details key={finding.id} finding={finding} onTriage={onTriage} pictureOf={pictureOf} besideOf={besideOf} mending={mending} />
            )}
          </li>
        ))}
      </ul>
      {gone && gone.findings.length > 0 && (
        <div className="checked" data-testid="gone">
          <h4>
            Gone since revision {gone.revision}, rehearsal {gone.rehearsal}
          </h4>
          {gone.findings.map((item, i) => (
            <p key={i}>
              {item.message}
              {item.line > 0 && `, line ${item.line}`}
            </p>
          ))}
        </div>
      )}
      {!findings.length && <p className="padded">Nothing was found. What was checked, and what was not, stands below.</p>}
      {result && (
        <div className="checked">
          <h4>Checked</h4>
          <p>
            {result.checked.pairs} pairs of bodies for contact and a clearance of {result.checked.near} mm, travel of{" "}
            {result.axes.length} axes, stock on a grid of {+result.checked.resolution.toPrecision(3)} mm
            {result.checked.quick && ` (a quick look: ${percent(result.checked.quick.share)} of it at the job's own ${result.checked.quick.resolution} mm)`}
            {result.checked.design && ", the finished part against its design"}.
          </p>
          <h4>Not checked</h4>
          {result.checked.not_checked.map((what) => (
            <p key={what} className="quiet">
              {what}
            </p>
          ))}
          {result.checked.notes.length > 0 && <h4>Notes</h4>}
          {result.checked.notes.map((note) => (
            <p key={note}>{note}</p>
          ))}
        </div>
      )}
    </div>
  );
}

function Details({ finding, onTriage, pictureOf, besideOf, mending }: { finding: Finding } & Pick<Props, "onTriage" | "pictureOf" | "besideOf" | "mending">) {
  const [reason, setReason] = useState(finding.triage?.reason ?? "");
  const [failure, setFailure] = useState("");
  const [picture, setPicture] = useState<string | null>(null);
  const { data } = finding;
  const root = useRef<HTMLDivElement>(null);
  useEffect(() => {
    // Chosen low in the list, or on the tape: what is told of it must be seen without scrolling.
    root.current?.parentElement?.scrollIntoView?.({ block: "nearest" });
  }, [picture]);
  useEffect(() => {
    // After the stage has gone to the finding's moment, so that the picture costs no frame on the way there.
    let gone = false;
    const waiting = setTimeout(() => void pictureOf(finding).then((made) => !gone && setPicture(made)), 120);
    return () => {
      gone = true;
      clearTimeout(waiting);
    };
  }, [finding, pictureOf]);
  const judge = (judgement: Judgement | null) =>
    onTriage(finding, judgement, reason).then(
      () => setFailure(""),
      (error: Error) => setFailure(error.message),
    );
  return (
    <div className="details" ref={root}>
      <p>
        <Typography.Text copyable={{ text: data.message, ...COPIES }}>{data.message}.</Typography.Text>
      </p>
      <p className="remedy">{data.remedy}</p>
      {mending && <Offers finding={finding.id} mending={mending} />}
      {data.point &&
        (picture ? (
          <a href={picture} download={`finding-${data.kind}-line-${data.line}.png`} title="Save the picture">
            <img className="picture" src={picture} alt={`Picture of the finding: ${data.message}`} />
          </a>
        ) : (
          <div className="picture" />
        ))}
      <dl>
        {data.amount > 0 && (
          <>
            <dt>Amount</dt>
            <dd>
              <Typography.Text copyable={{ text: String(data.amount), ...COPIES }}>{data.amount.toFixed(3)} {unitOf(data.kind, data.axis)}</Typography.Text>
            </dd>
          </>
        )}
        <dt>Moment</dt>
        <dd>
          {clock(data.time)}
          {data.line > 0 && `, ${data.program} line ${data.line}`}
          {besideOf && <div>{besideOf(finding)}</div>}
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
              <Typography.Text copyable={{ text: data.point.join(" "), ...COPIES }}>
                {data.point.map((c) => c.toFixed(2)).join("  ")}
              </Typography.Text>
            </dd>
          </>
        )}
        {data.also.length > 0 && (
          <>
            <dt>Also</dt>
            <dd>
              {data.also.map(({ kind, amount }) => (
                <div key={kind}>
                  {kind}, {amount.toFixed(3)} mm
                </div>
              ))}
            </dd>
          </>
        )}
        {finding.life && (
          <>
            <dt>Seen</dt>
            <dd>{lifeOf(finding)}</dd>
          </>
        )}
        <dt>Kind</dt>
        <dd title={finding.meaning}>{data.kind}</dd>
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
        {finding.triage?.again && <p className="failure">Look again: {finding.triage.again}.</p>}
        {finding.triage && (
          <p className="quiet">
            {finding.triage.by}, {new Date(finding.triage.at).toLocaleString("en-GB", { dateStyle: "medium", timeStyle: "short" })}
          </p>
        )}
      </div>
    </div>
  );
}
