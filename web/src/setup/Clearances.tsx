import { AutoComplete, Button, InputNumber, Switch } from "antd";

import type { JobData } from "../api/client";
import type { Description } from "../replay/replay";

interface Rule {
  between: [string, string];
  near?: number | null;
  off?: boolean;
}
interface Checks {
  resolution?: number;
  gouge?: number;
  excess?: number;
  near?: number;
  near_stock?: number;
  pairs?: Rule[];
}
const GROUPS = ["machine", "fixture", "part", "tool", "cutter", "shank", "holder", "insert"];
const USUAL: Required<Omit<Checks, "pairs">> = { resolution: 0.5, gouge: 0.05, excess: 0.3, near: 1, near_stock: 0 };

/** What counts as too close, as a gouge, as material left; and pairs that have a clearance of their own or are not asked. */
export function Clearances({ job, description, onJob }: { job: JobData; description: Description | undefined; onJob: (job: JobData) => void }) {
  const checks = (job.checks ?? {}) as Checks;
  const set = (change: Checks) => onJob({ ...job, checks: { ...checks, ...change } });
  const rules = checks.pairs ?? [];
  const setRules = (next: Rule[]) => set({ pairs: next });
  const names = [...GROUPS, ...new Set((description?.bodies ?? []).map((body) => (body.tool ? `T${body.tool} ${body.name}` : body.name)))].map((value) => ({ value }));
  const figure = (label: string, key: keyof typeof USUAL) => (
    <label>
      {label}
      <InputNumber size="small" min={key === "resolution" ? 0.01 : 0} controls={false} suffix="mm" value={checks[key] ?? USUAL[key]} aria-label={label} onChange={(value) => set({ [key]: value ?? USUAL[key] })} />
    </label>
  );
  const change = (i: number, part: Partial<Rule>) => setRules(rules.map((rule, k) => (k === i ? { ...rule, ...part } : rule)));
  return (
    <div className="run-with">
      <h4>Checked for</h4>
      <div className="measures">
        {figure("two bodies stay apart by", "near")}
        {figure("holder, shank and machine from stock by", "near_stock")}
        {figure("gouge of the design beyond", "gouge")}
        {figure("material left on it beyond", "excess")}
        {figure("grid that the stock is worked out on", "resolution")}
      </div>
      <div className="hand-row">
        <h4>Pairs with a clearance of their own</h4>
        <span className="grow" />
        <Button size="small" onClick={() => setRules([...rules, { between: ["holder", "fixture"], near: 2 }])}>
          Add
        </Button>
      </div>
      {!rules.length && <p className="quiet">None: every pair is asked for the clearance above.</p>}
      {rules.map((rule, i) => (
        <div key={i} className="pair-rule">
          {([0, 1] as const).map((side) => (
            <AutoComplete
              key={side}
              size="small"
              value={rule.between[side]}
              options={names}
              filterOption={(typed, option) => (option?.value ?? "").toLowerCase().includes(typed.toLowerCase())}
              popupMatchSelectWidth={200}
              aria-label={`Pair ${i + 1}, ${side ? "second" : "first"}`}
              onChange={(value: string) => change(i, { between: side ? [rule.between[0], value] : [value, rule.between[1]] })}
            />
          ))}
          <InputNumber size="small" min={0} controls={false} disabled={rule.off} value={rule.near ?? undefined} placeholder={`${checks.near ?? USUAL.near}`} aria-label={`Pair ${i + 1}, clearance`} onChange={(value) => change(i, { near: value })} />
          <Switch size="small" checked={!rule.off} title={rule.off ? "not asked" : "asked"} aria-label={`Pair ${i + 1}, asked`} onChange={(on) => change(i, { off: !on })} />
          <Button size="small" type="text" aria-label={`Remove pair ${i + 1}`} onClick={() => setRules(rules.filter((_rule, k) => k !== i))}>
            ✕
          </Button>
        </div>
      ))}
      {rules.some((rule) => rule.off) && <p className="quiet">Pairs that are off are not asked for contact at all; the verdict says so.</p>}
    </div>
  );
}
