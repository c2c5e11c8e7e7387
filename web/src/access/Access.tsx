// What other people's systems come in with, and what they are told: tokens and hooks.

import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { Alert, App, Button, Checkbox, Form, Input, Select, Spin } from "antd";
import { useState } from "react";

import { api, type AccessTold, type Me } from "../api/client";
import { Shown } from "./Shown";

const DAY = new Intl.DateTimeFormat("en-GB", { dateStyle: "medium" });
const MOMENT = new Intl.DateTimeFormat("en-GB", { dateStyle: "medium", timeStyle: "short" });
const DAYS = [30, 90, 365, 730];
const EVENTS = [
  ["finished", "a rehearsal has ended"],
  ["released", "a release was signed"],
  ["withdrawn", "a release was withdrawn"],
] as const;
const STATES = { holds: "holds", over: "over", revoked: "revoked" } as const;

type Hook = AccessTold["hooks"][number];
type Event = (typeof EVENTS)[number][0];

/** How the last thing that a hook was told went, in words. */
export function wentHow(hook: Hook): string {
  const [last] = hook.deliveries;
  if (!last) return "nothing has been sent yet";
  const when = MOMENT.format(new Date(last.at));
  if (last.answered !== null && last.answered < 300) return `taken (${last.answered}), ${when}`;
  const why = last.answered === null ? last.error || "on its way" : `answered ${last.answered}`;
  return `${why}, ${last.attempts} of 5 attempts, ${when}`;
}

function Tokens({ told, me, onChange }: { told: AccessTold; me: Me; onChange: () => void }) {
  const { message } = App.useApp();
  const [made, setMade] = useState<{ what: string; secret: string } | null>(null);
  const said = (error: Error) => void message.error(error.message);
  const make = useMutation({
    mutationFn: (wanted: { name: string; role: "reads" | "works"; days: number }) => api.makeToken(wanted),
    onSuccess: (row) => {
      setMade({ what: row.name, secret: row.secret });
      onChange();
    },
    onError: said,
  });
  const revoke = useMutation({ mutationFn: (id: number) => api.revokeToken(id), onSuccess: onChange, onError: said });
  return (
    <section>
      <h3>Tokens</h3>
      <p className="quiet">A system signs in with one: a CI of NC programs, a post that wants a verdict. It may do no more than its owner, and never sign a release.</p>
      {made && <Shown title={`The secret of ${made.what}`} secret={made.secret} onDone={() => setMade(null)} />}
      <Form layout="inline" size="small" initialValues={{ role: "works", days: 365 }} onFinish={(wanted: { name: string; role: "reads" | "works"; days: number }) => make.mutate(wanted)}>
        <Form.Item name="name" rules={[{ required: true, message: "a name, to know it again" }]}>
          <Input placeholder="name: what it is for" aria-label="Name of the token" />
        </Form.Item>
        <Form.Item name="role">
          <Select aria-label="It may" options={[{ value: "reads", label: "reads" }, ...(me.role === "reads" ? [] : [{ value: "works", label: "works" }])]} popupMatchSelectWidth={false} />
        </Form.Item>
        <Form.Item name="days">
          <Select aria-label="It ends in" options={DAYS.map((value) => ({ value, label: `${value} days` }))} popupMatchSelectWidth={false} />
        </Form.Item>
        <Button size="small" type="primary" htmlType="submit" loading={make.isPending}>
          Make a token
        </Button>
      </Form>
      <table className="job-table">
        <thead>
          <tr>
            <th>Token</th>
            <th>Of</th>
            <th>It</th>
            <th>Made</th>
            <th>Ends</th>
            <th>Last used</th>
            <th>State</th>
            <th />
          </tr>
        </thead>
        <tbody>
          {told.tokens.map((row) => (
            <tr key={row.id} className={row.state === "holds" ? "first" : "first quiet"}>
              <td>{row.name}</td>
              <td>{row.by}</td>
              <td>{row.role}</td>
              <td>{DAY.format(new Date(row.created))}</td>
              <td>{DAY.format(new Date(row.ends))}</td>
              <td>{row.used ? MOMENT.format(new Date(row.used)) : "never"}</td>
              <td>{STATES[row.state]}</td>
              <td>
                {row.state === "holds" && (
                  <Button size="small" onClick={() => revoke.mutate(row.id)} aria-label={`Revoke ${row.name}`}>
                    Revoke
                  </Button>
                )}
              </td>
            </tr>
          ))}
        </tbody>
      </table>
      {!told.tokens.length && <p className="padded quiet">No token yet.</p>}
    </section>
  );
}

function Hooks({ told, onChange }: { told: AccessTold; onChange: () => void }) {
  const { message } = App.useApp();
  const [made, setMade] = useState<{ what: string; secret: string } | null>(null);
  const said = (error: Error) => void message.error(error.message);
  const make = useMutation({
    mutationFn: (wanted: { url: string; events: Event[] }) => api.makeHook(wanted),
    onSuccess: (row) => {
      setMade({ what: row.url, secret: row.secret });
      onChange();
    },
    onError: said,
  });
  const take = useMutation({ mutationFn: (id: number) => api.takeHookAway(id), onSuccess: onChange, onError: said });
  return (
    <section>
      <h3>Hooks</h3>
      <p className="quiet">An address that is sent a signed POST when something has happened here; where nobody takes it, four times more within the hour.</p>
      {made && <Shown title={`The secret of ${made.what}`} secret={made.secret} onDone={() => setMade(null)} />}
      <Form layout="inline" size="small" initialValues={{ events: ["finished"] }} onFinish={(wanted: { url: string; events: Event[] }) => make.mutate(wanted)}>
        <Form.Item name="url" rules={[{ required: true, message: "its whole address" }]}>
          <Input placeholder="https://host/path" aria-label="Address of the hook" style={{ width: 260 }} />
        </Form.Item>
        <Form.Item name="events" rules={[{ required: true, message: "at least one" }]}>
          <Checkbox.Group options={EVENTS.map(([value, label]) => ({ value, label }))} />
        </Form.Item>
        <Button size="small" type="primary" htmlType="submit" loading={make.isPending}>
          Add a hook
        </Button>
      </Form>
      <table className="job-table">
        <thead>
          <tr>
            <th>Address</th>
            <th>Told when</th>
            <th>Last</th>
            <th />
          </tr>
        </thead>
        <tbody>
          {told.hooks.map((row) => (
            <tr key={row.id} className="first">
              <td>{row.url}</td>
              <td>{row.events.join(", ")}</td>
              <td>{wentHow(row)}</td>
              <td>
                <Button size="small" onClick={() => take.mutate(row.id)} aria-label={`Take ${row.url} away`}>
                  Take away
                </Button>
              </td>
            </tr>
          ))}
        </tbody>
      </table>
      {!told.hooks.length && <p className="padded quiet">No hook yet.</p>}
    </section>
  );
}

export function Access({ me }: { me: Me }) {
  const queries = useQueryClient();
  const told = useQuery({ queryKey: ["access"], queryFn: api.access });
  const changed = () => void queries.invalidateQueries({ queryKey: ["access"] });
  if (told.isError) return <Alert className="middle" type="error" title={told.error.message} />;
  if (!told.data) return <Spin className="middle" />;
  return (
    <main className="jobs access">
      <div className="jobs-head">
        <h2>Access</h2>
        <span className="quiet">for other systems. A job's folder sent with a token gets its verdict: POST /api/verdicts, a zip as “files”, “Authorization: Bearer …”.</span>
      </div>
      <Tokens told={told.data} me={me} onChange={changed} />
      {me.role === "administers" && <Hooks told={told.data} onChange={changed} />}
    </main>
  );
}
