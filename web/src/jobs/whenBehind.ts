// Two people who save from one revision: the second is told of the first, and asked.

import { Problem } from "../api/client";

type Ask = (options: { title: string; content: string; okText: string; cancelText: string; onOk: () => void; onCancel: () => void }) => unknown;

/** Save; where others have kept revisions meanwhile, ask whether to keep this one beside theirs. Null when the person says no. */
export async function saveUnlessBehind<T>(save: (anyway: boolean) => Promise<T>, confirm: Ask): Promise<T | null> {
  try {
    return await save(false);
  } catch (error) {
    if (!(error instanceof Problem) || error.status !== 409) throw error;
    const said = `${error.message.charAt(0).toUpperCase()}${error.message.slice(1)}.`;
    const on = await new Promise<boolean>((answer) =>
      confirm({ title: "Another revision was kept meanwhile", content: said, okText: "Keep mine beside it", cancelText: "Not yet", onOk: () => answer(true), onCancel: () => answer(false) }),
    );
    return on ? save(true) : null;
  }
}
