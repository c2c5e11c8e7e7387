// Which program is on the desk, and what can be done with the job's programs: bring in, begin, take out, save as a file.

import { App, Button, Dropdown, Form, Input, Modal, Select } from "antd";
import { useRef, useState } from "react";

import type { JobData } from "../api/client";
import { canGo, freeChannels, programsOf, type Program } from "./programs";

interface Props {
  job: JobData;
  name: string;
  channels: readonly number[];
  dialects: readonly string[];
  onName: (name: string) => void;
  onBring: (files: File[]) => void;
  onBegin: (name: string, channel: number, dialect: string | null) => void; // dialect null: called by that channel
  onTake: (program: Program) => void;
  onSave: () => void;
}

export function Programs({ job, name, channels, dialects, onName, onBring, onBegin, onTake, onSave }: Props) {
  const { modal } = App.useApp();
  const files = useRef<HTMLInputElement>(null);
  const [begins, setBegins] = useState(false);
  const programs = programsOf(job);
  const program = programs.find((item) => item.name === name)!;
  const take = () =>
    modal.confirm({
      title: `Take ${name} out of the job?`,
      content: program.main ? `Channel ${program.channel} goes with all that it calls. Nothing is kept until you keep a revision.` : "Nothing is kept until you keep a revision.",
      okText: "Take out",
      cancelText: "Leave it",
      onOk: () => onTake(program),
    });
  return (
    <>
      {programs.length > 1 ? (
        <Select size="small" value={name} onChange={onName} popupMatchSelectWidth={false} aria-label="Program" options={programs.map((item) => ({ value: item.name, label: labelOf(item, programs) }))} />
      ) : (
        <b>{name}</b>
      )}
      <Dropdown
        trigger={["click"]}
        menu={{
          items: [
            { key: "save", label: `Save ${name} as a file` },
            { key: "bring", label: "Bring in programs…" },
            { key: "begin", label: "Begin a program…" },
            { type: "divider" },
            { key: "take", label: `Take ${name} out`, disabled: !canGo(job, program) },
          ],
          onClick: ({ key }) => {
            if (key === "save") onSave();
            else if (key === "bring") files.current?.click();
            else if (key === "begin") setBegins(true);
            else take();
          },
        }}
      >
        <Button size="small">Programs</Button>
      </Dropdown>
      <input
        ref={files}
        type="file"
        multiple
        hidden
        data-testid="bring-programs"
        onChange={(event) => {
          onBring([...(event.target.files ?? [])]);
          event.target.value = "";
        }}
      />
      {begins && (
        <Begin
          taken={programs.map((item) => item.name)}
          used={[...new Set(programs.map(({ channel }) => channel))]}
          free={freeChannels(job, channels)}
          dialects={dialects}
          dialect={program.dialect}
          onClose={() => setBegins(false)}
          onBegin={(...asked) => {
            setBegins(false);
            onBegin(...asked);
          }}
        />
      )}
    </>
  );
}

function labelOf({ name, main, channel }: Program, programs: Program[]): string {
  const several = programs.some((other) => other.channel !== channel);
  return `${several ? `${channel} · ` : ""}${name}${main ? "" : " (called)"}`;
}

interface BeginProps {
  taken: string[];
  used: number[];
  free: number[];
  dialects: readonly string[];
  dialect: string;
  onClose: () => void;
  onBegin: Props["onBegin"];
}

/** A program to be written here: one that a channel calls, or the main one of a channel that has none. */
function Begin({ taken, used, free, dialects, dialect, onClose, onBegin }: BeginProps) {
  const [form] = Form.useForm<{ name: string; place: string; dialect: string }>();
  const place = Form.useWatch("place", form) ?? `called ${used[0]}`;
  return (
    <Modal open title="Begin a program" okText="Begin" onCancel={onClose} onOk={() => form.submit()} width={420}>
      <Form
        form={form}
        layout="vertical"
        initialValues={{ place: `called ${used[0]}`, dialect }}
        onFinish={(asked) => {
          const [kind, channel] = asked.place.split(" ");
          onBegin(asked.name.trim(), Number(channel), kind === "main" ? asked.dialect : null);
        }}
      >
        <Form.Item
          name="name"
          label="File name"
          rules={[
            { required: true, message: "Give the program a file name, for example O7000.nc" },
            { pattern: /^[\w .+-]{1,120}$/, message: "Letters, digits, blanks, point, + and -" },
            { validator: (_, value: string) => (taken.includes((value ?? "").trim()) ? Promise.reject(new Error("The job has a program of this name")) : Promise.resolve()) },
          ]}
        >
          <Input autoFocus placeholder="O7000.nc" />
        </Form.Item>
        <Form.Item name="place" label="Its place">
          <Select
            options={[
              ...used.map((channel) => ({ value: `called ${channel}`, label: used.length > 1 || free.length ? `called by channel ${channel}` : "called by the main program" })),
              ...free.map((channel) => ({ value: `main ${channel}`, label: `main program of channel ${channel}` })),
            ]}
          />
        </Form.Item>
        {place.startsWith("main") && (
          <Form.Item name="dialect" label="Dialect">
            <Select options={dialects.map((value) => ({ value, label: value }))} />
          </Form.Item>
        )}
      </Form>
    </Modal>
  );
}
