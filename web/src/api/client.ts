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
export type Route = Schemas["RouteOut"];
export type RouteStep = Schemas["StepOut"];
export type Finding = Schemas["FindingOut"];
export type Judgement = Schemas["TriageIn"]["judgement"];
export type Result = Schemas["Result"];
export type LibraryFile = Schemas["LibraryOut"];
export type ControlOut = Schemas["ControlOut"];
export type ControlData = Schemas["ControlData"];
export type NewJob = Schemas["NewJob"];
export type Moved = Schemas["MovedOut"];
export type HeldPiece = Schemas["HeldPiece"];
export type Feature = Schemas["FeatureOut"];
export type Fault = Schemas["FaultOut"];
export type Dropped = Schemas["DroppedOut"];
export type Fixture = Schemas["FixtureOut"];
export type Fit = Schemas["FitOut"];
export type Offset = Schemas["OffsetOut"];
export type Place = Schemas["PlaceOut"];
export type Setup = Schemas["SetupOut"];
export type Way = Schemas["MateIn"]["way"];
export type Desk = Schemas["DeskOut"];
export type Checked = Schemas["CheckOut"];
export type Said = Schemas["FindingEntry"];
export type Operation = Schemas["Operation"];
export type Explained = Schemas["ExplainOut"];
export type State = Schemas["State"];
export type Path = Schemas["PathOut"];
export type Rule = Schemas["RuleOut"];
export type PartMeasure = Schemas["PartMeasure"];
export type Asked = PartMeasure["asked"];
export type Release = Schemas["ReleaseOut"];
export type Arm = Schemas["ArmOut"];
export type Reach = Schemas["ReachOut"];
export type Shift = [number, number]; // mm along X and Y of the machine
export type Stand = Schemas["Stand"];
export type Stands = Schemas["StandOut"];
export type People = Schemas["PeopleOut"];
export type Person = Schemas["PersonOut"];
export type Role = Me["role"];
export type Queued = Schemas["QueuedOut"];
export type Site = Schemas["SiteOut"];
export type Sweep = Schemas["SweepOut"];
export type Thrown = Schemas["ThrownOut"];
export type Room = Schemas["RoomOut"];
export type Account = Schemas["AccountOut"];
export type Invited = Schemas["InvitedOut"];
export type AccessTold = Schemas["AccessOut"];
export type Calibration = Schemas["CalibrationOut"];
export type Tolerance = Schemas["ToleranceOut"];
export type Search = Schemas["SearchOut"];
export type Offer = Schemas["OfferOut"];
export type LineChange = Schemas["LineChange"];
export type BodyMoved = Schemas["BodyMoved"];
export type ToolPart = Schemas["PicturePart"];
export type Wait = Schemas["WaitOut"];

/** An arm's tip led along the axes of a frame, mm, and its tool turned about it, degrees. */
export interface Lead {
  values: number[];
  tool: number;
  frame: "base" | "part" | "tool";
  shift: [number, number, number];
  turn: [number, number, number];
  stop: boolean;
  channel: number;
  held: HeldPiece[] | null;
}

/** What the script desk holds, as it is sent with every question. */
export interface Held {
  programs: Record<string, string>;
  job: JobData | null;
  tools: ToolsData | null;
}
export interface ToolsData {
  tools: ToolData[];
  [more: string]: unknown;
}
export interface ToolData {
  number: number;
  name?: string;
  length: number;
  cutter: { type: string; diameter?: number; flutes?: number; [more: string]: unknown };
  registers?: Record<string, number>;
  limits?: { surface_speed?: [number, number] | null; feed_per_tooth?: [number, number] | null; removal_rate?: number | null };
  [more: string]: unknown;
}

/** job.json as a screen holds it: only what the screens touch is named. */
export interface JobData {
  name: string;
  machine: string;
  tools: string;
  bodies?: BodyData[];
  work_offsets?: Record<string, Record<string, number> | { datum: [number, number, number]; mount: string }>;
  [more: string]: unknown;
}
export interface BodyData {
  name: string;
  role: "stock" | "fixture" | "design" | "part" | "access";
  mount: string;
  at?: [number, number, number];
  turn?: [number, number, number];
  present?: [number, number | null] | null;
  made_by?: { fixture: string; measures: Record<string, number> } | null;
  shape?: { type: string; [more: string]: unknown };
  [more: string]: unknown;
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

const JSON_TYPE = { "Content-Type": "application/json" };

async function json<T>(path: string, method = "GET", body?: unknown): Promise<T> {
  const options: RequestInit = { method };
  if (body !== undefined) {
    options.body = JSON.stringify(body);
    options.headers = JSON_TYPE;
  }
  return (await ask(path, options)).json() as Promise<T>;
}

/** For calls that answer with nothing. */
const post = (path: string, body: unknown = {}) => ask(path, { method: "POST", body: JSON.stringify(body), headers: JSON_TYPE });

export const api = {
  me: () => json<Me>("/me"),
  elsewhere: () => json<Schemas["ElsewhereOut"]>("/elsewhere"),
  elsewhereCode: (code: string) => json<Me>("/elsewhere/code", "POST", { code }),
  /** null: name and password are right, and the code of the second factor is wanted beside them. */
  signIn: async (name: string, password: string, code = "") => {
    const answer = await ask("/sign-in", { method: "POST", body: JSON.stringify({ name, password, code }), headers: JSON_TYPE });
    return answer.status === 202 ? null : ((await answer.json()) as Me);
  },
  signOut: () => ask("/sign-out", { method: "POST" }),
  invited: (secret: string) => json<Invited>(`/invited/${encodeURIComponent(secret)}`),
  acceptInvitation: (secret: string, name: string, password: string) => json<Me>(`/invited/${encodeURIComponent(secret)}`, "POST", { name, password }),
  forgotten: (name: string) => post("/forgotten", { name }),
  newPassword: (who: string, token: string, password: string) => post(`/new-password/${encodeURIComponent(who)}/${encodeURIComponent(token)}`, { password }),
  account: () => json<Account>("/account"),
  changePassword: (old: string, fresh: string) => post("/account/password", { old, new: fresh }),
  beginSecond: () => json<Schemas["SecondBegun"]>("/account/second", "POST"),
  confirmSecond: (code: string) => json<Schemas["SpareCodes"]>("/account/second/confirm", "POST", { code }),
  secondOff: (code: string) => post("/account/second/off", { code }),
  endSeat: (id: number) => post(`/account/seats/${id}/end`),
  people: () => json<People>("/people"),
  invite: (mail: string, role: Role, site: number | null) => json<Schemas["InvitationMade"]>("/invitations", "POST", { mail, role, site }),
  setPersonSite: (id: number, site: number | null) => json<Person>(`/people/${id}/site`, "POST", { site }),
  setJobSite: (id: number, site: number | null) => ask(`/jobs/${id}/site`, { method: "POST", body: JSON.stringify({ site }), headers: JSON_TYPE }),
  makeSite: (name: string) => json<Site>("/sites", "POST", { name }),
  takeSiteAway: (id: number) => ask(`/sites/${id}/take-away`, { method: "POST" }),
  withdrawInvitation: (id: number) => post(`/invitations/${id}/withdraw`),
  setRole: (id: number, role: Role) => json<Person>(`/people/${id}/role`, "POST", { role }),
  person: (id: number, act: "take-out" | "bring-back" | "forget" | "second-off") => json<Person>(`/people/${id}/${act}`, "POST"),
  queue: () => json<Schemas["QueueOut"]>("/queue"),
  basket: () => json<Thrown[]>("/basket"),
  room: () => json<Room>("/room"),
  throwAway: (what: "jobs" | "routes", id: number) => post(`/${what}/${id}/throw-away`),
  outOfBasket: (thrown: Thrown, act: "bring-back" | "delete") => post(`/basket/${thrown.kind}/${thrown.id}/${act}`),
  jobs: () => json<Job[]>("/jobs"),
  remedies: (id: number) => json<Search>(`/rehearsals/${id}/remedies`),
  tryRemedies: (id: number, finding: number | null) => json<Search>(`/rehearsals/${id}/remedies`, "POST", { finding }),
  stopRemedies: (id: number) => json<Search>(`/rehearsals/${id}/remedies/cancel`, "POST"),
  access: () => json<AccessTold>("/access"),
  makeToken: (wanted: Schemas["TokenIn"]) => json<Schemas["TokenMade"]>("/tokens", "POST", wanted),
  revokeToken: (id: number) => json<Schemas["TokenOut"]>(`/tokens/${id}/revoke`, "POST"),
  makeHook: (wanted: Schemas["HookIn"]) => json<Schemas["HookMade"]>("/hooks", "POST", wanted),
  takeHookAway: (id: number) => ask(`/hooks/${id}/take-away`, { method: "POST" }),
  withLibrary: (revision: number) => json<Rehearsal>(`/revisions/${revision}/with-library`, "POST"),
  rehearseTouched: () => json<Rehearsal[]>("/touched/rehearse", "POST"),
  measured: (id: number, text: string) => json<Calibration>(`/rehearsals/${id}/measured`, "POST", { text }),
  learnTimes: (id: number, text: string) => json<Schemas["LibraryOut"]>(`/rehearsals/${id}/calibration`, "POST", { text }),
  surfaceBeside: async (id: number, other: number) => (await ask(`/rehearsals/${id}/beside/${other}/surface`)).arrayBuffer(),
  beside: (id: number, other: number) => json<Schemas["BesideOut"]>(`/rehearsals/${id}/beside/${other}`),
  tolerance: (id: number) => json<Tolerance>(`/rehearsals/${id}/tolerance`),
  askTolerance: (id: number, reach: number) => json<Tolerance>(`/rehearsals/${id}/tolerance`, "POST", { reach }),
  stopTolerance: (id: number) => json<Tolerance>(`/rehearsals/${id}/tolerance/cancel`, "POST"),
  mend: (id: number, offers: number[], anyway = false) => json<Rehearsal>(`/rehearsals/${id}/mend`, "POST", { offers, anyway }),
  putControl: async (revision: number, file: File) => {
    const form = new FormData();
    form.append("file", file, file.name);
    return (await ask(`/revisions/${revision}/control`, { method: "POST", body: form })).json() as Promise<Job>;
  },
  release: (id: number, note: string) => json<Release>(`/rehearsals/${id}/release`, "POST", { note }),
  withdrawRelease: (id: number, note: string) => json<Release>(`/releases/${id}/withdraw`, "POST", { note }),
  record: (words: string) => json<Schemas["RecordOut"]>(`/record?words=${encodeURIComponent(words)}`),
  recordAddress: (words: string) => `/api/record.csv?words=${encodeURIComponent(words)}`,
  back: (revision: number) => json<Rehearsal>(`/revisions/${revision}/back`, "POST"),
  upload: async (files: { file: File; name: string }[]) => {
    const form = new FormData();
    for (const { file, name } of files) {
      form.append("files", file, name);
      form.append("names", name); // the file's own loses its folder on the way
    }
    return (await ask("/jobs", { method: "POST", body: form })).json() as Promise<Job>;
  },
  compose: async (spec: NewJob, files: File[]) => {
    const form = new FormData();
    form.append("spec", JSON.stringify(spec));
    for (const file of files) form.append("files", file, file.name);
    return (await ask("/jobs/new", { method: "POST", body: form })).json() as Promise<Job>;
  },
  library: () => json<LibraryFile[]>("/library"),
  libraryFound: (kind: "tool" | "fixture", words: string) => json<Schemas["FoundList"]>(`/library/found/${kind}?words=${encodeURIComponent(words)}`),
  keepFromSetup: (revision: number, kind: "tool" | "fixture", data: object) => json<LibraryFile>(`/revisions/${revision}/library/${kind}`, "POST", { data }),
  bring: (revision: number, item: number, entry: number | null) => json<object>(`/revisions/${revision}/setup/library/${item}${entry === null ? "" : `?entry=${entry}`}`, "POST"),
  addToLibrary: async (kind: LibraryFile["kind"], file: File) => {
    const form = new FormData();
    form.append("file", file, file.name);
    return (await ask(`/library/${kind}`, { method: "POST", body: form })).json() as Promise<LibraryFile>;
  },
  machineModel: async (id: number) => (await ask(`/library/${id}/model`)).arrayBuffer(),
  machineFaults: (id: number) => json<Fault[]>(`/library/${id}/faults`),
  setAccessories: (id: number, off: string[]) => json<LibraryFile>(`/library/${id}/accessories`, "POST", { off }),
  setMeant: (id: number, pairs: [string, string][]) => json<LibraryFile>(`/library/${id}/meant`, "POST", { pairs }),
  machineControl: (id: number) => json<Schemas["ControlOut"]>(`/library/${id}/control`),
  setControl: (id: number, control: Schemas["ControlData"]) => json<LibraryFile>(`/library/${id}/control`, "POST", control),
  machineUrdf: (id: number) => `/api/library/${id}/urdf`,
  moveMachine: (id: number, begin: number[], end: number[], tool: number, stop: boolean) =>
    json<Moved>(`/library/${id}/move`, "POST", { begin, end, tool, stop }),
  machineBlock: (id: number, values: number[], tool: number, block: string, stop: boolean, channel: number) =>
    json<Moved>(`/library/${id}/block`, "POST", { values, tool, block, stop, channel }),
  fixtures: () => json<Fixture[]>("/fixtures"),
  fixtureShapes: (name: string, measures: Record<string, number>) => json<unknown[]>(`/fixtures/${name}`, "POST", { measures }),
  setup: (revision: number) => json<Setup>(`/revisions/${revision}/setup`),
  setupModel: async (revision: number, job: JobData) =>
    (await ask(`/revisions/${revision}/setup/model`, { method: "POST", body: JSON.stringify({ job }), headers: JSON_TYPE })).arrayBuffer(),
  setupOffsets: (revision: number, job: JobData) => json<Offset[]>(`/revisions/${revision}/setup/offsets`, "POST", { job }),
  offsetHere: (revision: number, job: JobData, values: number[], tool: number, channel: number) =>
    json<Record<string, number>>(`/revisions/${revision}/setup/offset-here`, "POST", { job, values, tool, channel }),
  pick: (revision: number, job: JobData, where: { body: string; triangle: number; point: [number, number, number] }, kind: Feature["kind"], mount: string) =>
    json<Feature>(`/revisions/${revision}/setup/pick`, "POST", { job, ...where, kind, mount }),
  mate: (revision: number, job: JobData, body: string, own: Feature, other: Feature, way: Way, gap: number, turn: number, centre: boolean) =>
    json<Place>(`/revisions/${revision}/setup/mate`, "POST", { job, body, own, other, way, gap, turn, centre }),
  repeat: (revision: number, job: JobData, body: string, count: number, step: number, direction: [number, number, number], about: [number, number, number] | null) =>
    json<Place[]>(`/revisions/${revision}/setup/repeat`, "POST", { job, body, count, step, direction, about }),
  stockFor: (revision: number, job: JobData, design: string, allowance: Record<string, number>, standard: boolean) =>
    json<Schemas["StockOut"]>(`/revisions/${revision}/setup/stock`, "POST", { job, design, allowance, standard }),
  dropFile: async (revision: number, file: File, inches = false) => {
    const form = new FormData();
    form.append("file", file, file.name);
    form.append("inches", String(inches));
    return (await ask(`/revisions/${revision}/setup/files`, { method: "POST", body: form })).json() as Promise<Dropped>;
  },
  toolPicture: (revision: number, tool: object) => json<Schemas["PictureOut"]>(`/revisions/${revision}/setup/tool-picture`, "POST", { tool }),
  saveSetup: (revision: number, job: JobData, label: string, tools: object | null = null, anyway = false) => json<Job>(`/revisions/${revision}/setup/save`, "POST", { job, label, tools, anyway }),
  lead: (revision: number, job: JobData, how: Lead) => json<Moved>(`/revisions/${revision}/lead`, "POST", { job, ...how }),
  reach: (revision: number, job: JobData, values: number[], tool: number, body: string, channel: number, shift: [number, number, number]) =>
    json<Reach>(`/revisions/${revision}/reach`, "POST", { job, values, tool, body, channel, shift }),
  stand: (revision: number, job: JobData, places: Shift[], tried: Schemas["Tried"][], touch = false) => json<Stands>(`/revisions/${revision}/stand`, "POST", { job, places, tried, touch }),
  standThere: async (revision: number, job: JobData, place: Shift) => (await json<{ job: JobData }>(`/revisions/${revision}/stand/there`, "POST", { job, place })).job,
  leadMachine: (machine: number, how: Lead) => json<Moved>(`/library/${machine}/lead`, "POST", how),
  move: (revision: number, job: JobData, begin: number[], end: number[], tool: number, stop: boolean, held: HeldPiece[] | null) =>
    json<Moved>(`/revisions/${revision}/move`, "POST", { job, begin, end, tool, stop, held }),
  block: (revision: number, job: JobData, values: number[], tool: number, block: string, stop: boolean, channel: number, held: HeldPiece[] | null) =>
    json<Moved>(`/revisions/${revision}/block`, "POST", { job, values, tool, block, stop, channel, held }),
  fits: (revision: number, machine: number) => json<Fit[]>(`/revisions/${revision}/fit/${machine}`),
  swap: (revision: number, machine: number) => json<Job>(`/revisions/${revision}/swap/${machine}`, "POST"),
  desk: (revision: number) => json<Desk>(`/revisions/${revision}/desk`),
  check: (revision: number, held: Held, path: boolean, channel = 0) => json<Checked>(`/revisions/${revision}/desk/check`, "POST", { ...held, path, channel }),
  explain: (revision: number, held: Held, program: string, line: number) => json<Explained>(`/revisions/${revision}/desk/block`, "POST", { ...held, program, line }),
  arm: (revision: number, held: Held) => json<Arm>(`/revisions/${revision}/desk/arm`, "POST", held),
  armBlock: async (revision: number, held: Held, program: string, line: number, at: Record<string, number>, feed: number | null) =>
    (await json<{ block: string }>(`/revisions/${revision}/desk/arm/block`, "POST", { ...held, program, line, at, feed })).block,
  saveDesk: (revision: number, held: Held, label: string, anyway = false) => json<Schemas["RevisionRef"]>(`/revisions/${revision}/desk/save`, "POST", { ...held, label, anyway }),
  programFile: async (revision: number, held: Held, program: string) =>
    (await ask(`/revisions/${revision}/desk/program`, { method: "POST", body: JSON.stringify({ ...held, program }), headers: JSON_TYPE })).blob(),
  archiveAddress: (revision: number) => `/api/revisions/${revision}/archive`,
  fileAddress: (revision: number, name: string) => `/api/revisions/${revision}/files/${encodeURI(name)}`,
  putPrograms: async (revision: number, files: File[]) => {
    const form = new FormData();
    for (const file of files) form.append("files", file, file.name);
    return (await ask(`/revisions/${revision}/programs`, { method: "POST", body: form })).json() as Promise<Job>;
  },
  rules: () => json<Rule[]>("/rules"),
  setRule: (id: string, setting: Rule["setting"]) => json<Rule[]>(`/rules/${id}`, "PUT", { setting }),
  libraryPicture: (id: number) => `/api/library/${id}/picture`,
  libraryFile: (id: number) => `/api/library/${id}/file`,
  routes: () => json<Route[]>("/routes"),
  rehearseRoute: (route: number) => json<Route>(`/routes/${route}/rehearsals`, "POST"),
  rehearse: (revision: number, run: "full" | "quick" = "full") => json<Rehearsal>(`/revisions/${revision}/rehearsals${run === "quick" ? "?quick=true" : ""}`, "POST"),
  rehearsal: (id: number) => json<RehearsalFull>(`/rehearsals/${id}`),
  cancelSweep: (id: number) => ask(`/sweeps/${id}/cancel`, { method: "POST" }),
  cancel: (id: number) => json<Rehearsal>(`/rehearsals/${id}/cancel`, "POST"),
  triage: (finding: number, judgement: Judgement, reason: string) =>
    json<Finding>(`/findings/${finding}/triage`, "PUT", { judgement, reason }),
  clearTriage: (finding: number) => json<Finding>(`/findings/${finding}/triage`, "DELETE"),
  text: async (id: number, name: string) => (await ask(`/rehearsals/${id}/program/${encodeURI(name)}`)).text(),
  film: async (id: number, ranges: [number, number][]) =>
    (await ask(`/rehearsals/${id}/film`, { method: "POST", body: JSON.stringify({ ranges }), headers: JSON_TYPE })).arrayBuffer(),
  measures: (id: number) => json<PartMeasure[]>(`/rehearsals/${id}/measures`),
  tryMeasure: (id: number, asked: Asked) => json<PartMeasure>(`/rehearsals/${id}/measures/try`, "POST", { asked }),
  putMeasure: (id: number, asked: Asked, insteadOf = "") => json<PartMeasure>(`/rehearsals/${id}/measures`, "PUT", { asked, instead_of: insteadOf }),
  dropMeasure: (id: number, name: string) => ask(`/rehearsals/${id}/measures/${encodeURIComponent(name)}`, { method: "DELETE" }),
  measuresAddress: (id: number) => `/api/rehearsals/${id}/measures.csv`,
  artifact: (id: number, name: string) => ask(`/rehearsals/${id}/artifacts/${name}`),
  artifactAddress: (id: number, name: string) => `/api/rehearsals/${id}/artifacts/${name}`,
  reportAddress: (id: number, paper: "A4" | "letter") => `/api/rehearsals/${id}/report.pdf?paper=${paper}`,
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
