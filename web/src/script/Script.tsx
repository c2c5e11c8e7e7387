import { defaultKeymap } from "@codemirror/commands";
import { gotoLine, highlightSelectionMatches, search, searchKeymap } from "@codemirror/search";
import { Compartment, EditorState, StateEffect, StateField } from "@codemirror/state";
import { Decoration, EditorView, keymap, lineNumbers, type DecorationSet } from "@codemirror/view";
import { useEffect, useRef } from "react";

import type { Finding, LineChange } from "../api/client";
import type { Player } from "../replay/player";
import type { Replay } from "../replay/replay";
import { ncLanguage } from "./language";
import { findingGutter } from "./marks";
import { offeredLines } from "./offered";
import { waitRows, type Spaces } from "./spaces";

interface Props {
  text: string;
  file: number;
  replay: Replay;
  player: Player;
  findings: Finding[];
  lane?: number;
  /** Rows left free before a line (from 1), so that wait marks of several channels stand on one row. */
  spaces?: Spaces;
  /** Lines as a change would have them, drawn in place; `reveal`: brought into sight. */
  offered?: LineChange[];
  reveal?: boolean;
  onLine: (line: number) => void;
}

const NOTHING: LineChange[] = [];

const setNow = StateEffect.define<number>();
const nowMark = Decoration.line({ class: "line-now" });

/** The line that is being carried out. */
const now = StateField.define<DecorationSet>({
  create: () => Decoration.none,
  update(marks, transaction) {
    for (const effect of transaction.effects) {
      if (!effect.is(setNow)) continue;
      const line = effect.value;
      if (line < 1 || line > transaction.state.doc.lines) return Decoration.none;
      return Decoration.set(nowMark.range(transaction.state.doc.line(line).from));
    }
    return marks;
  },
  provide: (field) => EditorView.decorations.from(field),
});

/** The program text beside the stage, following the replay; a click goes to the moment of a line. */
export function Script({ text, file, replay, player, findings, lane = 0, spaces, offered = NOTHING, reveal = false, onLine }: Props) {
  const host = useRef<HTMLDivElement>(null);
  const editor = useRef<EditorView | null>(null);
  const marks = useRef(new Compartment());
  const offers = useRef(new Compartment());
  const go = useRef(onLine);
  useEffect(() => {
    go.current = onLine;
  }, [onLine]);

  useEffect(() => {
    const view = new EditorView({
      parent: host.current!,
      state: EditorState.create({
        doc: text.replace(/\r\n?/g, "\n"),
        extensions: [
          EditorState.readOnly.of(true),
          marks.current.of([]),
          offers.current.of([]),
          lineNumbers(),
          now,
          ...(spaces ? [waitRows(spaces)] : []),
          search({ top: true }),
          highlightSelectionMatches(),
          keymap.of([{ key: "Mod-g", run: gotoLine }, ...searchKeymap, ...defaultKeymap]),
          ...ncLanguage,
          EditorView.domEventHandlers({
            click: (event, at) => {
              const place = at.posAtCoords({ x: event.clientX, y: event.clientY });
              if (place !== null && at.state.selection.main.empty) go.current(at.state.doc.lineAt(place).number);
            },
          }),
        ],
      }),
    });
    editor.current = view;
    return () => {
      view.destroy();
      editor.current = null;
    };
  }, [text, spaces]);

  useEffect(() => {
    editor.current?.dispatch({ effects: marks.current.reconfigure(findingGutter(findings.map(({ data, title }) => ({ line: data.line, severity: data.severity, title })))) });
  }, [findings, text, spaces]);

  useEffect(() => {
    const view = editor.current;
    if (!view) return;
    const effects: StateEffect<unknown>[] = [offers.current.reconfigure(offeredLines(view.state.doc, offered))];
    const first = Math.min(...offered.map(({ line }) => line));
    if (reveal && first <= view.state.doc.lines) effects.push(EditorView.scrollIntoView(view.state.doc.line(first).from, { y: "center" }));
    view.dispatch({ effects });
  }, [offered, reveal, text, spaces]);

  useEffect(() => {
    let shown = -1;
    const follow = () => {
      const view = editor.current;
      if (!view) return;
      const motion = replay.motionAt(player.time, lane);
      const line = replay.motionCount && replay.column("file")[motion] === file ? replay.column("line")[motion] : 0;
      if (line === shown) return;
      shown = line;
      host.current!.dataset.line = String(line);
      const effects: StateEffect<unknown>[] = [setNow.of(line)];
      // Columns scroll together: a channel that has ended or waits leaves it to one that moves.
      const { seconds, waits } = replay.lanes[lane];
      const rests = replay.lanes.length > 1 && (player.time > seconds || waits.some(({ begin, end }) => begin <= player.time && player.time < end));
      if (!rests && line >= 1 && line <= view.state.doc.lines) {
        const block = view.lineBlockAt(view.state.doc.line(line).from);
        const { scrollTop, clientHeight } = view.scrollDOM;
        if (block.top < scrollTop + 40 || block.bottom > scrollTop + clientHeight - 60) {
          effects.push(EditorView.scrollIntoView(block.from, { y: "center" }));
        }
      }
      view.dispatch({ effects });
    };
    follow();
    return player.subscribe(follow);
  }, [replay, player, file, text, lane, spaces]);

  return <div className="script" ref={host} data-testid="script" />;
}
