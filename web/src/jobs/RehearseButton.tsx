import { Button, Dropdown, Space } from "antd";

export type Run = "full" | "quick";

interface Props {
  busy?: boolean;
  label?: string;
  onRun: (run: Run) => void;
}

/** The one button that all work ends at; beside it a quick look, for whoever wants to know soon what is wrong. */
export function RehearseButton({ busy, label = "Rehearse", onRun }: Props) {
  return (
    <Space.Compact size="small">
      <Button type="primary" loading={busy} onClick={() => onRun("full")}>
        {label}
      </Button>
      <Dropdown
        trigger={["click"]}
        placement="bottomRight"
        disabled={busy}
        menu={{
          items: [{ key: "quick", label: <span title="The material on a coarse grid, and on the job's own only where something is found. It is never clear.">Quick look</span> }],
          onClick: () => onRun("quick"),
        }}
      >
        <Button type="primary" aria-label="Other ways">
          ▾
        </Button>
      </Dropdown>
    </Space.Compact>
  );
}
