import { useQuery, useQueryClient } from "@tanstack/react-query";
import { Alert, App, Modal, Select, Spin } from "antd";
import { useState } from "react";

import { api, type Revision } from "../api/client";
import { Mark } from "../inspector/Mark";

/** Another machine under a job: what fits and what does not, then a new revision on it, rehearsed. */
export function Swap({ revision, onClose, onRehearsal }: { revision: Revision | null; onClose: () => void; onRehearsal: (id: number) => void }) {
  const { message } = App.useApp();
  const queries = useQueryClient();
  const library = useQuery({ queryKey: ["library"], queryFn: api.library, enabled: !!revision });
  const [machine, setMachine] = useState<number | null>(null);
  const [busy, setBusy] = useState(false);
  const fits = useQuery({
    queryKey: ["fits", revision?.id, machine],
    queryFn: () => api.fits(revision!.id, machine!),
    enabled: !!revision && machine !== null,
  });
  const go = async () => {
    setBusy(true);
    try {
      const job = await api.swap(revision!.id, machine!);
      await queries.invalidateQueries({ queryKey: ["jobs"] });
      onRehearsal((await api.rehearse(job.revisions[0].id)).id);
    } catch (error) {
      message.error((error as Error).message);
    } finally {
      setBusy(false);
    }
  };
  return (
    <Modal
      open={!!revision}
      title={`Another machine under revision ${revision?.number ?? ""}`}
      okText="Put it under the job and rehearse"
      okButtonProps={{ disabled: !fits.data, loading: busy }}
      onOk={() => void go()}
      onCancel={onClose}
      width={560}
    >
      <Select
        className="add-kind"
        value={machine}
        placeholder="Pick a machine"
        aria-label="Machine"
        loading={library.isPending}
        onChange={setMachine}
        options={(library.data ?? []).filter((file) => file.kind === "machine").map((file) => ({ value: file.id, label: `${file.name} (${file.number}), ${file.summary}` }))}
      />
      {fits.isFetching && <Spin size="small" />}
      {fits.isError && <Alert type="error" title={fits.error.message} />}
      {fits.data && (
        <table className="fits" data-testid="fits">
          <tbody>
            {fits.data.map((row) => (
              <tr key={row.what}>
                <td>
                  <Mark severity={row.fits ? "clear" : "caution"} />
                </td>
                <th>{row.what}</th>
                <td>{row.said}</td>
              </tr>
            ))}
          </tbody>
        </table>
      )}
    </Modal>
  );
}
