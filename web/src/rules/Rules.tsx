import { useQuery, useQueryClient } from "@tanstack/react-query";
import { Alert, App, Input, Select, Spin } from "antd";
import { useState } from "react";

import { api, type Rule } from "../api/client";
import { Mark } from "../inspector/Mark";

const SETTINGS: { value: Rule["setting"]; label: string }[] = [
  { value: "", label: "as it comes" },
  { value: "off", label: "off" },
  { value: "caution", label: "a caution" },
  { value: "stop", label: "a stop" },
];

/** The rules of the program check for the whole house: what each finds, by its own example, and how it is set. */
export function Rules() {
  const { message } = App.useApp();
  const queries = useQueryClient();
  const rules = useQuery({ queryKey: ["rules"], queryFn: api.rules });
  const [sought, setSought] = useState("");
  const [open, setOpen] = useState<string | null>(null);
  if (rules.isError) return <Alert className="middle" type="error" title={rules.error.message} />;
  if (!rules.data) return <Spin className="middle" />;
  const set = async (rule: Rule, setting: Rule["setting"]) => {
    try {
      queries.setQueryData(["rules"], await api.setRule(rule.id, setting));
      void queries.invalidateQueries({ queryKey: ["check"] });
    } catch (error) {
      message.error((error as Error).message);
    }
  };
  const words = sought.trim().toLowerCase();
  const shown = rules.data.filter((rule) => !words || `${rule.id} ${rule.title} ${rule.meaning}`.toLowerCase().includes(words));
  const changed = rules.data.filter((rule) => rule.setting).length;
  return (
    <main className="jobs">
      <div className="jobs-head">
        <h2>Rules</h2>
        <span className="quiet">
          what the program check asks, for every job of the house{changed > 0 && `; ${changed} set otherwise`}. A job may set its own. Every verdict says which ran.
        </span>
        <span className="grow" />
        <Input size="small" className="go-to" placeholder="find a rule" aria-label="Find a rule" allowClear value={sought} onChange={(event) => setSought(event.target.value)} />
      </div>
      <table className="job-table rules">
        <tbody>
          {shown.map((rule) => (
            <tr key={rule.id} className="first">
              <td>
                <Mark severity={rule.severity} />
              </td>
              <td>
                <button className="link" aria-expanded={open === rule.id} onClick={() => setOpen(open === rule.id ? null : rule.id)}>
                  {rule.title}
                </button>
                <br />
                <span className="quiet">{rule.id}</span>
              </td>
              <td>
                {rule.meaning}
                {open === rule.id && (
                  <div className="rule-example">
                    <p>{rule.remedy}</p>
                    {rule.example && (
                      <div className="hand-row">
                        <pre aria-label="Breaks the rule">{rule.example}</pre>
                        <pre aria-label="Put right">{rule.better}</pre>
                      </div>
                    )}
                  </div>
                )}
              </td>
              <td>
                {rule.fixed ? (
                  <span className="quiet" title="What follows its finding is not verified">
                    always on
                  </span>
                ) : (
                  <Select size="small" value={rule.setting} options={SETTINGS} onChange={(setting) => void set(rule, setting)} aria-label={rule.id} popupMatchSelectWidth={false} className={rule.setting ? "rule-set" : undefined} />
                )}
              </td>
            </tr>
          ))}
        </tbody>
      </table>
      {!shown.length && <p className="quiet">No rule has these words.</p>}
    </main>
  );
}
