import { Alert, Typography } from "antd";

/** What is shown this once and nowhere again: a token's secret, an invitation's link, spare codes. */
export function Shown({ title, secret, onDone }: { title: string; secret: string; onDone: () => void }) {
  return (
    <Alert
      type="success"
      className="secret"
      title={`${title}: shown this once`}
      description={<Typography.Text code copyable={{ text: secret, tooltips: ["Copy", "Copied"] }}>{secret}</Typography.Text>}
      closable={{ onClose: onDone }}
    />
  );
}
