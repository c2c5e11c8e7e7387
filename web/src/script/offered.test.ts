// @vitest-environment jsdom

// What a change does to lines, drawn in the text without being in it.

import { EditorState } from "@codemirror/state";
import { EditorView } from "@codemirror/view";
import { afterEach, describe, expect, it } from "vitest";

import { offeredLines } from "./offered";

const TEXT = ["G0 Z50", "G0 Z1", "X60", "M30"].join("\n");

describe("offered lines", () => {
  let view: EditorView | null = null;
  afterEach(() => view?.destroy());

  it("strikes out what goes, and puts what comes under it or before it", () => {
    const start = EditorState.create({ doc: TEXT });
    const changes = [
      { program: "O1.nc", line: 2, old: "G0 Z1", new: "G0 Z5" },
      { program: "O1.nc", line: 3, old: null, new: "M5" },
      { program: "O1.nc", line: 4, old: "M30", new: null },
      { program: "O1.nc", line: 9, old: "not there", new: "anything" },
    ];
    view = new EditorView({ state: EditorState.create({ doc: TEXT, extensions: offeredLines(start.doc, changes) }), parent: document.body });
    const rows = [...view.contentDOM.children].map((row) => `${row.className.replace(/cm-line|\s/g, "")} ${row.textContent}`.trim());
    expect(rows).toEqual(["G0 Z50", "line-goes G0 Z1", "line-comes G0 Z5", "line-comes M5", "X60", "line-goes M30"]);
    expect(view.state.doc.toString()).toBe(TEXT);
  });
});
