import { useMutation, useQueryClient } from "@tanstack/react-query";
import { App } from "antd";

/** Something that a page asks for and that changes what it shows: what is known under `keys` is asked anew, a failure said in words. */
export function useAct<T, R>(keys: string[], act: (wanted: T) => Promise<R>, then?: (made: R) => void) {
  const queries = useQueryClient();
  const { message } = App.useApp();
  return useMutation({
    mutationFn: act,
    onSuccess: (made) => {
      for (const key of keys) void queries.invalidateQueries({ queryKey: [key] });
      then?.(made);
    },
    onError: (error: Error) => void message.error(error.message),
  });
}
