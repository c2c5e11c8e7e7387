// @vitest-environment jsdom
import { screen } from "@testing-library/react";
import { expect, test, vi } from "vitest";

import { api, type AccessTold, type Me } from "../api/client";
import { shown } from "../tests/render";
import { Access, wentHow } from "./Access";

const row = { id: 4, name: "nc repository", role: "works", by: "ines", created: "2026-11-01T08:00:00Z", ends: "2027-11-01T08:00:00Z", used: null, state: "holds" } as const;
const hook = (answered: number | null, error = "", attempts = 1) => ({ id: 2, url: "https://a.example/told", events: ["finished"], created: "2026-11-01T08:00:00Z", deliveries: [{ event: "finished", at: "2026-11-02T08:00:00Z", attempts, answered, error }] });
const told: AccessTold = { tokens: [row, { ...row, id: 5, name: "old", state: "revoked" }], hooks: [hook(200)] };
const me = { name: "ines", organisation: "shop", role: "administers" } as Me;

test("how the last thing sent went is said", () => {
  expect(wentHow({ ...hook(200), deliveries: [] })).toBe("nothing has been sent yet");
  expect(wentHow(hook(200))).toMatch(/^taken \(200\)/);
  expect(wentHow(hook(500, "Server Error", 3))).toMatch(/^answered 500, 3 of 5 attempts/);
  expect(wentHow(hook(null, "Connection refused", 5))).toMatch(/^Connection refused, 5 of 5/);
});

test("a token is made, its secret shown this once, and only one that holds can be revoked", async () => {
  vi.spyOn(api, "access").mockResolvedValue(told);
  const make = vi.spyOn(api, "makeToken").mockResolvedValue({ ...row, id: 6, name: "ci", secret: "mirror_abc" });
  const revoke = vi.spyOn(api, "revokeToken").mockResolvedValue({ ...row, state: "revoked" });
  const { user } = shown(<Access me={me} />);
  await user.type(await screen.findByLabelText("Name of the token"), "ci");
  await user.click(screen.getByRole("button", { name: "Make a token" }));
  expect(await screen.findByText("mirror_abc")).toBeTruthy();
  expect(make).toHaveBeenCalledWith({ name: "ci", role: "works", days: 365 });
  expect(screen.queryByRole("button", { name: "Revoke old" })).toBeNull();
  await user.click(screen.getByRole("button", { name: "Revoke nc repository" }));
  expect(revoke).toHaveBeenCalledWith(4);
});

test("hooks are there for those who administer, and a refusal is said", async () => {
  vi.spyOn(api, "access").mockResolvedValue(told);
  vi.spyOn(api, "makeHook").mockRejectedValue(new Error("give a whole address: https://host/path"));
  const take = vi.spyOn(api, "takeHookAway").mockResolvedValue(new Response());
  const page = shown(<Access me={{ ...me, role: "works" }} />);
  await screen.findByText("nc repository");
  expect(screen.queryByText("Hooks")).toBeNull();
  page.unmount();
  const { user } = shown(<Access me={me} />);
  await user.type(await screen.findByLabelText("Address of the hook"), "nowhere");
  await user.click(screen.getByRole("button", { name: "Add a hook" }));
  expect(await screen.findByText(/give a whole address/)).toBeTruthy();
  await user.click(screen.getByRole("button", { name: /Take https:/ }));
  expect(take).toHaveBeenCalledWith(2);
});
