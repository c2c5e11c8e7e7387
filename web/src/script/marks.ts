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
  const sorted = [...marks].filter((mark) => mark.line > 0).sort((a, b) => a.line - b.line);
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
