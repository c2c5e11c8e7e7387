import { useCallback, useState } from "react";

/** A pane's width that the browser remembers. */
export function useWidth(name: string, initial: number, least: number, most: number): [number, (width: number) => void] {
  const key = `mirror.width.${name}`;
  const bounded = useCallback((width: number) => Math.max(least, Math.min(most, width)), [least, most]);
  const [width, setWidth] = useState(() => bounded(Number(localStorage.getItem(key)) || initial));
  const keep = useCallback(
    (wanted: number) => {
      const kept = bounded(wanted);
      localStorage.setItem(key, String(kept));
      setWidth(kept);
    },
    [bounded, key],
  );
  return [width, keep];
}

interface Props {
  label: string;
  width: number;
  /** +1 when the pane lies left of the divider, −1 when it lies right of it. */
  side: 1 | -1;
  initial: number;
  onWidth: (width: number) => void;
}

/** The line between two panes: drag it, use the arrow keys, or double-click for the width it began with. */
export function Divider({ label, width, side, initial, onWidth }: Props) {
  return (
    <div
      className="divider"
      role="separator"
      aria-orientation="vertical"
      aria-label={label}
      aria-valuenow={Math.round(width)}
      tabIndex={0}
      onDoubleClick={() => onWidth(initial)}
      onPointerDown={(event) => event.currentTarget.setPointerCapture(event.pointerId)}
      onPointerMove={(event) => {
        if (event.buttons === 1) onWidth(width + side * event.movementX);
      }}
      onKeyDown={(event) => {
        const step = { ArrowLeft: -16, ArrowRight: 16 }[event.key];
        if (!step) return;
        event.stopPropagation();
        onWidth(width + side * step);
      }}
    />
  );
}
