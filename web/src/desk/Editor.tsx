import { defaultKeymap, history, historyKeymap } from "@codemirror/commands";
import { codeFolding, foldGutter, foldKeymap, foldService } from "@codemirror/language";
import { highlightSelectionMatches, search, searchKeymap } from "@codemirror/search";
import { Compartment, EditorState, StateEffect, StateField, type Extension } from "@codemirror/state";
import { Decoration, EditorView, highlightActiveLine, highlightActiveLineGutter, keymap, lineNumbers, type DecorationSet } from "@codemirror/view";
import { useEffect, useImperativeHandle, useRef, type Ref } from "react";

import type { Operation } from "../api/client";
import { ncLanguage } from "../script/language";
import { findingGutter, type Marked } from "../script/marks";

export interface EditorHandle {
  goTo: (line: number) => void;
  replace: (text: string) => void;
  focus: () => void;
}

/** Text is told on once typing rests, or at once when the editor is left: a million lines are not copied while somebody types. */
const restOf = (lines: number) => (lines > 100_000 ? 800 : 120); // ms

interface Props {
  name: string;
  text: string;
  marks: readonly Marked[];
  operations: readonly Operation[];
  leftOut: readonly { first: number; last: number }[];
  handle: Ref<EditorHandle>;
  onText: (text: string, lines: number) => void;
  onLine: (line: number) => void;
  onWord: (line: string) => void;
}

const setLeftOut = StateEffect.define<readonly { first: number; last: number }[]>();
const outMark = Decoration.line({ class: "line-out" });

/** Lines that the rehearsal leaves out, struck through. */
const leftOutLines = StateField.define<DecorationSet>({
  create: () => Decoration.none,
  update(marks, transaction) {
    for (const effect of transaction.effects) {
      if (!effect.is(setLeftOut)) continue;
      const doc = transaction.state.doc;
      const ranges = effect.value.flatMap(({ first, last }) => {
        const lines = [];
        for (let line = first; line <= Math.min(last, doc.lines); line++) lines.push(outMark.range(doc.line(line).from));
        return lines;
      });
      return Decoration.set(ranges, true);
    }
    return marks.map(transaction.changes);
  },
  provide: (field) => EditorView.decorations.from(field),
});

/** An operation folds to its first line. */
function foldingOf(operations: readonly Operation[]): Extension {
  const ends = new Map(operations.filter((item) => item.last > item.first).map((item) => [item.first, item.last]));
  return foldService.of((state, from) => {
    const last = ends.get(state.doc.lineAt(from).number);
    if (!last) return null;
    return { from: state.doc.lineAt(from).to, to: state.doc.line(Math.min(last, state.doc.lines)).to };
  });
}

/** The program under the hand. */
export function Editor({ name, text, marks, operations, leftOut, handle, onText, onLine, onWord }: Props) {
  const host = useRef<HTMLDivElement>(null);
  const view = useRef<EditorView | null>(null);
  const states = useRef(new Map<string, EditorState>());
  const open = useRef("");
  const compartments = useRef({ marks: new Compartment(), folds: new Compartment() });
  const waiting = useRef(0);
  const tell = useRef({ onText, onLine, onWord });
  useEffect(() => {
    tell.current = { onText, onLine, onWord };
  });

  useEffect(() => {
    const tellText = (from: EditorView) => {
      if (!waiting.current) return;
      clearTimeout(waiting.current);
      waiting.current = 0;
      tell.current.onText(from.state.doc.toString(), from.state.doc.lines);
    };
    const { marks, folds } = compartments.current;
    const known = states.current.get(name);
    const extensions: Extension[] = [
      marks.of([]), lineNumbers(), folds.of([]), codeFolding(), foldGutter({ openText: "▾", closedText: "▸", foldingChanged: (update) => update.startState.facet(foldService) !== update.state.facet(foldService) }), history(), leftOutLines,
      highlightActiveLine(), highlightActiveLineGutter(), search({ top: true }), highlightSelectionMatches(),
      keymap.of([...searchKeymap.filter((binding) => binding.key !== "Mod-Alt-g"), ...historyKeymap, ...foldKeymap, ...defaultKeymap]), ...ncLanguage,
      EditorView.updateListener.of((update) => {
        if (update.docChanged) {
          clearTimeout(waiting.current);
          waiting.current = window.setTimeout(() => tellText(update.view), restOf(update.state.doc.lines));
        }
        if (update.docChanged || update.selectionSet) tell.current.onLine(update.state.doc.lineAt(update.state.selection.main.head).number);
      }),
      EditorView.domEventHandlers({
        blur: (_event, at) => tellText(at),
        mousedown: (event, at) => {
          if (!event.ctrlKey && !event.metaKey) return false;
          const place = at.posAtCoords({ x: event.clientX, y: event.clientY });
          if (place === null) return false;
          tell.current.onWord(at.state.wordAt(place) ? at.state.sliceDoc(at.state.wordAt(place)!.from, at.state.wordAt(place)!.to) : "");
          return true;
        },
      }),
    ]; // prettier-ignore
    const state = known ?? EditorState.create({ doc: text, extensions });
    if (!view.current) view.current = new EditorView({ parent: host.current!, state });
    else view.current.setState(state);
    open.current = name;
    const kept = states.current;
    return () => {
      if (!view.current) return;
      tellText(view.current);
      kept.set(name, view.current.state);
    };
    // The text given counts when a program is opened; after that the editor holds it.
    // eslint-disable-next-line react-hooks/exhaustive-deps
  }, [name]);
  useEffect(
    () => () => {
      view.current?.destroy();
      view.current = null;
    },
    [],
  );

  useEffect(() => {
    view.current?.dispatch({ effects: compartments.current.marks.reconfigure(findingGutter(marks)) });
  }, [marks, name]);
  useEffect(() => {
    view.current?.dispatch({ effects: compartments.current.folds.reconfigure(foldingOf(operations)) });
  }, [operations, name]);
  useEffect(() => {
    view.current?.dispatch({ effects: setLeftOut.of(leftOut) });
  }, [leftOut, name]);

  useImperativeHandle(handle, () => ({
    goTo: (line) => {
      const editor = view.current;
      if (!editor || line < 1 || line > editor.state.doc.lines) return;
      const at = editor.state.doc.line(line);
      editor.dispatch({ selection: { anchor: at.from }, effects: EditorView.scrollIntoView(at.from, { y: "center" }) });
      editor.focus();
    },
    replace: (made) => {
      const editor = view.current;
      if (!editor) return;
      const held = editor.state.doc.toString();
      // Only what differs is replaced, so that the cursor and the undo stay where they are.
      let from = 0;
      while (from < held.length && held[from] === made[from]) from++;
      let to = 0;
      while (to < held.length - from && to < made.length - from && held[held.length - 1 - to] === made[made.length - 1 - to]) to++;
      editor.dispatch({ changes: { from, to: held.length - to, insert: made.slice(from, made.length - to) }, userEvent: "input" });
    },
    focus: () => view.current?.focus(),
  }));

  return <div className="script desk-editor" ref={host} data-testid="editor" />;
}
