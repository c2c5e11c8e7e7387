import { useQuery } from "@tanstack/react-query";
import { Alert, Button, Form, Input, InputNumber, Modal, Select, Switch } from "antd";
import { useState } from "react";

import { api, type Job, type NewJob } from "../api/client";
import { useDrop } from "./useDrop";

const DIALECTS = [
  { value: "iso-mill", label: "iso-mill, milling" },
  { value: "iso-turn", label: "iso-turn, turning, code system A" },
  { value: "iso-turn-b", label: "iso-turn-b, turning, code system B" },
  { value: "rs274", label: "rs274, with o-words" },
];
const BARE = [
  { value: "mm", label: "is 100 mm" },
  { value: "increment", label: "is 0.100 mm" },
];
type Role = NonNullable<NewJob["bodies"]>[number]["role"];
type Triple = [number, number, number];

const PROGRAM = /\.(nc|tap|txt|iso|mpf|cnc|eia|min|prg)$/i;
const MODEL = /\.(stl|3mf|glb|step|stp)$/i;
const ROLES: { value: Role; label: string }[] = [
  { value: "fixture", label: "fixture" },
  { value: "stock", label: "stock" },
  { value: "design", label: "design: what the stock becomes" },
  { value: "part", label: "part in the way" },
];

interface Props {
  open: boolean;
  onClose: () => void;
  onDone: (job: Job) => void;
}

interface Model {
  role: Role;
  at: Triple;
}

/** A new job by picking a machine and dropping program, tools and models; lengths in mm, in the frame of the table. */
export function ComposeJob({ open, onClose, onDone }: Props) {
  const library = useQuery({ queryKey: ["library"], queryFn: api.library, enabled: open });
  const [files, setFiles] = useState<File[]>([]);
  const [models, setModels] = useState<Record<string, Model>>({});
  const [failure, setFailure] = useState("");
  const [busy, setBusy] = useState(false);
  const [form] = Form.useForm();
  const programs = files.filter((file) => PROGRAM.test(file.name));
  const meshes = files.filter((file) => MODEL.test(file.name));
  const others = files.filter((file) => !PROGRAM.test(file.name) && !MODEL.test(file.name) && file.name !== "tools.json");
  const ownTools = files.some((file) => file.name === "tools.json");

  const take = (list: FileList | null) => {
    const added = Array.from(list ?? []);
    setFiles((old) => [...old.filter((file) => !added.some((a) => a.name === file.name)), ...added]);
    setModels((old) => {
      const next = { ...old };
      for (const { name } of added) {
        if (!MODEL.test(name)) continue;
        next[name] ??= { role: /design|part|final/i.test(name) ? "design" : /stock|blank/i.test(name) ? "stock" : "fixture", at: [0, 0, 0] };
      }
      return next;
    });
    const first = added.find((file) => PROGRAM.test(file.name));
    if (first && !form.getFieldValue("program")) form.setFieldValue("program", first.name);
    if (first && !form.getFieldValue("name")) form.setFieldValue("name", first.name.replace(/\.[^.]+$/, ""));
  };
  const drop = useDrop((data) => take(data.files));
  const send = async (values: Record<string, never>) => {
    setBusy(true);
    setFailure("");
    const spec: NewJob = {
      name: values.name,
      machine: values.machine,
      tools: ownTools ? null : (values.tools ?? null),
      program: values.program,
      library: programs.map((file) => file.name).filter((name) => name !== values.program),
      dialect: values.dialect,
      bare_numbers: values.bareNumbers,
      block: values.hasBlock ? (values.block as Triple) : null,
      block_at: (values.blockAt as Triple) ?? [0, 0, 0],
      bodies: meshes.map((file) => ({
        file: file.name,
        name: file.name.replace(/\.[^.]+$/, ""),
        role: models[file.name].role,
        at: models[file.name].at,
        turn: [0, 0, 0],
      })),
      datum: (values.datum as Triple) ?? [0, 0, 0],
      resolution: values.resolution,
      gouge: values.gouge,
      excess: values.excess,
      near: values.near,
    };
    try {
      onDone(await api.compose(spec, files));
      setFiles([]);
      setModels({});
      form.resetFields();
    } catch (error) {
      setFailure((error as Error).message);
    } finally {
      setBusy(false);
    }
  };
  const pick = (kind: "machine" | "tools") =>
    (library.data ?? []).filter((file) => file.kind === kind).map((file) => ({ value: file.id, label: `${file.name} (${file.number})` }));
  const required = (message: string) => [{ required: true, message }];

  return (
    <Modal open={open} title="New job" okText="Take it in" onOk={() => form.submit()} onCancel={onClose} confirmLoading={busy} width={840}>
      <Form
        form={form}
        layout="vertical"
        size="small"
        requiredMark={false}
        className="compose"
        onFinish={send}
        initialValues={{ dialect: "iso-mill", bareNumbers: "mm", hasBlock: true, block: [100, 100, 30], blockAt: [0, 0, 15], datum: [0, 0, 30], resolution: 0.5, gouge: 0.05, excess: 0.3, near: 1 }}
      >
        <label
          className={drop.over ? "drop over" : "drop"}
          {...drop.handlers}
        >
          <input type="file" multiple className="unseen" onChange={(event) => take(event.target.files)} aria-label="Files of the job" />
          {files.length ? files.map((file) => file.name).join(", ") : "Drop programs, models and, if you have one, a tools.json here, or click to choose"}
        </label>
        {others.length > 0 && (
          <Alert type="warning" title={`Not a program or model known here: ${others.map((file) => file.name).join(", ")}`} />
        )}
        <div className="compose-row">
          <Form.Item name="name" label="Name" rules={required("A name for the job")}>
            <Input />
          </Form.Item>
          <Form.Item name="machine" label="Machine" rules={required("Pick a machine")}>
            <Select options={pick("machine")} loading={library.isPending} />
          </Form.Item>
          <Form.Item name="tools" label="Tools" rules={ownTools ? [] : required("Pick a tool table, or drop a tools.json")}>
            <Select options={pick("tools")} disabled={ownTools} placeholder={ownTools ? "the dropped tools.json" : ""} />
          </Form.Item>
        </div>
        <div className="compose-row">
          <Form.Item name="program" label="Main program" rules={required("Drop a program")}>
            <Select options={programs.map((file) => ({ value: file.name, label: file.name }))} />
          </Form.Item>
          <Form.Item name="dialect" label="Language">
            <Select options={DIALECTS} popupMatchSelectWidth={false} />
          </Form.Item>
          <Form.Item name="bareNumbers" label="X100 without a point">
            <Select options={BARE} popupMatchSelectWidth={false} />
          </Form.Item>
        </div>
        <div className="compose-row triples">
          <Form.Item name="hasBlock" label="Box-shaped blank" valuePropName="checked">
            <Switch />
          </Form.Item>
          <Form.Item noStyle shouldUpdate={(a, b) => a.hasBlock !== b.hasBlock}>
            {() =>
              form.getFieldValue("hasBlock") && (
                <>
                  <Form.Item name="block" label="Size X Y Z">
                    <Numbers label="Size" />
                  </Form.Item>
                  <Form.Item name="blockAt" label="Its middle at">
                    <Numbers label="Middle" />
                  </Form.Item>
                </>
              )
            }
          </Form.Item>
          <Form.Item name="datum" label="Program zero (G54) at">
            <Numbers label="Program zero" />
          </Form.Item>
        </div>
        <p className="quiet">Millimetres, in the frame of the machine's table: its origin on the table's top, axes as the tool moves.</p>
        {meshes.map((file) => (
          <div className="compose-model" key={file.name}>
            <b>{file.name}</b>
            <Select
              value={models[file.name].role}
              options={ROLES}
              aria-label={`What ${file.name} is`}
              onChange={(role: Role) => setModels({ ...models, [file.name]: { ...models[file.name], role } })}
            />
            <span>at</span>
            <Numbers
              label={file.name}
              value={models[file.name].at}
              onChange={(at) => setModels({ ...models, [file.name]: { ...models[file.name], at } })}
            />
          </div>
        ))}
        <div className="compose-row">
          {(
            [
              ["resolution", "Material grid"],
              ["gouge", "Too deep beyond"],
              ["excess", "Left on beyond"],
              ["near", "Clearance wanted"],
            ] as const
          ).map(([name, label]) => (
            <Form.Item key={name} name={name} label={label} rules={required("A length in mm")}>
              <InputNumber min={name === "resolution" ? 0.05 : 0} step={0.05} suffix="mm" />
            </Form.Item>
          ))}
        </div>
        {failure && <Alert type="error" title="The job was not taken in" description={failure} />}
      </Form>
      {library.isError && <Alert type="error" title={library.error.message} action={<Button onClick={() => library.refetch()}>Try again</Button>} />}
    </Modal>
  );
}

function Numbers({ label, value, onChange }: { label: string; value?: Triple; onChange?: (value: Triple) => void }) {
  const now = value ?? [0, 0, 0];
  return (
    <span className="numbers">
      {(["X", "Y", "Z"] as const).map((axis, i) => (
        <InputNumber
          key={axis}
          aria-label={`${label} ${axis}`}
          value={now[i]}
          controls={false}
          onChange={(number) => onChange?.(now.map((old, k) => (k === i ? (number ?? 0) : old)) as Triple)}
        />
      ))}
    </span>
  );
}
