// What was thrown away: brought back, or deleted for good by those who administer; and how much room all that is kept takes.

import { useQuery } from "@tanstack/react-query";
import { Alert, Button, Modal, Popconfirm, Spin } from "antd";

import { api, type Me, type Room, type Thrown } from "../api/client";
import { useAct } from "../pane/useAct";

const DAY = new Intl.DateTimeFormat("en-GB", { dateStyle: "medium" });

export function Basket({ open, me, onClose }: { open: boolean; me: Me; onClose: () => void }) {
  const told = useQuery({ queryKey: ["basket"], queryFn: api.basket, enabled: open });
  const room = useQuery({ queryKey: ["room"], queryFn: api.room, enabled: open });
  const act = useAct(["basket", "room", "jobs", "routes"], ({ thrown, how }: { thrown: Thrown; how: "bring-back" | "delete" }) => api.outOfBasket(thrown, how));
  return (
    <Modal title="Basket" open={open} onCancel={onClose} footer={null} width={760}>
      {told.isError && <Alert type="error" title={told.error.message} />}
      {told.isFetching && !told.data && <Spin />}
      {told.data?.length === 0 && <p className="quiet">Nothing lies in it. What is thrown away can be brought back for 30 days.</p>}
      {!!told.data?.length && (
        <table className="job-table">
          <thead>
            <tr>
              <th>Job or route</th>
              <th>Thrown away by</th>
              <th>On</th>
              <th>Goes for good on</th>
              <th />
            </tr>
          </thead>
          <tbody>
            {told.data.map((thrown) => (
              <tr key={`${thrown.kind} ${thrown.id}`} className="first">
                <td>
                  {thrown.name} {thrown.kind === "route" && <span className="quiet">route</span>}
                </td>
                <td>{thrown.by}</td>
                <td>{DAY.format(new Date(thrown.at))}</td>
                <td>{DAY.format(new Date(thrown.ends))}</td>
                <td>
                  <span className="row-actions">
                    <Button size="small" onClick={() => act.mutate({ thrown, how: "bring-back" })} aria-label={`Bring back ${thrown.name}`}>
                      Bring back
                    </Button>
                    {me.role === "administers" && (
                      <Popconfirm title={`Delete ${thrown.name} for good?`} description="With every revision, rehearsal and release. Only the record keeps what was done." okText="Delete" cancelText="Keep" onConfirm={() => act.mutate({ thrown, how: "delete" })}>
                        <Button size="small" aria-label={`Delete ${thrown.name} for good`}>
                          Delete
                        </Button>
                      </Popconfirm>
                    )}
                  </span>
                </td>
              </tr>
            ))}
          </tbody>
        </table>
      )}
      {room.data && <Kept room={room.data} name={me.organisation} />}
    </Modal>
  );
}

const SIZES = ["kB", "MB", "GB", "TB"];

/** Bytes in words, in powers of 1024: 1.24 GB. */
export function sized(bytes: number): string {
  const power = Math.max(1, Math.min(SIZES.length, Math.floor(Math.log2(Math.max(bytes, 1)) / 10)));
  return `${Number((bytes / 1024 ** power).toPrecision(3))} ${SIZES[power - 1]}`;
}

function Kept({ room, name }: { room: Room; name: string }) {
  const of = room.most_kept ? ` of the ${sized(room.most_kept)} that it may keep` : "";
  const full = room.most_kept > 0 && room.kept >= 0.9 * room.most_kept;
  return (
    <p className="quiet">
      {name} keeps {sized(room.kept)} here{of}, the basket with it.
      {full && <b> What is deleted from the basket makes room.</b>}
    </p>
  );
}
