import { useQuery } from "@tanstack/react-query";
import { Alert, Button, InputNumber, Select, Typography } from "antd";

import { api, type JobData, type Offset } from "../api/client";
import { owners, ownOffsets, programsOf, withOffset, withoutOffset, type OffsetRef, type OffsetValue } from "./offsets";

interface Props {
  revision: number;
  job: JobData;
  active: OffsetRef;
  mounts: string[];
  onActive: (offset: OffsetRef) => void;
  onJob: (job: JobData) => void;
}

const signed = (value: number) => `${value < 0 ? "−" : "+"}${Math.abs(value).toFixed(3)}`;
const NAMES = ["G54", "G55", "G56", "G57", "G58", "G59", ...Array.from({ length: 12 }, (_, i) => `G54.1 P${i + 1}`)];

/** Work offsets, the whole job's and each channel's own: from a datum on the work or as typed at the control; beside what the unit's
 *  control was read to hold. */
export function OffsetTable({ revision, job, active, mounts, onActive, onJob }: Props) {
  const worked = useQuery({
    queryKey: ["offsets", revision, job.work_offsets, job.programs],
    queryFn: () => api.setupOffsets(revision, job),
    placeholderData: (before) => before,
    retry: false,
  });
  const groups = owners(job);
  const several = programsOf(job).length > 1;
  const sharing = programsOf(job).filter((entry) => !entry.work_offsets);
  return (
    <div className="padded" data-testid="offsets">
      {worked.isError && <Alert type="error" title={worked.error.message} />}
      {groups.map(({ channel, main, offsets }) => (
        <section key={channel} data-channel={channel}>
          {several && (
            <h4>
              {channel ? `Channel ${channel}` : "Whole job"} <span className="quiet">{main}</span>
            </h4>
          )}
          {!Object.keys(offsets).length && <p className="quiet">No offset yet. Point at program zero on the stage, or set one here.</p>}
          {Object.entries(offsets).map(([name, value]) => (
            <OneOffset
              key={name}
              name={name}
              value={value}
              label={several && channel ? `${channel} ${name}` : name}
              mounts={mounts}
              worked={worked.data?.find((row) => row.channel === channel && row.name === name.replace(" ", ""))}
              chosen={name === active.name && channel === active.channel}
              onChoose={() => onActive({ channel, name })}
              onValue={(next) => onJob(withOffset(job, { channel, name }, next))}
              onRemove={() => onJob(withoutOffset(job, { channel, name }))}
            />
          ))}
          <Select
            size="small"
            value={null}
            placeholder="another offset"
            aria-label={channel ? `Another offset of channel ${channel}` : "Another offset"}
            options={NAMES.filter((name) => !(name in offsets)).map((name) => ({ value: name, label: name }))}
            onChange={(name: string | null) => {
              if (!name) return;
              onJob(withOffset(job, { channel, name }, { datum: [0, 0, 0], mount: mounts[0] }));
              onActive({ channel, name });
            }}
          />
        </section>
      ))}
      {several &&
        sharing.map((entry) => (
          <Button key={entry.main} size="small" type="link" onClick={() => onJob(ownOffsets(job, entry.channel ?? 1))}>
            Offsets of its own for channel {entry.channel ?? 1}
          </Button>
        ))}
    </div>
  );
}

interface OneProps {
  name: string;
  value: OffsetValue;
  label: string;
  mounts: string[];
  worked: Offset | undefined;
  chosen: boolean;
  onChoose: () => void;
  onValue: (value: OffsetValue) => void;
  onRemove: () => void;
}

function OneOffset({ name, value, label, mounts, worked, chosen, onChoose, onValue, onRemove }: OneProps) {
  const own = "datum" in value ? (value as { datum: [number, number, number]; mount: string }) : null;
  return (
    <div className={chosen ? "offset chosen" : "offset"} onClick={onChoose}>
      <div className="hand-row">
        <b>{name}</b>
        {own && mounts.length > 1 ? (
          <Select
            size="small"
            value={own.mount}
            aria-label={`${label} on`}
            options={mounts.map((mount) => ({ value: mount, label: `datum on ${mount}` }))}
            onChange={(mount) => onValue({ ...own, mount })}
          />
        ) : (
          <span className="quiet">{own ? `datum on ${own.mount}` : "as typed at the control"}</span>
        )}
        <span className="grow" />
        <Button size="small" type="text" onClick={onRemove}>
          remove
        </Button>
      </div>
      {own && (
        <div className="triple">
          {[0, 1, 2].map((i) => (
            <InputNumber
              key={i}
              size="small"
              controls={false}
              aria-label={`${label} datum ${"XYZ"[i]}`}
              value={own.datum[i]}
              onChange={(number) => {
                const next = [...own.datum] as [number, number, number];
                next[i] = number ?? 0;
                onValue({ ...own, datum: next });
              }}
            />
          ))}
        </div>
      )}
      <table className="figures">
        <tbody>
          {Object.entries(worked?.values ?? {}).sort(([a], [b]) => a.localeCompare(b)).map(([axis, number]) => (
            <tr key={axis}>
              <th>{axis}</th>
              <td>
                <Typography.Text copyable={{ text: String(number), tooltips: ["Copy", "Copied"] }}>{number.toFixed(3)}</Typography.Text>
              </td>
              <td className={Math.abs(worked?.apart?.[axis] ?? 0) > 0.001 ? "apart" : "quiet"}>
                {worked?.held && axis in worked.held ? `${worked.held[axis].toFixed(3)} held, ${signed(worked.apart![axis] ?? 0)}` : ""}
              </td>
            </tr>
          ))}
        </tbody>
      </table>
    </div>
  );
}
