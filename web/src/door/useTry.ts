import { useState } from "react";

/** Try something that a form asks for: whether it is under way, and in words why it failed. */
export function useTry() {
  const [failure, setFailure] = useState("");
  const [busy, setBusy] = useState(false);
  const attempt = async (what: () => Promise<void>) => {
    setBusy(true);
    setFailure("");
    try {
      await what();
    } catch (error) {
      setFailure((error as Error).message);
    } finally {
      setBusy(false);
    }
  };
  return { failure, busy, attempt };
}
