// The record of who did what: newest first, searched, proved whole, taken along as a table.

import { useQuery } from "@tanstack/react-query";
import { Alert, Button, Input, Spin } from "antd";
import { useDeferredValue, useState } from "react";

import { api } from "../api/client";

const MOMENT = new Intl.DateTimeFormat("en-GB", { day: "numeric", month: "short", year: "numeric", hour: "2-digit", minute: "2-digit", second: "2-digit" });

export function Record() {
  const [sought, setSought] = useState("");
  const words = useDeferredValue(sought.trim());
  const record = useQuery({ queryKey: ["record", words], queryFn: () => api.record(words), placeholderData: (before) => before });
  const whole = useQuery({ queryKey: ["record", ""], queryFn: () => api.record("") }); // proved once, not with every word
  if (record.isError) return <Alert className="middle" type="error" title={record.error.message} />;
  if (!record.data) return <Spin className="middle" />;
  const { lines } = record.data;
  const broken = whole.data?.broken ?? null;
  return (
    <main className="jobs">
      <div className="jobs-head">
        <h2>Record</h2>
        <span className="quiet">who did what; nothing in it can be changed. Each line holds a digest of the one before it.</span>
        <span className="grow" />
        <Input size="small" className="go-to" placeholder="find: a name, a job, a word" aria-label="Find in the record" allowClear value={sought} onChange={(event) => setSought(event.target.value)} />
        <Button size="small" href={api.recordAddress(words)} download>
          CSV
        </Button>
      </div>
      {broken !== null && <Alert type="error" title={`Line ${broken} is not what was written, or a line before it is missing`} />}
      <table className="job-table record">
        <thead>
          <tr>
            <th>No.</th>
            <th>When</th>
            <th>Who</th>
            <th>Did</th>
            <th>About</th>
          </tr>
        </thead>
        <tbody>
          {lines.map((line) => (
            <tr key={line.number} className="first">
              <td className="quiet">{line.number}</td>
              <td>{MOMENT.format(new Date(line.at))}</td>
              <td>{line.by}</td>
              <td>{line.act}</td>
              <td>
                {line.about}
                {line.said && <div className="quiet">{line.said}</div>}
              </td>
            </tr>
          ))}
        </tbody>
      </table>
      {!lines.length && <p className="padded">{words ? "No line has all of these words." : "Nothing has been done yet."}</p>}
    </main>
  );
}
