import { Button } from "antd";
import { useEffect, useRef, useState, type ChangeEvent } from "react";

import { download } from "../pane/download";
import { csv, numberOf, rowsOf, tabbed } from "./table";

export interface Column {
  key: string;
  label: string;
  kind: "number" | "text" | "fixed";
  width?: number;
}
export interface Row {
  id: string;
  cells: Record<string, string>;
  note?: string;
}

interface Props {
  name: string;
  columns: readonly Column[];
  rows: readonly Row[];
  chosen?: string | null;
  /** Cells changed, row by row: the id is "" for a row that is not there yet. */
  onCells: (changes: { id: string; key: string; value: string }[]) => void;
  onRemove?: (id: string) => void;
  /** The columns by which a pasted or imported row without a known id becomes a new one. */
  newBy?: string;
  json: () => unknown;
  /** Takes what `json` gave; returns what is wrong with it, or "". */
  onJson: (data: unknown) => string;
}

/** A table that types, pastes and copies like a spreadsheet's. */
export function Grid({ name, columns, rows, chosen, onCells, onRemove, newBy, json, onJson }: Props) {
  const [problem, setProblem] = useState("");
  const body = useRef<HTMLTableSectionElement>(null);
  useEffect(() => {
    if (chosen) body.current?.querySelector(`[data-row="${CSS.escape(chosen)}"]`)?.scrollIntoView({ block: "nearest" });
  }, [chosen]);

  const take = (pasted: string[][], fromRow: number, fromColumn: number) => {
    const changes: { id: string; key: string; value: string }[] = [];
    const head = pasted[0]?.every((cell) => columns.some((column) => column.label.toLowerCase() === cell.toLowerCase())) ? pasted[0] : null;
    const order = head ? head.map((cell) => columns.findIndex((column) => column.label.toLowerCase() === cell.toLowerCase())) : null;
    for (const [i, row] of pasted.slice(head ? 1 : 0).entries()) {
      const named = newBy !== undefined && columns[order ? order[0] : fromColumn]?.key === newBy;
      const id = named ? row[0] : (rows[fromRow + i]?.id ?? "");
      if (!id) {
        setProblem(`${pasted.length} rows were pasted; the table has ${rows.length - fromRow} from there on. The rest was left out.`);
        break;
      }
      for (const [j, cell] of row.entries()) {
        const column = columns[order ? order[j] : fromColumn + j];
        if (!column || column.kind === "fixed" || column.key === newBy) continue;
        if (column.kind === "number" && cell !== "" && numberOf(cell) === null) {
          setProblem(`'${cell}' (${column.label}) is not a number; nothing was pasted.`);
          return;
        }
        changes.push({ id, key: column.key, value: cell });
      }
      if (named && !rows.some((known) => known.id === id)) changes.push({ id, key: newBy!, value: id });
    }
    setProblem("");
    onCells(changes);
  };
  const all = () => [columns.map((column) => column.label), ...rows.map((row) => columns.map((column) => row.cells[column.key] ?? ""))];
  const keep = (text: string, type: string, ending: string) => download(new Blob([text], { type }), `${name}.${ending}`);
  const bring = async (event: ChangeEvent<HTMLInputElement>) => {
    const file = event.target.files?.[0];
    if (file && /\.json$/i.test(file.name)) {
      try {
        setProblem(onJson(JSON.parse(await file.text())));
      } catch {
        setProblem(`${file.name} is no JSON.`);
      }
    } else if (file) take(rowsOf(await file.text()), 0, 0);
    event.target.value = "";
  };

  return (
    <div className="grid" data-testid={`grid-${name}`}>
      <table>
        <thead>
          <tr>
            {columns.map((column) => (
              <th key={column.key} style={{ width: column.width, minWidth: column.width }} className={column.kind}>
                {column.label}
              </th>
            ))}
            {onRemove && <th />}
          </tr>
        </thead>
        <tbody ref={body}>
          {rows.map((row, i) => (
            <tr key={row.id} data-row={row.id} className={row.id === chosen ? "chosen" : undefined} title={row.note}>
              {columns.map((column, j) => (
                <td key={column.key}>
                  {column.kind === "fixed" ? (
                    row.cells[column.key]
                  ) : (
                    <input
                      key={row.cells[column.key]}
                      aria-label={`${row.id} ${column.label}`}
                      className={column.kind}
                      defaultValue={row.cells[column.key] ?? ""}
                      onFocus={(event) => event.target.select()}
                      onKeyDown={(event) => {
                        const to = { Enter: [1, 0], ArrowDown: [1, 0], ArrowUp: [-1, 0] }[event.key];
                        if (!to) return;
                        event.preventDefault();
                        event.currentTarget.blur();
                        (body.current?.rows[i + to[0]]?.cells[j]?.querySelector("input") as HTMLInputElement | null)?.focus();
                      }}
                      onBlur={(event) => {
                        const value = event.target.value.trim();
                        if (value === (row.cells[column.key] ?? "")) return;
                        if (column.kind === "number" && value !== "" && numberOf(value) === null) {
                          setProblem(`'${value}' is not a number.`);
                          event.target.value = row.cells[column.key] ?? "";
                          return;
                        }
                        setProblem("");
                        onCells([{ id: row.id, key: column.key, value }]);
                      }}
                      onPaste={(event) => {
                        const text = event.clipboardData.getData("text");
                        if (!/[\t\n]/.test(text.trim())) return;
                        event.preventDefault();
                        take(rowsOf(text), i, j);
                      }}
                    />
                  )}
                </td>
              ))}
              {onRemove && (
                <td>
                  <button className="grid-remove" aria-label={`Remove ${row.id}`} onClick={() => onRemove(row.id)}>
                    ×
                  </button>
                </td>
              )}
            </tr>
          ))}
          {newBy && (
            <tr>
              <td colSpan={columns.length}>
                <input
                  className="text"
                  aria-label={`New ${name}`}
                  placeholder="type or paste rows here"
                  onPaste={(event) => {
                    const text = event.clipboardData.getData("text");
                    event.preventDefault();
                    take(rowsOf(text), rows.length, columns.findIndex((column) => column.key === newBy));
                  }}
                  onKeyDown={(event) => {
                    if (event.key !== "Enter" || !event.currentTarget.value.trim()) return;
                    onCells([{ id: event.currentTarget.value.trim(), key: newBy, value: event.currentTarget.value.trim() }]);
                    event.currentTarget.value = "";
                  }}
                />
              </td>
            </tr>
          )}
        </tbody>
      </table>
      {problem && <p className="failure padded">{problem}</p>}
      <div className="grid-actions">
        <Button size="small" onClick={() => void navigator.clipboard.writeText(tabbed(all()))}>
          Copy
        </Button>
        <Button size="small" onClick={() => keep(csv(all()), "text/csv", "csv")}>
          CSV
        </Button>
        <Button size="small" onClick={() => keep(JSON.stringify(json(), null, 1), "application/json", "json")}>
          JSON
        </Button>
        <label className="choose">
          from a file
          <input type="file" accept=".csv,.txt,.tsv,.json" aria-label={`Bring in ${name}`} className="unseen" onChange={(event) => void bring(event)} />
        </label>
      </div>
    </div>
  );
}
