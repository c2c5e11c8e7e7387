import { Alert, Button, Form, Input } from "antd";
import { useState } from "react";

import { api, type Me } from "./api/client";

export function SignIn({ onDone }: { onDone: (me: Me) => void }) {
  const [failure, setFailure] = useState("");
  const [busy, setBusy] = useState(false);
  const enter = async ({ name, password }: { name: string; password: string }) => {
    setBusy(true);
    setFailure("");
    try {
      onDone(await api.signIn(name, password));
    } catch (error) {
      setFailure((error as Error).message);
    } finally {
      setBusy(false);
    }
  };
  return (
    <div className="sign-in">
      <img src="/mark.svg" width="44" alt="" />
      <h1>Blunt Mirror</h1>
      <p className="quiet">May this program run?</p>
      <Form layout="vertical" onFinish={enter} requiredMark={false}>
        <Form.Item name="name" label="Name" rules={[{ required: true, message: "Your name" }]}>
          <Input autoFocus autoComplete="username" />
        </Form.Item>
        <Form.Item name="password" label="Password" rules={[{ required: true, message: "Your password" }]}>
          <Input.Password autoComplete="current-password" />
        </Form.Item>
        {failure && <Alert type="error" title={failure} style={{ marginBottom: 16 }} />}
        <Button type="primary" htmlType="submit" loading={busy} block>
          Sign in
        </Button>
      </Form>
    </div>
  );
}
