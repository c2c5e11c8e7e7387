// The API, typed. Every failure becomes one Problem with words for a person.

import type { components } from "./schema";

export class Problem extends Error {
  constructor(
    message: string,
    readonly status: number,
  ) {
    super(message);
  }
}

type Schemas = components["schemas"];
export type Me = Schemas["Me"];
export type Rehearsal = Schemas["RehearsalOut"];
export type RehearsalFull = Schemas["RehearsalFull"];
export type Revision = Schemas["RevisionOut"];
export type Job = Schemas["JobOut"];
export type Finding = Schemas["FindingOut"];
export type Judgement = Schemas["TriageIn"]["judgement"];
export type Result = Schemas["Result"];
export type LibraryFile = Schemas["LibraryOut"];
export type NewJob = Schemas["NewJob"];

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
  compose: async (spec: NewJob, files: File[]) => {
    const form = new FormData();
    form.append("spec", JSON.stringify(spec));
    for (const file of files) form.append("files", file, file.name);
    return (await ask("/jobs/new", { method: "POST", body: form })).json() as Promise<Job>;
  },
  library: () => json<LibraryFile[]>("/library"),
  addToLibrary: async (kind: LibraryFile["kind"], file: File) => {
    const form = new FormData();
    form.append("file", file, file.name);
    return (await ask(`/library/${kind}`, { method: "POST", body: form })).json() as Promise<LibraryFile>;
  },
  libraryFile: (id: number) => `/api/library/${id}/file`,
  rehearse: (revision: number) => json<Rehearsal>(`/revisions/${revision}/rehearsals`, "POST"),
  rehearsal: (id: number) => json<RehearsalFull>(`/rehearsals/${id}`),
  cancel: (id: number) => json<Rehearsal>(`/rehearsals/${id}/cancel`, "POST"),
  triage: (finding: number, judgement: Judgement, reason: string) =>
    json<Finding>(`/findings/${finding}/triage`, "PUT", { judgement, reason }),
  clearTriage: (finding: number) => json<Finding>(`/findings/${finding}/triage`, "DELETE"),
  text: async (id: number, name: string) => (await ask(`/rehearsals/${id}/program/${encodeURI(name)}`)).text(),
  artifact: (id: number, name: string) => ask(`/rehearsals/${id}/artifacts/${name}`),
  artifactAddress: (id: number, name: string) => `/api/rehearsals/${id}/artifacts/${name}`,
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
