import { useState, type DragEvent } from "react";

/** A place that files may be dropped on: whether something hovers over it, and the handlers to spread on its element. */
export function useDrop(take: (data: DataTransfer) => void) {
  const [over, setOver] = useState(false);
  return {
    over,
    handlers: {
      onDragOver: (event: DragEvent) => {
        event.preventDefault();
        setOver(true);
      },
      onDragLeave: () => setOver(false),
      onDrop: (event: DragEvent) => {
        event.preventDefault();
        event.stopPropagation();
        setOver(false);
        take(event.dataTransfer);
      },
    },
  };
}
