// The keys of the replay: what each does stands beside what the list says of it.

import { Modal } from "antd";
import { useEffect } from "react";

export interface Key {
  shown: string; // as the list shows it
  what: string;
  does: Record<string, (event: KeyboardEvent) => void>; // by the key pressed, letters small
}

// Where keys are for typing; a chosen radio or switch keeps the focus but types nothing.
const TYPING = "input:not([type=radio], [type=checkbox]), textarea, [contenteditable='true'], .cm-panel, [role=dialog]";

/** Act on keys, unless they are for typing or for the browser. */
export function useKeys(keys: Key[]): void {
  useEffect(() => {
    const actions = Object.assign({}, ...keys.map(({ does }) => does)) as Key["does"];
    const press = (event: KeyboardEvent) => {
      if ((event.target as HTMLElement).closest(TYPING) || event.ctrlKey || event.metaKey || event.altKey) return;
      const act = actions[event.key.length === 1 ? event.key.toLowerCase() : event.key];
      if (!act) return;
      event.preventDefault();
      act(event);
    };
    addEventListener("keydown", press);
    return () => removeEventListener("keydown", press);
  }, [keys]);
}

export function KeyList({ keys, open, onClose }: { keys: Key[]; open: boolean; onClose: () => void }) {
  return (
    <Modal open={open} title="Keys" footer={null} onCancel={onClose}>
      <table className="keys">
        <tbody>
          {keys.map(({ shown, what }) => (
            <tr key={shown}>
              <th>{shown}</th>
              <td>{what}</td>
            </tr>
          ))}
        </tbody>
      </table>
    </Modal>
  );
}
