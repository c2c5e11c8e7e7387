import { useEffect, useState } from "react";

const TYPING_MS = 120;

/** A value once it has stood still for a moment: a picture is asked for a number, not for each of its digits. */
export function useSettled<T>(value: T): T {
  const [settled, setSettled] = useState(value);
  useEffect(() => {
    const timer = setTimeout(() => setSettled(value), TYPING_MS);
    return () => clearTimeout(timer);
  }, [value]);
  return settled;
}
