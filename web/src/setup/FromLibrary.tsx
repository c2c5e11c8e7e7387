import { keepPreviousData, useQuery } from "@tanstack/react-query";
import { Alert, Empty, Input, Modal, Spin } from "antd";
import { useState } from "react";

import { api } from "../api/client";
import { useSettled } from "../pane/useSettled";

interface Props {
  open: boolean;
  kind: "tool" | "fixture";
  revision: number;
  onClose: () => void;
  onBring: (data: object) => void;
}

const WORDS = {
  tool: { title: "A tool of the library", hint: "ball D10 long", none: "Tools come here from tool tables, and from a setup by “Keep in the library”." },
  fixture: { title: "A fixture of the library", hint: "vise 125", none: "A fixture comes here from a setup: choose it there, and “Keep in the library”." },
};

/** Found by words, each of which has to fit; Enter takes the first. */
export function FromLibrary({ open, kind, revision, onClose, onBring }: Props) {
  const [words, setWords] = useState("");
  const [failure, setFailure] = useState("");
  const wanted = useSettled(words.trim());
  const found = useQuery({ queryKey: ["library", "found", kind, wanted], queryFn: () => api.libraryFound(kind, wanted), enabled: open, placeholderData: keepPreviousData });
  const says = WORDS[kind];
  const bring = async (row: { item: number; entry: number | null }) => {
    setFailure("");
    try {
      onBring(await api.bring(revision, row.item, row.entry));
      onClose();
    } catch (error) {
      setFailure((error as Error).message);
    }
  };
  const rows = found.data?.found ?? [];
  return (
    <Modal open={open} title={says.title} footer={null} onCancel={onClose} width={520} destroyOnHidden>
      <Input
        autoFocus
        allowClear
        value={words}
        placeholder={says.hint}
        aria-label={`Find a ${kind}`}
        onChange={(event) => setWords(event.target.value)}
        onPressEnter={() => rows.length > 0 && wanted === words.trim() && !found.isPlaceholderData && void bring(rows[0])}
      />
      {failure && <Alert type="error" title={failure} />}
      {found.isError && <Alert type="error" title={found.error.message} />}
      {found.isPending && <Spin />}
      {found.data && !rows.length && <Empty image={Empty.PRESENTED_IMAGE_SIMPLE} description={wanted ? `No ${kind} answers to “${wanted}”.` : says.none} />}
      <ul className="body-list found-list" data-testid="found">
        {rows.map((row) => (
          <li key={`${row.item}.${row.entry}`}>
            <button onClick={() => void bring(row)}>
              <span>
                <b>{row.name}</b> {row.summary}
              </span>
              <em>{row.table ? `of ${row.table}` : "kept by itself"}</em>
            </button>
          </li>
        ))}
      </ul>
      {found.data && found.data.count > rows.length && (
        <p className="quiet">
          {rows.length} of {found.data.count} shown: one word more finds fewer.
        </p>
      )}
    </Modal>
  );
}
