import { Button, Select } from "antd";
import { useState } from "react";

import type { Checked, Rule, Said } from "../api/client";
import { Mark } from "../inspector/Mark";
import { changes } from "./text";

interface Props {
  checked: Checked;
  base: Checked | undefined;
  revision: number;
  rules: readonly Rule[] | undefined;
  jobRules: Record<string, string>;
  onGo: (finding: Said) => void;
  onFix: (finding: Said) => void;
  onRule: (rule: string, setting: string) => void;
}

const SETTINGS = [
  { value: "", label: "as it comes" },
  { value: "off", label: "off" },
  { value: "caution", label: "a caution" },
  { value: "stop", label: "a stop" },
];

/** What the check found, with the change that would clear it; and what went and came since the revision was opened. */
export function Findings({ checked, base, revision, rules, jobRules, onGo, onFix, onRule }: Props) {
  const [open, setOpen] = useState<string | null>(null);
  const { went, came } = base ? changes(base.findings, checked.findings) : { went: [], came: [] };
  return (
    <div className="docket" data-testid="check">
      {(went.length > 0 || came.length > 0) && (
        <div className="padded since" data-testid="since">
          <p className="quiet">Since revision {revision} was opened:</p>
          {went.map((item, i) => (
            <p key={`w${i}`} className="went">
              <s>{item.message}</s> went
            </p>
          ))}
          {came.map((item, i) => (
            <p key={`c${i}`} className="came">
              {item.message} came, line {item.line}
            </p>
          ))}
        </div>
      )}
      {!checked.findings.length && <p className="padded">The check finds nothing in these programs. Only a rehearsal tells what they meet.</p>}
      <ul>
        {checked.findings.map((item, i) => {
          const key = `${item.rule}:${item.program}:${item.line}:${i}`;
          const rule = rules?.find((known) => known.id === item.rule);
          return (
            <li key={key} className={open === key ? "chosen" : undefined}>
              <button
                className="finding"
                onClick={() => {
                  setOpen(open === key ? null : key);
                  onGo(item);
                }}
              >
                <Mark severity={item.severity} />
                <span className="finding-title">
                  {item.message}
                  {item.count > 1 && <em>{item.count}×</em>}
                </span>
                <span className="finding-place">{item.line}</span>
              </button>
              {open === key && (
                <div className="details">
                  <p className="remedy">{item.remedy}</p>
                  {item.fix && (
                    <>
                      <Changed finding={item} />
                      <Button size="small" type="primary" onClick={() => onFix(item)}>
                        {item.fix.title}
                      </Button>
                    </>
                  )}
                  {rule && (
                    <details>
                      <summary>
                        {rule.title} · {rule.id}
                      </summary>
                      <p>{rule.meaning}</p>
                      {rule.example && <pre>{rule.example}</pre>}
                      {rule.fixed ? (
                        <p className="quiet">This rule cannot be made milder: what follows its finding is not verified.</p>
                      ) : (
                        <label className="hand-row">
                          <span className="quiet">in this job</span>
                          <Select size="small" value={jobRules[rule.id] ?? ""} options={SETTINGS} onChange={(setting: string) => onRule(rule.id, setting)} aria-label={`${rule.id} in this job`} />
                        </label>
                      )}
                    </details>
                  )}
                </div>
              )}
            </li>
          );
        })}
      </ul>
      <p className="quiet padded">
        {checked.rules.ran.length} rules ran{checked.rules.off.length > 0 && `, ${checked.rules.off.length} off: ${checked.rules.off.join(", ")}`}.
      </p>
    </div>
  );
}

/** The fix as a difference: lines as they are, and as they would be. */
function Changed({ finding }: { finding: Said }) {
  return (
    <pre className="difference" data-testid="difference">
      {finding.fix!.edits.map((edit, i) => (
        <span key={i}>
          {edit.old !== null && (
            <del>
              {String(edit.line).padStart(5)} {edit.old}
              {"\n"}
            </del>
          )}
          {edit.new !== null &&
            edit.new.split("\n").map((line, k) => (
              <ins key={k}>
                {String(edit.line + k).padStart(5)} {line}
                {"\n"}
              </ins>
            ))}
        </span>
      ))}
    </pre>
  );
}
