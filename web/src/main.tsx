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
import { ACCENT, INK, PAPER, SHEET } from "./look";
import { SignIn } from "./SignIn";

// The stage and its library come only when a rehearsal is opened.
const Workspace = lazy(() => import("./Workspace").then((module) => ({ default: module.Workspace })));

function rehearsalInAddress(): number | null {
  const found = location.pathname.match(/^\/rehearsals\/(\d+)$/);
  return found ? Number(found[1]) : null;
}

function House() {
  const queries = useQueryClient();
  const me = useQuery({
    queryKey: ["me"],
    queryFn: api.me,
    retry: (count, error) => !(error instanceof Problem && error.status === 401) && count < 2,
  });
  const [open, setOpen] = useState(rehearsalInAddress);
  useEffect(() => {
    const back = () => setOpen(rehearsalInAddress());
    addEventListener("popstate", back);
    return () => removeEventListener("popstate", back);
  }, []);
  const go = (id: number | null) => {
    history.pushState(null, "", id === null ? "/" : `/rehearsals/${id}`);
    setOpen(id);
  };
  if (me.isPending) return <Spin className="middle" />;
  if (!me.data) return <SignIn onDone={(user) => queries.setQueryData(["me"], user)} />;
  if (open !== null)
    return (
      <Suspense fallback={<Spin className="middle" />}>
        <Workspace key={open} id={open} onLeave={() => go(null)} onRehearsal={go} />
      </Suspense>
    );
  return (
    <>
      <header className="top">
        <img src="/mark.svg" width="22" alt="" />
        <b>Blunt Mirror</b>
        <span className="quiet">{me.data.organisation}</span>
        <span className="grow" />
        <span>{me.data.name}</span>
        <Button size="small" onClick={() => api.signOut().then(() => location.assign("/"))}>
          Sign out
        </Button>
      </header>
      <Jobs onRehearsal={go} />
    </>
  );
}

const theme = {
  token: {
    colorPrimary: ACCENT,
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
