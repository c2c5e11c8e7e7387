// Who belongs to the organisation: what each may do, who is asked in, who has left.

import { useQuery } from "@tanstack/react-query";
import { Alert, Button, Form, Input, Popconfirm, Select, Spin } from "antd";
import { useState } from "react";

import { api, type Me, type People as Told, type Person, type Role, type Site } from "../api/client";
import { Shown } from "../access/Shown";
import { MAY } from "../door/Links";
import { useAct } from "../pane/useAct";

const MOMENT = new Intl.DateTimeFormat("en-GB", { dateStyle: "medium", timeStyle: "short" });
const DAY = new Intl.DateTimeFormat("en-GB", { dateStyle: "medium" });
export const ROLES: Role[] = ["reads", "works", "releases", "administers"];
const STATES = { here: "", out: "has left", forgotten: "forgotten" } as const;

const CHANGED = ["people", "me"];

/** Which site somebody belongs to: 0 is all of them. */
const placesOf = (sites: Site[]) => [{ value: 0, label: "all sites" }, ...sites.map(({ id, name }) => ({ value: id, label: name }))];

const siteOf = (sites: Site[], number: number | null) => sites.find(({ id }) => id === number)?.name ?? "all sites";

interface Wanted {
  mail?: string;
  role: Role;
  site?: number;
}

function Invite({ sites }: { sites: Site[] }) {
  const [made, setMade] = useState<{ title: string; secret: string } | null>(null);
  const [form] = Form.useForm();
  const invite = useAct(
    CHANGED,
    ({ mail, role, site }: Wanted) => api.invite(mail ?? "", role, site || null),
    (row) => {
      setMade({ title: row.sent ? `A letter is on its way to ${row.mail}; its link` : row.mail ? `No letter could be sent to ${row.mail}: hand over the link yourself` : "Hand over this link", secret: row.link });
      form.resetFields();
    },
  );
  return (
    <>
      {made && <Shown {...made} onDone={() => setMade(null)} />}
      <Form form={form} layout="inline" size="small" initialValues={{ role: "works", site: 0 }} onFinish={(wanted: Wanted) => invite.mutate(wanted)}>
        <Form.Item name="mail" rules={[{ type: "email", message: "an address" }]}>
          <Input placeholder="address, or nothing for a link" aria-label="Address of whom to ask in" style={{ width: 230 }} />
        </Form.Item>
        <Form.Item name="role">
          <Select aria-label="What they may" options={ROLES.map((value) => ({ value, label: value }))} popupMatchSelectWidth={false} />
        </Form.Item>
        {!!sites.length && (
          <Form.Item name="site">
            <Select aria-label="The site that they belong to" options={placesOf(sites)} popupMatchSelectWidth={false} />
          </Form.Item>
        )}
        <Button size="small" type="primary" htmlType="submit" loading={invite.isPending}>
          Ask somebody in
        </Button>
      </Form>
    </>
  );
}

function Row({ person, fully, sites }: { person: Person; fully: boolean; sites: Site[] }) {
  const site = useAct(CHANGED, (wanted: number) => api.setPersonSite(person.id, wanted || null));
  const role = useAct(CHANGED, (wanted: Role) => api.setRole(person.id, wanted));
  const act = useAct(CHANGED, (wanted: Parameters<typeof api.person>[1]) => api.person(person.id, wanted));
  const out = person.state !== "here";
  return (
    <tr className={out ? "first quiet" : "first"}>
      <td>
        {person.name}
        {person.you && <span className="quiet"> · you</span>}
      </td>
      <td>
        {fully && !out ? (
          <Select size="small" variant="borderless" aria-label={`What ${person.name} may`} value={person.role} loading={role.isPending} onChange={(wanted) => role.mutate(wanted)} options={ROLES.map((value) => ({ value, label: value }))} popupMatchSelectWidth={false} />
        ) : (
          person.role
        )}
      </td>
      {!!sites.length && (
        <td>
          {fully && !out && person.role !== "administers" ? (
            <Select size="small" variant="borderless" aria-label={`The site of ${person.name}`} value={person.site ?? 0} loading={site.isPending} onChange={(wanted) => site.mutate(wanted)} options={placesOf(sites)} popupMatchSelectWidth={false} />
          ) : (
            siteOf(sites, person.site)
          )}
        </td>
      )}
      {fully && (
        <>
          <td>{person.mail || <span className="quiet">—</span>}</td>
          <td>
            {person.second ? "on" : <span className="quiet">off</span>}
            {person.second && !person.you && (
              <Popconfirm title={`Take off ${person.name}'s second factor?`} description="For somebody whose device is lost: name and password are enough then." okText="Take off" cancelText="Keep" onConfirm={() => act.mutate("second-off")}>
                <Button size="small" type="link">
                  take off
                </Button>
              </Popconfirm>
            )}
          </td>
          <td>{person.last ? MOMENT.format(new Date(person.last)) : <span className="quiet">never</span>}</td>
          <td>
            {STATES[person.state]}
            {person.state === "here" && !person.you && (
              <Popconfirm title={`${person.name} has left?`} description="No sign-in, session or token of theirs holds any more. What they did stays." okText="Take out" cancelText="Keep" onConfirm={() => act.mutate("take-out")}>
                <Button size="small" aria-label={`Take out ${person.name}`}>
                  Take out
                </Button>
              </Popconfirm>
            )}
            {person.state === "out" && (
              <>
                {" "}
                <Button size="small" onClick={() => act.mutate("bring-back")} aria-label={`Bring back ${person.name}`}>
                  Bring back
                </Button>{" "}
                <Popconfirm title={`Forget who ${person.name} was?`} description="Name, address and devices go for good. The record stays whole: what they did stands there under a number." okText="Forget" cancelText="Keep" onConfirm={() => act.mutate("forget")}>
                  <Button size="small" aria-label={`Forget ${person.name}`}>
                    Forget
                  </Button>
                </Popconfirm>
              </>
            )}
          </td>
        </>
      )}
    </tr>
  );
}

function Waiting({ rows, sites }: { rows: Told["invitations"]; sites: Site[] }) {
  const withdraw = useAct(CHANGED, (id: number) => api.withdrawInvitation(id));
  if (!rows.length) return null;
  return (
    <section>
      <h3>Asked in, not here yet</h3>
      <table className="job-table">
        <thead>
          <tr>
            <th>Address</th>
            <th>May</th>
            {!!sites.length && <th>Site</th>}
            <th>Asked by</th>
            <th>Holds until</th>
            <th />
          </tr>
        </thead>
        <tbody>
          {rows.map((row) => (
            <tr key={row.id} className="first">
              <td>{row.mail || <span className="quiet">by hand</span>}</td>
              <td>{row.role}</td>
              {!!sites.length && <td>{siteOf(sites, row.site)}</td>}
              <td>{row.by}</td>
              <td>{DAY.format(new Date(row.ends))}</td>
              <td>
                <Button size="small" onClick={() => withdraw.mutate(row.id)} aria-label={`Take back the invitation of ${row.mail || row.id}`}>
                  Take back
                </Button>
              </td>
            </tr>
          ))}
        </tbody>
      </table>
    </section>
  );
}

/** Plants: whoever belongs to one sees its jobs, and those of no site. */
function Sites({ sites, fully }: { sites: Site[]; fully: boolean }) {
  const [name, setName] = useState("");
  const make = useAct(CHANGED, (wanted: string) => api.makeSite(wanted), () => setName(""));
  const gone = useAct(CHANGED, (id: number) => api.takeSiteAway(id));
  if (!fully && !sites.length) return null;
  return (
    <section>
      <h3>Sites</h3>
      <p className="quiet">Whoever belongs to a site sees its jobs, and those of all sites. A job belongs to the site of whoever brought it in, until somebody who administers gives it to another from its row.</p>
      {!!sites.length && (
        <table className="job-table">
          <thead>
            <tr>
              <th>Site</th>
              <th>People</th>
              <th>Jobs</th>
              <th />
            </tr>
          </thead>
          <tbody>
            {sites.map((site) => (
              <tr key={site.id} className="first">
                <td>{site.name}</td>
                <td>{site.people}</td>
                <td>{site.jobs}</td>
                <td>
                  {fully && (
                    <Button size="small" disabled={site.people + site.jobs > 0} title={site.people + site.jobs > 0 ? "Give its people and jobs another site first" : undefined} onClick={() => gone.mutate(site.id)} aria-label={`Take away ${site.name}`}>
                      Take away
                    </Button>
                  )}
                </td>
              </tr>
            ))}
          </tbody>
        </table>
      )}
      {fully && (
        <form
          onSubmit={(event) => {
            event.preventDefault();
            if (name.trim()) make.mutate(name);
          }}
        >
          <Input size="small" value={name} maxLength={100} placeholder="its name" aria-label="Name of a new site" style={{ width: 230 }} onChange={(event) => setName(event.target.value)} />{" "}
          <Button size="small" htmlType="submit" disabled={!name.trim()} loading={make.isPending}>
            Add a site
          </Button>
        </form>
      )}
    </section>
  );
}

export function People({ me }: { me: Me }) {
  const told = useQuery({ queryKey: ["people"], queryFn: api.people });
  if (told.isError) return <Alert className="middle" type="error" title={told.error.message} />;
  if (!told.data) return <Spin className="middle" />;
  const fully = me.role === "administers";
  return (
    <main className="jobs access">
      <div className="jobs-head">
        <h2>People</h2>
        <span className="quiet">of {me.organisation}</span>
      </div>
      <section>
        {fully && <Invite sites={told.data.sites} />}
        <table className="job-table">
          <thead>
            <tr>
              <th>Name</th>
              <th>May</th>
              {!!told.data.sites.length && <th>Site</th>}
              {fully && (
                <>
                  <th>Address</th>
                  <th>Second factor</th>
                  <th>Last sign-in</th>
                  <th />
                </>
              )}
            </tr>
          </thead>
          <tbody>
            {told.data.people.map((person) => (
              <Row key={person.id} person={person} fully={fully} sites={told.data.sites} />
            ))}
          </tbody>
        </table>
      </section>
      <Waiting rows={told.data.invitations} sites={told.data.sites} />
      <Sites sites={told.data.sites} fully={fully} />
      <section>
        <h3>What each may</h3>
        <dl className="roles">
          {ROLES.map((role) => (
            <div key={role}>
              <dt>{role}</dt>
              <dd className="quiet">{MAY[role]}</dd>
            </div>
          ))}
        </dl>
      </section>
    </main>
  );
}
