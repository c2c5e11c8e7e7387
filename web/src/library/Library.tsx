import { useQuery, useQueryClient } from "@tanstack/react-query";
import { Alert, App, Empty, Spin } from "antd";
import { useState } from "react";

import { api, type LibraryFile } from "../api/client";

type Glance = NonNullable<LibraryFile["glance"]>;

/** `what`: of which files they come here; else they come from a setup. */
const KINDS: { kind: LibraryFile["kind"]; title: string; what?: string }[] = [
  { kind: "machine", title: "Machines", what: "a machine.json, a zip of it with its meshes, or a URDF" },
  { kind: "tools", title: "Tool tables", what: "a tools.json" },
  { kind: "tool", title: "Single tools" },
  { kind: "fixture", title: "Fixtures" },
];

const count = (value: number) => value.toLocaleString("en-GB").replaceAll(",", "\u2009").replace("-", "−");

/** How far an axis goes: from where to where, or round and round. */
function travel({ axis, least, most, unit }: Glance["travels"][number]): string {
  if (least === null || most === null) return `${axis} without end`;
  return `${axis} ${count(least)} … ${count(most)}${unit === "°" ? "°" : ""}`;
}

function Machine({ file, glance }: { file: LibraryFile; glance: Glance }) {
  const turns = glance.turns.filter(({ most }) => most !== null);
  return (
    <div className="at-a-glance">
      <img src={api.libraryPicture(file.id)} width={120} height={90} loading="lazy" alt={`${file.name}: ${glance.kind}`} />
      <div>
        <div>{glance.kind}</div>
        <div className="travels">
          {glance.travels.map((row) => (
            <span key={row.axis}>{travel(row)}</span>
          ))}
        </div>
        {turns.length > 0 && <div className="quiet">{turns.map(({ name, most }) => `${name} to ${count(most!)} /min`).join(" · ")}</div>}
        {glance.accessories.length > 0 && <div className="quiet">with {glance.accessories.map(({ name, on }) => (on ? name : `${name} (off)`)).join(", ")}</div>}
      </div>
    </div>
  );
}

/** Machines and tool tables that new jobs pick from, tools and fixtures that setups do. A change comes as a new number; old ones stay. */
export function Library({ onMachine }: { onMachine: (id: number) => void }) {
  const { message } = App.useApp();
  const queries = useQueryClient();
  const files = useQuery({ queryKey: ["library"], queryFn: api.library });
  const [failure, setFailure] = useState("");
  const add = (kind: LibraryFile["kind"], file: File) => {
    setFailure("");
    api.addToLibrary(kind, file).then(
      (kept) => {
        message.success(`${kept.name} is kept as number ${kept.number}.`);
        void queries.invalidateQueries({ queryKey: ["library"] });
      },
      (error: Error) => setFailure(error.message),
    );
  };
  return (
    <main className="jobs">
      {failure && <Alert type="error" closable title="The file was not taken in" description={failure} />}
      {files.isError && <Alert type="error" title={files.error.message} />}
      {files.isPending && <Spin className="middle" />}
      {files.data &&
        KINDS.map(({ kind, title, what }) => {
          const rows = files.data.filter((file) => file.kind === kind);
          return (
            <section key={kind} className="library">
              <div className="jobs-head">
                <h2>{title}</h2>
                {what ? (
                  <label className="choose">
                    <input
                      type="file"
                      accept={kind === "machine" ? ".json,.zip,.urdf" : ".json"}
                      hidden
                      onChange={(event) => {
                        const file = event.target.files?.[0];
                        if (file) add(kind, file);
                        event.target.value = "";
                      }}
                    />
                    add {what}
                  </label>
                ) : (
                  <span className="quiet">kept from a setup, brought onto another there</span>
                )}
              </div>
              {!rows.length && <Empty image={Empty.PRESENTED_IMAGE_SIMPLE} description="None yet." />}
              {!!rows.length && (
                <table className="job-table">
                  <thead>
                    <tr>
                      <th>Name</th>
                      <th>Number</th>
                      <th>{kind === "machine" ? "What it is" : "What it has"}</th>
                      {kind === "machine" && <th>Jobs</th>}
                      <th>When, by whom</th>
                      <th />
                    </tr>
                  </thead>
                  <tbody>
                    {rows.map((file) => [file, rows.find(({ name }) => name === file.name) === file] as const).map(([file, newest]) => (
                      <tr key={file.id} className={newest ? "first" : ""}>
                        <td>
                          {kind === "machine" ? (
                            <button className="as-link said" onClick={() => onMachine(file.id)}>
                              {file.name}
                            </button>
                          ) : (
                            <b>{file.name}</b>
                          )}
                        </td>
                        <td>{file.number}</td>
                        <td>{file.glance && newest ? <Machine file={file} glance={file.glance} /> : <span className="quiet">{file.glance?.kind ?? file.summary}</span>}</td>
                        {kind === "machine" && <td>{newest && file.jobs ? file.jobs : ""}</td>}
                        <td className="quiet">
                          {new Date(file.created).toLocaleDateString("en-GB", { dateStyle: "medium" })}, {file.by}
                        </td>
                        <td>
                          <a href={api.libraryFile(file.id)} download>
                            file
                          </a>
                        </td>
                      </tr>
                    ))}
                  </tbody>
                </table>
              )}
            </section>
          );
        })}
    </main>
  );
}
