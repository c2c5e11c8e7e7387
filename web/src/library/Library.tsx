import { useQuery, useQueryClient } from "@tanstack/react-query";
import { Alert, App, Empty, Spin } from "antd";
import { useState } from "react";

import { api, type LibraryFile } from "../api/client";

const KINDS: { kind: LibraryFile["kind"]; title: string; what: string }[] = [
  { kind: "machine", title: "Machines", what: "a machine.json, a zip of it with its meshes, or a URDF" },
  { kind: "tools", title: "Tool tables", what: "a tools.json" },
];

/** Machines and tool tables that new jobs pick from. A change comes as a new number; old ones stay. */
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
              </div>
              {!rows.length && <Empty image={Empty.PRESENTED_IMAGE_SIMPLE} description="None yet." />}
              {!!rows.length && (
                <table className="job-table">
                  <thead>
                    <tr>
                      <th>Name</th>
                      <th>Number</th>
                      <th>What it has</th>
                      <th>When, by whom</th>
                      <th />
                    </tr>
                  </thead>
                  <tbody>
                    {rows.map((file) => (
                      <tr key={file.id} className="first">
                        <td>
                          {kind === "machine" ? (
                            <a className="said" onClick={() => onMachine(file.id)}>
                              {file.name}
                            </a>
                          ) : (
                            <b>{file.name}</b>
                          )}
                        </td>
                        <td>{file.number}</td>
                        <td>{file.summary}</td>
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
