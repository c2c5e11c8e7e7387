// Marks beside the lines that findings begin at; shared by the script beside the stage and by the desk.

import { RangeSetBuilder, type Extension } from "@codemirror/state";
import { gutter, GutterMarker } from "@codemirror/view";

export interface Marked {
  line: number;
  severity: string;
  title: string;
}

class FindingMarker extends GutterMarker {
  constructor(
    readonly severity: string,
    readonly title: string,
  ) {
    super();
  }
  override eq(other: FindingMarker): boolean {
    return other.severity === this.severity && other.title === this.title;
  }
  override toDOM(): Node {
    const mark = document.createElement("span");
    mark.className = `gutter-mark ${this.severity}`;
    mark.title = this.title;
    return mark;
  }
}

export function findingGutter(marks: readonly Marked[]): Extension {
  // One mark a line: the worst of what is found there, with all of it to read.
  const lines = new Map<number, Marked>();
  for (const mark of marks) {
    if (mark.line <= 0) continue;
    const known = lines.get(mark.line);
    lines.set(mark.line, known ? { line: mark.line, severity: known.severity === "stop" ? "stop" : mark.severity, title: `${known.title}\n\n${mark.title}` } : mark);
  }
  const sorted = [...lines.values()].sort((a, b) => a.line - b.line);
  return gutter({
    class: "finding-gutter",
    markers: (view) => {
      const builder = new RangeSetBuilder<GutterMarker>();
      for (const { line, severity, title } of sorted) {
        if (line > view.state.doc.lines) continue;
        const at = view.state.doc.line(line).from;
        builder.add(at, at, new FindingMarker(severity, title));
      }
      return builder.finish();
    },
    initialSpacer: () => new FindingMarker("none", ""),
  });
}
