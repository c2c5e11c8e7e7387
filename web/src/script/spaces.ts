// Programs side by side: rows left free so that the wait marks that meet stand on one row.

import { StateField, type EditorState, type Extension } from "@codemirror/state";
import { Decoration, EditorView, WidgetType, type DecorationSet } from "@codemirror/view";

import type { Meeting } from "../replay/replay";

/** line (from 1) of a wait mark → rows left free before it. */
export type Spaces = ReadonlyMap<number, number>;

/** For each channel the rows to leave free; `programs`: the text on show in each. A mark in another text moves nothing. */
export function spacesOf(meetings: readonly Meeting[], programs: readonly string[]): Spaces[] {
  const spaces = programs.map(() => new Map<number, number>());
  const shift = programs.map(() => 0);
  for (const { at } of meetings) {
    if (!at.every(({ lane, program }) => programs[lane] === program)) continue;
    const row = Math.max(...at.map(({ lane, line }) => line + shift[lane]));
    for (const { lane, line } of at) {
      const free = row - line - shift[lane];
      if (spaces[lane].has(line)) continue; // met again in a loop: it stands where it does
      spaces[lane].set(line, free);
      shift[lane] += free;
    }
  }
  return spaces;
}

const LINE = 18; // px: the height of a script's line (style.css)

class Free extends WidgetType {
  constructor(private readonly rows: number) {
    super();
  }

  override eq(other: Free): boolean {
    return other.rows === this.rows;
  }

  override toDOM(): HTMLElement {
    const free = document.createElement("div");
    free.className = "script-free";
    free.style.height = `${this.rows * LINE}px`;
    free.title = "this channel has less to do before the mark";
    return free;
  }

  override get estimatedHeight(): number {
    return this.rows * LINE;
  }
}

const met = Decoration.line({ class: "line-met" });

/** The free rows, and the marks that meet. Of the state, not the view: rows change how high the text is. */
export function waitRows(spaces: Spaces): Extension {
  const build = ({ doc }: EditorState): DecorationSet => {
    const found = [...spaces].filter(([line]) => line <= doc.lines).sort(([a], [b]) => a - b);
    return Decoration.set(
      found.flatMap(([line, rows]) => {
        const { from } = doc.line(line);
        return [...(rows ? [Decoration.widget({ widget: new Free(rows), block: true, side: -1 }).range(from)] : []), met.range(from)];
      }),
      true,
    );
  };
  return StateField.define<DecorationSet>({
    create: build,
    update: (rows, transaction) => (transaction.docChanged ? build(transaction.state) : rows),
    provide: (field) => EditorView.decorations.from(field),
  });
}
