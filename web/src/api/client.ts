// The API, typed. Every failure becomes one Problem with words for a person.

export class Problem extends Error {
  constructor(
    message: string,
    readonly status: number,
  ) {
    super(message);
  }
}

export interface Me {
  name: string;
  organisation: string;
}

export interface Rehearsal {
  id: number;
  state: "queued" | "running" | "done" | "failed" | "cancelled";
  stage: string;
  share: number;
  error: string;
  verdict: "" | "stop" | "caution" | "clear";
  seconds: number | null;
  created: string;
  finished: string | null;
  by: string;
  revision: number;
  stops: number;
  cautions: number;
}

export interface Revision {
  id: number;
  number: number;
  label: string;
  machine: string;
  created: string;
  by: string;
  rehearsals: Rehearsal[];
}

export interface Job {
  id: number;
  name: string;
  revisions: Revision[];
}

export type Judgement = "real" | "accepted" | "model";

export interface Triage {
  judgement: Judgement;
  reason: string;
  by: string;
  at: string;
  reopened: boolean;
}

export interface FindingData {
  kind: string;
  severity: "stop" | "caution";
  channel: number;
  program: string;
  line: number;
  time: number;
  tool: number;
  bodies: string[];
  axis: string;
  amount: number;
  point: [number, number, number] | null;
  count: number;
  message: string;
  remedy: string;
  motion: number;
  lastMotion: number;
}

export interface Finding {
  id: number;
  title: string;
  meaning: string;
  data: FindingData;
  triage: Triage | null;
}

export interface Verdict {
  time: number;
  axes: { axis: string; min: number; max: number; travel: [number, number] | null }[];
  tools: { number: number; time_in_cut: number; metres_in_cut: number }[];
  stock: { name: string; volume_before: number; volume_after: number }[];
  checked: {
    resolution: number;
    near: number;
    pairs: number;
    design: boolean;
    notes: string[];
    margins: { bodies: [string, string]; clearance: number }[];
  };
}

export interface RehearsalFull extends Rehearsal {
  job: number;
  job_name: string;
  revision_number: number;
  result: Verdict | null;
  findings: Finding[];
  artifacts: string[];
}

function cookie(name: string): string {
  return document.cookie.match(new RegExp(`(?:^|; )${name}=([^;]*)`))?.[1] ?? "";
}

async function ask(path: string, options: RequestInit = {}): Promise<Response> {
  let response: Response;
  try {
    response = await fetch(`/api${path}`, {
      ...options,
      headers: { "X-CSRFToken": cookie("csrftoken"), ...options.headers },
    });
  } catch {
    throw new Problem("The server cannot be reached. Is it still running?", 0);
  }
  if (!response.ok) {
    const said = await response.json().catch(() => null);
    const detail = typeof said?.detail === "string" ? said.detail : `The server answered ${response.status}.`;
    throw new Problem(detail, response.status);
  }
  return response;
}

async function json<T>(path: string, method = "GET", body?: unknown): Promise<T> {
  const options: RequestInit = { method };
  if (body !== undefined) {
    options.body = JSON.stringify(body);
    options.headers = { "Content-Type": "application/json" };
  }
  return (await ask(path, options)).json() as Promise<T>;
}

export const api = {
  me: () => json<Me>("/me"),
  signIn: (name: string, password: string) => json<Me>("/sign-in", "POST", { name, password }),
  signOut: () => ask("/sign-out", { method: "POST" }),
  jobs: () => json<Job[]>("/jobs"),
  upload: async (files: { file: File; name: string }[]) => {
    const form = new FormData();
    for (const { file, name } of files) form.append("files", file, name);
    return (await ask("/jobs", { method: "POST", body: form })).json() as Promise<Job>;
  },
  rehearse: (revision: number) => json<Rehearsal>(`/revisions/${revision}/rehearsals`, "POST"),
  rehearsal: (id: number) => json<RehearsalFull>(`/rehearsals/${id}`),
  cancel: (id: number) => json<Rehearsal>(`/rehearsals/${id}/cancel`, "POST"),
  triage: (finding: number, judgement: Judgement, reason: string) =>
    json<Finding>(`/findings/${finding}/triage`, "PUT", { judgement, reason }),
  clearTriage: (finding: number) => json<Finding>(`/findings/${finding}/triage`, "DELETE"),
  text: async (id: number, name: string) => (await ask(`/rehearsals/${id}/program/${encodeURI(name)}`)).text(),
  artifact: (id: number, name: string) => ask(`/rehearsals/${id}/artifacts/${name}`),
};

export interface Progress {
  state: Rehearsal["state"];
  stage: string;
  share: number;
  error: string;
}

/** Follow a rehearsal's progress; the browser reconnects by itself and goes on where it broke off. */
export function follow(id: number, tell: (progress: Progress) => void): () => void {
  const source = new EventSource(`/api/rehearsals/${id}/events`);
  source.onmessage = (event) => {
    const progress = JSON.parse(event.data) as Progress;
    tell(progress);
    if (["done", "failed", "cancelled"].includes(progress.state)) source.close();
  };
  return () => source.close();
}
