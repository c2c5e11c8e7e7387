// Signing in: name and password, then the code of the second factor where there is one; or a letter to set a new password.

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
  const enter = ({ name, password, code }: Typed) =>
    attempt(async () => {
      const me = await api.signIn(name, password, code);
      if (me) onDone(me);
      else setSecond(true);
    });
  if (forgotten) return <Forgotten onBack={() => setForgotten(false)} />;
  return (
    <Door said="May this program run?">
      <Form layout="vertical" onFinish={enter} requiredMark={false}>
        <Form.Item name="name" label="Name" rules={[{ required: true, message: "Your name" }]}>
          <Input autoFocus autoComplete="username" disabled={second} />
        </Form.Item>
        <Form.Item name="password" label="Password" rules={[{ required: true, message: "Your password" }]}>
          <Input.Password autoComplete="current-password" disabled={second} />
        </Form.Item>
        {second && (
          <Form.Item name="code" label="Code of your second factor, or a spare one" rules={[{ required: true, message: "The code that your device shows" }]}>
            <Input autoFocus autoComplete="one-time-code" inputMode="numeric" />
          </Form.Item>
        )}
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
