import "@fontsource/ibm-plex-mono/400.css";
import "@fontsource/ibm-plex-sans/400.css";
import "@fontsource/ibm-plex-sans/600.css";
import "./style.css";

import { QueryClient, QueryClientProvider, useQuery, useQueryClient } from "@tanstack/react-query";
import { App, Button, ConfigProvider, Spin } from "antd";
import { lazy, StrictMode, Suspense, useEffect, useState } from "react";
import { createRoot } from "react-dom/client";

import { api, Problem } from "./api/client";
import { Jobs } from "./jobs/Jobs";
import { Library } from "./library/Library";
import { ACCENT, INK, PAPER, SHEET } from "./look";
import { SignIn } from "./SignIn";

// The stage and its library come only when a rehearsal is opened.
const Workspace = lazy(() => import("./Workspace").then((module) => ({ default: module.Workspace })));

type Place = { page: "jobs" | "library" } | { page: "rehearsal"; id: number };

function placeOf(path: string): Place {
  const found = path.match(/^\/rehearsals\/(\d+)$/);
  if (found) return { page: "rehearsal", id: Number(found[1]) };
  return { page: path === "/library" ? "library" : "jobs" };
}

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
  if (me.isPending) return <Spin className="middle" />;
  if (!me.data) return <SignIn onDone={(user) => queries.setQueryData(["me"], user)} />;
  if (place.page === "rehearsal")
    return (
      <Suspense fallback={<Spin className="middle" />}>
        <Workspace key={place.id} id={place.id} onLeave={() => go("/")} onRehearsal={toRehearsal} />
      </Suspense>
    );
  return (
    <>
      <header className="top">
        <img src="/mark.svg" width="22" alt="" />
        <b>Blunt Mirror</b>
        <span className="quiet">{me.data.organisation}</span>
        <nav>
          {(["jobs", "library"] as const).map((page) => (
            <a
              key={page}
              href={page === "jobs" ? "/" : "/library"}
              aria-current={place.page === page ? "page" : undefined}
              onClick={(event) => {
                event.preventDefault();
                go(page === "jobs" ? "/" : "/library");
              }}
            >
              {page === "jobs" ? "Jobs" : "Machines and tools"}
            </a>
          ))}
        </nav>
        <span className="grow" />
        <span>{me.data.name}</span>
        <Button size="small" onClick={() => api.signOut().then(() => location.assign("/"))}>
          Sign out
        </Button>
      </header>
      {place.page === "jobs" ? <Jobs onRehearsal={toRehearsal} /> : <Library />}
    </>
  );
}

const theme = {
  token: {
    colorPrimary: ACCENT,
    colorInfo: ACCENT,
    colorLink: ACCENT,
    colorSuccess: ACCENT,
    colorText: INK,
    colorBgLayout: PAPER,
    colorBgContainer: SHEET,
    fontFamily: '"IBM Plex Sans", sans-serif',
    fontSize: 13,
    borderRadius: 3,
  },
};

createRoot(document.getElementById("root")!).render(
  <StrictMode>
    <ConfigProvider theme={theme}>
      <App className="house">
        <QueryClientProvider client={new QueryClient()}>
          <House />
        </QueryClientProvider>
      </App>
    </ConfigProvider>
  </StrictMode>,
);
