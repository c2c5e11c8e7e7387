// Lines of a program as a change would have them: what goes struck out, what comes under it.

import type { Extension, Text } from "@codemirror/state";
import { Decoration, EditorView, WidgetType } from "@codemirror/view";

import type { LineChange } from "../api/client";

const goes = Decoration.line({ class: "line-goes" });

class Comes extends WidgetType {
  constructor(private readonly text: string) {
    super();
  }

  override eq(other: Comes): boolean {
    return other.text === this.text;
  }

  override toDOM(): HTMLElement {
    const line = document.createElement("div");
    line.className = "line-comes";
    line.title = "offered, not in the program";
    line.textContent = this.text || " ";
    return line;
  }
}

/** `old` null: a line before the one named; `new` null: the line goes. Lines that the text has not are left out. */
export function offeredLines(text: Text, changes: LineChange[]): Extension {
  const drawn = changes
    .filter(({ line }) => line >= 1 && line <= text.lines)
    .flatMap((change) => {
      const { from, to } = text.line(change.line);
      const [at, side] = change.old === null ? [from, -1] : [to, 1];
      return [
        ...(change.old === null ? [] : [goes.range(from)]),
        ...(change.new === null ? [] : [Decoration.widget({ widget: new Comes(change.new), block: true, side }).range(at)]),
      ];
    });
  return EditorView.decorations.of(Decoration.set(drawn, true));
}
