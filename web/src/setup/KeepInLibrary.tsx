import { useQueryClient } from "@tanstack/react-query";
import { App, Button } from "antd";
import { useState } from "react";

import { api } from "../api/client";

/** Keeps a tool or a fixture of this setup for others; the same again is not kept twice. */
export function KeepInLibrary({ revision, kind, data }: { revision: number; kind: "tool" | "fixture"; data: object }) {
  const { message } = App.useApp();
  const queries = useQueryClient();
  const [busy, setBusy] = useState(false);
  const keep = async () => {
    setBusy(true);
    try {
      const kept = await api.keepFromSetup(revision, kind, data);
      message.success(`${kept.name} is in the library, number ${kept.number}.`);
      await queries.invalidateQueries({ queryKey: ["library"] });
    } catch (error) {
      message.error((error as Error).message);
    } finally {
      setBusy(false);
    }
  };
  return (
    <Button size="small" loading={busy} onClick={() => void keep()}>
      Keep in the library
    </Button>
  );
}
