// What somebody chose on a screen, still so when they come back to it; until the browser's tab is closed.

import { useCallback, useState } from "react";

export function useKept<T extends string>(name: string, initial: T): [T, (value: T) => void] {
  const key = `mirror.kept.${name}`;
  const [value, setValue] = useState(() => (sessionStorage.getItem(key) as T | null) ?? initial);
  const keep = useCallback(
    (wanted: T) => {
      sessionStorage.setItem(key, wanted);
      setValue(wanted);
    },
    [key],
  );
  return [value, keep];
}
