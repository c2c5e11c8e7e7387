import { EditorState } from "@codemirror/state";
import { EditorView, lineNumbers } from "@codemirror/view";
import { MergeView } from "@codemirror/merge";
import { useQuery } from "@tanstack/react-query";
import { Alert, Modal, Select, Spin } from "antd";
import { useEffect, useRef, useState } from "react";

import { api, type Desk } from "../api/client";
import { ncLanguage } from "../script/language";

interface Props {
  desk: Desk;
  program: string;
  text: string;
  onClose: () => void;
}

/** What is on the desk beside an earlier revision, line by line; what did not change is folded away. */
export function Compare({ desk, program, text, onClose }: Props) {
  const earlier = desk.revisions.filter((item) => item.id !== desk.revision);
  const [against, setAgainst] = useState(desk.revision);
  const other = useQuery({ queryKey: ["desk", against], queryFn: () => api.desk(against), staleTime: Infinity });
  const before = other.data?.programs.find((item) => item.name === program)?.text;
  return (
    <Modal open title={`${program} beside an earlier revision`} width="94vw" footer={null} onCancel={onClose} className="compare-window">
      <div className="hand-row">
        <span className="quiet">left</span>
        <Select
          size="small"
          value={against}
          onChange={setAgainst}
          popupMatchSelectWidth={false}
          aria-label="Revision on the left"
          options={[{ id: desk.revision, number: desk.revision_number, label: "as opened" }, ...earlier].map((item) => ({ value: item.id, label: `revision ${item.number}${item.label ? `, ${item.label}` : ""}` }))}
        />
        <span className="quiet">right: what is on the desk</span>
      </div>
      {other.isError && <Alert type="error" title={other.error.message} />}
      {other.isPending && <Spin />}
      {other.data && before === undefined && <Alert type="info" title={`That revision has no ${program}.`} />}
      {before !== undefined && (before === text ? <p className="padded">Nothing changed.</p> : <Beside before={before} after={text} />)}
    </Modal>
  );
}

function Beside({ before, after }: { before: string; after: string }) {
  const host = useRef<HTMLDivElement>(null);
  useEffect(() => {
    const extensions = [lineNumbers(), EditorState.readOnly.of(true), EditorView.editable.of(false), ...ncLanguage];
    const view = new MergeView({
      a: { doc: before, extensions },
      b: { doc: after, extensions },
      parent: host.current!,
      gutter: true,
      collapseUnchanged: { margin: 3, minSize: 6 },
    });
    return () => view.destroy();
  }, [before, after]);
  return <div className="script compare-text" ref={host} data-testid="compare" />;
}
