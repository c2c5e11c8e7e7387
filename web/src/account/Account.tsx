// One's own account: the password, the second factor, and where one is signed in.

import { useQuery } from "@tanstack/react-query";
import { Alert, App, Button, Form, Input, Spin } from "antd";
import { useState } from "react";

import { api, type Account as Told, type Me } from "../api/client";
import { Shown } from "../access/Shown";
import { useAct } from "../pane/useAct";

const MOMENT = new Intl.DateTimeFormat("en-GB", { dateStyle: "medium", timeStyle: "short" });

const CHANGED = ["account"];

function Password() {
  const { message } = App.useApp();
  const [form] = Form.useForm();
  const change = useAct(
    CHANGED,
    ({ old, fresh }: { old: string; fresh: string }) => api.changePassword(old, fresh),
    () => {
      form.resetFields();
      message.success("Your password is changed; wherever else you were signed in you are not any more.");
    },
  );
  return (
    <section>
      <h3>Password</h3>
      <Form form={form} layout="inline" size="small" onFinish={(typed: { old: string; fresh: string }) => change.mutate(typed)}>
        <Form.Item name="old" rules={[{ required: true, message: "the one you have" }]}>
          <Input.Password placeholder="the one you have" aria-label="The password you have" autoComplete="current-password" />
        </Form.Item>
        <Form.Item name="fresh" rules={[{ required: true, message: "at least ten characters" }]}>
          <Input.Password placeholder="a new one" aria-label="A new password" autoComplete="new-password" />
        </Form.Item>
        <Button size="small" htmlType="submit" loading={change.isPending}>
          Change it
        </Button>
      </Form>
    </section>
  );
}

/** A field for a code, and what is done with it. */
function Code({ act, label, onCode, busy }: { act: string; label: string; onCode: (code: string) => void; busy: boolean }) {
  return (
    <Form layout="inline" size="small" onFinish={({ code }: { code: string }) => onCode(code)}>
      <Form.Item name="code" rules={[{ required: true, message: "the code" }]}>
        <Input placeholder="code" aria-label={label} autoComplete="one-time-code" inputMode="numeric" style={{ width: 110 }} />
      </Form.Item>
      <Button size="small" htmlType="submit" loading={busy}>
        {act}
      </Button>
    </Form>
  );
}

function Second({ told }: { told: Told }) {
  const [spare, setSpare] = useState<string[] | null>(null);
  const begin = useAct(CHANGED, () => api.beginSecond());
  const confirm = useAct(
    CHANGED,
    (code: string) => api.confirmSecond(code),
    ({ codes }) => {
      begin.reset();
      setSpare(codes);
    },
  );
  const off = useAct(CHANGED, (code: string) => api.secondOff(code));
  return (
    <section>
      <h3>Second factor</h3>
      {spare && <Shown title="Spare codes for the day the device is lost, each holds once; keep them somewhere safe" secret={spare.join("  ")} onDone={() => setSpare(null)} />}
      {told.second ? (
        <>
          <p className="quiet">On. {told.spare} spare codes are left. To turn it off, type a code.</p>
          <Code act="Turn off" label="Code to turn the second factor off" onCode={(code) => off.mutate(code)} busy={off.isPending} />
        </>
      ) : begin.data ? (
        <div className="second">
          <div className="qr" role="img" aria-label="The secret as a picture" dangerouslySetInnerHTML={{ __html: begin.data.picture }} />
          <div>
            <p>Scan this with an app that shows codes, or type its secret there: <code>{new URL(begin.data.address).searchParams.get("secret")}</code></p>
            <p className="quiet">Then type the code that it shows.</p>
            <Code act="Turn on" label="Code that the device shows" onCode={(code) => confirm.mutate(code)} busy={confirm.isPending} />
          </div>
        </div>
      ) : (
        <>
          <p className="quiet">Off. With it a password alone lets nobody in: a device of yours shows a code that goes with the time.</p>
          <Button size="small" onClick={() => begin.mutate(undefined)} loading={begin.isPending}>
            Set it up
          </Button>
        </>
      )}
    </section>
  );
}

function Seats({ told }: { told: Told }) {
  const end = useAct(CHANGED, (id: number) => api.endSeat(id));
  return (
    <section>
      <h3>Signed in</h3>
      <table className="job-table">
        <thead>
          <tr>
            <th>From</th>
            <th>Browser</th>
            <th>Since</th>
            <th>Last seen</th>
            <th />
          </tr>
        </thead>
        <tbody>
          {told.seats.map((seat) => (
            <tr key={seat.id} className="first">
              <td>{seat.address}</td>
              <td className="browser">{seat.browser || <span className="quiet">not told</span>}</td>
              <td>{MOMENT.format(new Date(seat.begun))}</td>
              <td>{MOMENT.format(new Date(seat.seen))}</td>
              <td>
                {seat.here ? (
                  <span className="quiet">here</span>
                ) : (
                  <Button size="small" onClick={() => end.mutate(seat.id)} aria-label={`Sign out at ${seat.address}`}>
                    Sign out there
                  </Button>
                )}
              </td>
            </tr>
          ))}
        </tbody>
      </table>
    </section>
  );
}

export function Account({ me }: { me: Me }) {
  const told = useQuery({ queryKey: ["account"], queryFn: api.account });
  if (told.isError) return <Alert className="middle" type="error" title={told.error.message} />;
  if (!told.data) return <Spin className="middle" />;
  return (
    <main className="jobs access">
      <div className="jobs-head">
        <h2>{me.name}</h2>
        <span className="quiet">
          {me.role} at {me.organisation}
          {told.data.mail && `, ${told.data.mail}`}
        </span>
      </div>
      <Password />
      <Second told={told.data} />
      <Seats told={told.data} />
    </main>
  );
}
