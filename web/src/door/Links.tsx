// What a letter's link opens: an invitation, or a new password.

import { useQuery } from "@tanstack/react-query";
import { Alert, Button, Form, Input, Spin } from "antd";
import { useState } from "react";

import { api, type Me } from "../api/client";
import { Door } from "./Door";
import { useTry } from "./useTry";

const NEW = [{ required: true, message: "A password" }];

export const MAY = { reads: "look at everything, and change nothing", works: "work: keep jobs and rehearse them", releases: "work, and sign releases", administers: "do everything, also with people" } as const;

function Password({ label }: { label: string }) {
  return (
    <Form.Item name="password" label={label} rules={NEW} extra="At least ten characters.">
      <Input.Password autoComplete="new-password" />
    </Form.Item>
  );
}

export function InvitedIn({ secret, onDone }: { secret: string; onDone: (me: Me) => void }) {
  const told = useQuery({ queryKey: ["invited", secret], queryFn: () => api.invited(secret), retry: false, refetchOnWindowFocus: false });
  const { failure, busy, attempt } = useTry();
  if (told.isPending) return <Spin className="middle" />;
  if (!told.data)
    return (
      <Door said="An invitation">
        <Alert type="error" title={told.error?.message} />
      </Door>
    );
  const { organisation, by, role } = told.data;
  return (
    <Door said={`${by || "Somebody"} asks you in to ${organisation}. There you may ${MAY[role]}.`}>
      <Form layout="vertical" requiredMark={false} onFinish={({ name, password }: { name: string; password: string }) => attempt(async () => onDone(await api.acceptInvitation(secret, name, password)))}>
        <Form.Item name="name" label="The name you want here" rules={[{ required: true, message: "A name" }]}>
          <Input autoFocus autoComplete="username" />
        </Form.Item>
        <Password label="A password of your own" />
        {failure && <Alert type="error" title={failure} style={{ marginBottom: 16 }} />}
        <Button type="primary" htmlType="submit" loading={busy} block>
          Come in
        </Button>
      </Form>
    </Door>
  );
}

export function NewPassword({ who, token, onDone }: { who: string; token: string; onDone: () => void }) {
  const { failure, busy, attempt } = useTry();
  const [done, setDone] = useState(false);
  return (
    <Door said="A new password">
      {done ? (
        <>
          <Alert type="success" title="It is set. Wherever you were signed in you are not any more." style={{ marginBottom: 16 }} />
          <Button type="primary" block onClick={onDone}>
            Sign in
          </Button>
        </>
      ) : (
        <Form layout="vertical" requiredMark={false} onFinish={({ password }: { password: string }) => attempt(() => api.newPassword(who, token, password).then(() => setDone(true)))}>
          <Password label="New password" />
          {failure && <Alert type="error" title={failure} style={{ marginBottom: 16 }} />}
          <Button type="primary" htmlType="submit" loading={busy} block>
            Set it
          </Button>
        </Form>
      )}
    </Door>
  );
}
