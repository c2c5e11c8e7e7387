// Whoever asks for little motion gets none: neither lists that unfold nor windows that glide.

import { useSyncExternalStore } from "react";

const asked = matchMedia("(prefers-reduced-motion: reduce)");

function watch(changed: () => void): () => void {
  asked.addEventListener("change", changed);
  return () => asked.removeEventListener("change", changed);
}

/** Whether things are to appear where they will stand, without moving there. */
export function useStill(): boolean {
  return useSyncExternalStore(watch, () => asked.matches);
}
