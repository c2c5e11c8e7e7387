// Signing in: name and password, or through a provider elsewhere, then the code of the second factor where there is one; or a letter to set
// a new password.

import { useQuery } from "@tanstack/react-query";
import { Alert, Button, Form, Input } from "antd";
import { useState } from "react";

import { api, type Me } from "../api/client";
import { Door } from "./Door";
import { useTry } from "./useTry";

interface Typed {
  name: string;
  password: string;
  code?: string;
}

export function SignIn({ onDone }: { onDone: (me: Me) => void }) {
  const { failure, busy, attempt } = useTry();
  const [second, setSecond] = useState(false);
  const [forgotten, setForgotten] = useState(false);
  const [byPassword, setByPassword] = useState(false);
  const enter = ({ name, password, code }: Typed) =>
    attempt(async () => {
      const me = await api.signIn(name, password, code);
      if (me) onDone(me);
      else setSecond(true);
    });
  const elsewhere = useQuery({ queryKey: ["elsewhere"], queryFn: api.elsewhere, staleTime: Infinity, gcTime: 0, retry: false }).data;
  if (elsewhere?.code && !byPassword) return <CodeAlone onDone={onDone} onBack={() => setByPassword(true)} />;
  if (forgotten) return <Forgotten onBack={() => setForgotten(false)} />;
  return (
    <Door said="May this program run?">
      {elsewhere?.said && <Alert type="error" title={elsewhere.said} style={{ marginBottom: 16 }} />}
      {elsewhere?.name && !second && (
        <>
          <Button block href="/api/elsewhere/begin">
            Sign in with {elsewhere.name}
          </Button>
          <p className="quiet sign-in-or">or with a password</p>
        </>
      )}
      <Form layout="vertical" onFinish={enter} requiredMark={false}>
        <Form.Item name="name" label="Name" rules={[{ required: true, message: "Your name" }]}>
          <Input autoFocus autoComplete="username" disabled={second} />
        </Form.Item>
        <Form.Item name="password" label="Password" rules={[{ required: true, message: "Your password" }]}>
          <Input.Password autoComplete="current-password" disabled={second} />
        </Form.Item>
        {second && <Code />}
        {failure && <Alert type="error" title={failure} style={{ marginBottom: 16 }} />}
        <Button type="primary" htmlType="submit" loading={busy} block>
          Sign in
        </Button>
        {!second && (
          <Button type="link" block onClick={() => setForgotten(true)}>
            Password forgotten
          </Button>
        )}
      </Form>
    </Door>
  );
}

function Code() {
  return (
    <Form.Item name="code" label="Code of your second factor, or a spare one" rules={[{ required: true, message: "The code that your device shows" }]}>
      <Input autoFocus autoComplete="one-time-code" inputMode="numeric" />
    </Form.Item>
  );
}

/** The second factor of somebody whom a provider elsewhere has let in. */
function CodeAlone({ onDone, onBack }: { onDone: (me: Me) => void; onBack: () => void }) {
  const { failure, busy, attempt } = useTry();
  return (
    <Door said="One step more">
      <Form layout="vertical" requiredMark={false} onFinish={({ code }: { code: string }) => attempt(() => api.elsewhereCode(code).then(onDone))}>
        <Code />
        {failure && <Alert type="error" title={failure} style={{ marginBottom: 16 }} />}
        <Button type="primary" htmlType="submit" loading={busy} block>
          Sign in
        </Button>
        <Button type="link" block onClick={onBack}>
          Back
        </Button>
      </Form>
    </Door>
  );
}

function Forgotten({ onBack }: { onBack: () => void }) {
  const { failure, busy, attempt } = useTry();
  const [sent, setSent] = useState(false);
  return (
    <Door said="A new password, by a letter">
      {sent ? (
        <Alert type="success" title="If this name is known here and has an address, a letter with a link is on its way. Without an address, ask somebody who administers." />
      ) : (
        <Form layout="vertical" requiredMark={false} onFinish={({ name }: { name: string }) => attempt(() => api.forgotten(name).then(() => setSent(true)))}>
          <Form.Item name="name" label="Your name or address" rules={[{ required: true, message: "Your name or address" }]}>
            <Input autoFocus autoComplete="username" />
          </Form.Item>
          {failure && <Alert type="error" title={failure} style={{ marginBottom: 16 }} />}
          <Button type="primary" htmlType="submit" loading={busy} block>
            Send the letter
          </Button>
        </Form>
      )}
      <Button type="link" block onClick={onBack}>
        Back
      </Button>
    </Door>
  );
}
