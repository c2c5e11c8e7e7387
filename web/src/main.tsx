import "./nonce"; // first: every style is made after it

import "@fontsource/ibm-plex-mono/400.css";
import "@fontsource/ibm-plex-sans/400.css";
import "@fontsource/ibm-plex-sans/600.css";
import "./style.css";

import { QueryClient, QueryClientProvider, useQuery, useQueryClient } from "@tanstack/react-query";
import { App, Button, ConfigProvider, Spin } from "antd";
import { lazy, StrictMode, Suspense, useEffect, useState } from "react";
import { createRoot } from "react-dom/client";

import { api, type Me, Problem } from "./api/client";
import { Jobs } from "./jobs/Jobs";
import { Library } from "./library/Library";
import { Access } from "./access/Access";
import { Queue } from "./queue/Queue";
import { Record } from "./record/Record";
import { Rules } from "./rules/Rules";
import { ACCENT, CAUTION, INK, PAPER, SHEET, STOP } from "./look";
import { Account } from "./account/Account";
import { InvitedIn, NewPassword } from "./door/Links";
import { SignIn } from "./door/SignIn";
import { People } from "./people/People";
import { useStill } from "./still";

// The stage and its library come only when a rehearsal is opened.
const Workspace = lazy(() => import("./workspace/Workspace").then((module) => ({ default: module.Workspace })));

const MachineScreen = lazy(() => import("./machines/MachineScreen").then((module) => ({ default: module.MachineScreen })));
const DeskScreen = lazy(() => import("./desk/DeskScreen").then((module) => ({ default: module.DeskScreen })));
const SetupScreen = lazy(() => import("./setup/SetupScreen").then((module) => ({ default: module.SetupScreen })));

type Page = "jobs" | "queue" | "library" | "rules" | "record" | "access" | "people" | "account";
type Place = { page: Page } | { page: "invited"; secret: string } | { page: "new-password"; who: string; token: string } | { page: "rehearsals" | "machines" | "setups" | "desks"; id: number };

function placeOf(path: string): Place {
  const found = path.match(/^\/(rehearsals|machines|setups|desks)\/(\d+)$/);
  if (found) return { page: found[1] as "rehearsals" | "machines" | "setups" | "desks", id: Number(found[2]) };
  const link = path.match(/^\/(invited|new-password)\/([^/]+)(?:\/([^/]+))?$/);
  if (link) return link[3] ? { page: "new-password", who: link[2], token: link[3] } : { page: "invited", secret: link[2] };
  if (path === "/account") return { page: "account" };
  return { page: PAGES.find(([, address]) => address === path)?.[0] ?? "jobs" };
}

const PAGES: [Page, string, string][] = [
  ["jobs", "/", "Jobs"],
  ["queue", "/queue", "Queue"],
  ["library", "/library", "Machines and tools"],
  ["rules", "/rules", "Rules"],
  ["record", "/record", "Record"],
  ["access", "/access", "Access"],
  ["people", "/people", "People"],
];

function House() {
  const queries = useQueryClient();
  const me = useQuery({
    queryKey: ["me"],
    queryFn: api.me,
    retry: (count, error) => !(error instanceof Problem && error.status === 401) && count < 2,
  });
  const [place, setPlace] = useState(() => placeOf(location.pathname));
  useEffect(() => {
    const back = () => setPlace(placeOf(location.pathname));
    addEventListener("popstate", back);
    return () => removeEventListener("popstate", back);
  }, []);
  const go = (path: string) => {
    history.pushState(null, "", path);
    setPlace(placeOf(path));
  };
  const toRehearsal = (id: number) => go(`/rehearsals/${id}`);
  const comeIn = (user: Me) => {
    queries.setQueryData(["me"], user);
    if (place.page === "invited") go("/");
  };
  if (place.page === "invited") return <InvitedIn secret={place.secret} onDone={comeIn} />;
  if (place.page === "new-password") return <NewPassword who={place.who} token={place.token} onDone={() => go("/")} />;
  if (me.isPending) return <Spin className="middle" />;
  if (!me.data) return <SignIn onDone={comeIn} />;
  if ("id" in place)
    return (
      <Suspense fallback={<Spin className="middle" />}>
        {place.page === "rehearsals" && (
          <Workspace key={place.id} id={place.id} onLeave={() => go("/")} onRehearsal={toRehearsal} onSetup={(id) => go(`/setups/${id}`)} onDesk={(id) => go(`/desks/${id}`)} />
        )}
        {place.page === "machines" && <MachineScreen id={place.id} onLeave={() => go("/library")} onMachine={(id) => go(`/machines/${id}`)} />}
        {place.page === "setups" && (
          <SetupScreen revision={place.id} onLeave={() => go("/")} onRehearsal={toRehearsal} onRevision={(id) => go(`/setups/${id}`)} />
        )}
        {place.page === "desks" && (
          <DeskScreen revision={place.id} onLeave={() => go("/")} onRehearsal={toRehearsal} onRevision={(id) => go(`/desks/${id}`)} onSetup={(id) => go(`/setups/${id}`)} />
        )}
      </Suspense>
    );
  return (
    <>
      <header className="top">
        <img src="/mark.svg" width="22" alt="" />
        <b>Blunt Mirror</b>
        <span className="quiet">{me.data.organisation}</span>
        <nav>
          {PAGES.map(([page, path, label]) => (
            <a
              key={page}
              href={path}
              aria-current={place.page === page ? "page" : undefined}
              onClick={(event) => {
                event.preventDefault();
                go(path);
              }}
            >
              {label}
            </a>
          ))}
        </nav>
        <span className="grow" />
        <a
          href="/account"
          aria-current={place.page === "account" ? "page" : undefined}
          title="Password, second factor, where you are signed in"
          onClick={(event) => {
            event.preventDefault();
            go("/account");
          }}
        >
          {me.data.name}
        </a>
        <Button size="small" onClick={() => api.signOut().then(() => location.assign("/"))}>
          Sign out
        </Button>
      </header>
      {place.page === "jobs" && <Jobs me={me.data} onRehearsal={toRehearsal} onSetup={(id) => go(`/setups/${id}`)} onDesk={(id) => go(`/desks/${id}`)} />}
      {place.page === "queue" && <Queue onRehearsal={toRehearsal} />}
      {place.page === "library" && <Library onMachine={(id) => go(`/machines/${id}`)} />}
      {place.page === "rules" && <Rules />}
      {place.page === "record" && <Record />}
      {place.page === "access" && <Access me={me.data} />}
      {place.page === "people" && <People me={me.data} />}
      {place.page === "account" && <Account me={me.data} />}
    </>
  );
}

const theme = {
  token: {
    colorPrimary: ACCENT,
    colorInfo: ACCENT,
    colorLink: ACCENT,
    colorSuccess: ACCENT,
    colorError: STOP,
    colorWarning: CAUTION,
    colorText: INK,
    colorBgLayout: PAPER,
    colorBgContainer: SHEET,
    fontFamily: '"IBM Plex Sans", sans-serif',
    fontSize: 13,
    borderRadius: 3,
  },
};

const queries = new QueryClient();

function Dressed() {
  const still = useStill();
  return (
    <ConfigProvider theme={{ token: { ...theme.token, motion: !still } }} wave={{ disabled: still }}>
      <App className="house">
        <QueryClientProvider client={queries}>
          <House />
        </QueryClientProvider>
      </App>
    </ConfigProvider>
  );
}

createRoot(document.getElementById("root")!).render(
  <StrictMode>
    <Dressed />
  </StrictMode>,
);
