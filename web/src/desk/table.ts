// Rows to and from a spreadsheet: tab-separated on the clipboard, CSV in files.

export type Cell = string;

/** Rows of pasted or imported text: tab-separated, else separated by semicolons, else by commas. Quotes hold separators. */
export function rowsOf(text: string): Cell[][] {
  const separator = text.includes("\t") ? "\t" : text.includes(";") ? ";" : ",";
  return text
    .replace(/\r\n?/g, "\n")
    .replace(/\n+$/, "")
    .split("\n")
    .map((line) => {
      const cells: string[] = [];
      let cell = "";
      let quoted = false;
      for (let i = 0; i < line.length; i++) {
        const c = line[i];
        if (quoted && c === '"' && line[i + 1] === '"') {
          cell += '"';
          i++;
        } else if (c === '"') quoted = !quoted;
        else if (c === separator && !quoted) {
          cells.push(cell.trim());
          cell = "";
        } else cell += c;
      }
      cells.push(cell.trim());
      return cells;
    });
}

export const tabbed = (rows: readonly (readonly Cell[])[]) => rows.map((row) => row.join("\t")).join("\n");

export const csv = (rows: readonly (readonly Cell[])[]) =>
  rows.map((row) => row.map((cell) => (/[",\n;]/.test(cell) ? `"${cell.replace(/"/g, '""')}"` : cell)).join(",")).join("\n") + "\n";

/** A number as people type it, also with a decimal comma or a real minus sign; null where it is none. */
export function numberOf(cell: Cell): number | null {
  const plain = cell.trim().replace("−", "-").replace(/^([+-]?\d+),(\d+)$/, "$1.$2");
  if (plain === "") return null;
  const value = Number(plain);
  return Number.isFinite(value) ? value : null;
}
