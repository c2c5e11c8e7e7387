// @vitest-environment jsdom
import { screen, waitFor } from "@testing-library/react";
import { expect, test, vi } from "vitest";

import { Account } from "../account/Account";
import { api, type Me, type People as Told } from "../api/client";
import { InvitedIn, NewPassword } from "../door/Links";
import { SignIn } from "../door/SignIn";
import { shown } from "../tests/render";
import { People } from "./People";

const me: Me = { name: "ines", organisation: "shop", role: "administers" };
const ines = { id: 1, name: "ines", role: "administers", site: null, state: "here", you: true, mail: "", second: true, last: "2026-11-02T08:00:00Z" } as const;
const told: Told = {
  people: [ines, { ...ines, id: 2, name: "wim", role: "works", you: false, mail: "wim@a.example", second: true }, { ...ines, id: 3, name: "ada", you: false, second: false, state: "out" }, { ...ines, id: 4, name: "left-4", you: false, state: "forgotten" }],
  sites: [],
  invitations: [{ id: 9, mail: "new@a.example", role: "reads", site: null, by: "ines", created: "2026-11-01T08:00:00Z", ends: "2026-11-08T08:00:00Z" }],
};

test("somebody is asked in, and the link shown where no letter could be sent", async () => {
  vi.spyOn(api, "people").mockResolvedValue(told);
  const invite = vi.spyOn(api, "invite").mockResolvedValue({ ...told.invitations[0], link: "http://here/invited/abc", sent: false });
  const { user } = shown(<People me={me} />);
  await user.type(await screen.findByLabelText("Address of whom to ask in"), "new@a.example");
  await user.click(screen.getByRole("button", { name: "Ask somebody in" }));
  expect(await screen.findByText("http://here/invited/abc")).toBeTruthy();
  expect(screen.getByText(/No letter could be sent/)).toBeTruthy();
  expect(invite).toHaveBeenCalledWith("new@a.example", "works", null);
});

test("who is here can be taken out, who is out brought back or forgotten, and nobody does it to themselves", async () => {
  vi.spyOn(api, "people").mockResolvedValue(told);
  const act = vi.spyOn(api, "person").mockResolvedValue(told.people[1]);
  const { user } = shown(<People me={me} />);
  await user.click(await screen.findByRole("button", { name: "Take out wim" }));
  await user.click((await screen.findAllByRole("button", { name: "Take out" })).at(-1)!);
  expect(act).toHaveBeenCalledWith(2, "take-out");
  await user.click(screen.getByRole("button", { name: "Bring back ada" }));
  expect(act).toHaveBeenCalledWith(3, "bring-back");
  expect(screen.getByRole("button", { name: "Forget ada" })).toBeTruthy();
  for (const name of ["Take out ines", "Take out ada", "Bring back left-4", "Forget wim"]) expect(screen.queryByRole("button", { name })).toBeNull();
  expect(screen.getByRole("button", { name: "Take back the invitation of new@a.example" })).toBeTruthy();
});

test("sites are added and taken away when nothing belongs to them, and people put into one", async () => {
  const sites = [{ id: 5, name: "Dune works", people: 0, jobs: 0 }, { id: 6, name: "Harbour works", people: 1, jobs: 4 }];
  vi.spyOn(api, "people").mockResolvedValue({ ...told, sites, people: [ines, { ...told.people[1], site: 6 }] });
  const make = vi.spyOn(api, "makeSite").mockResolvedValue(sites[0]);
  const gone = vi.spyOn(api, "takeSiteAway").mockResolvedValue(new Response());
  const put = vi.spyOn(api, "setPersonSite").mockResolvedValue(told.people[1]);
  const { user } = shown(<People me={me} />);
  await user.type(await screen.findByLabelText("Name of a new site"), "Pier{Enter}");
  expect(make).toHaveBeenCalledWith("Pier");
  expect(screen.getByRole("button", { name: "Take away Harbour works" }).hasAttribute("disabled")).toBe(true);
  await user.click(screen.getByRole("button", { name: "Take away Dune works" }));
  expect(gone).toHaveBeenCalledWith(5);
  expect(screen.queryByLabelText("The site of ines")).toBeNull();
  await user.click(screen.getByLabelText("The site of wim"));
  await user.click((await screen.findAllByText("all sites")).at(-1)!);
  expect(put).toHaveBeenCalledWith(2, null);
});

test("those who do not administer see who is here and what they may", async () => {
  vi.spyOn(api, "people").mockResolvedValue({ people: [{ ...ines, mail: null, second: null, last: null }], sites: [], invitations: [] });
  shown(<People me={{ ...me, role: "reads" }} />);
  expect(await screen.findByText("ines")).toBeTruthy();
  for (const gone of ["Ask somebody in", "Address", "Last sign-in"]) expect(screen.queryByText(gone)).toBeNull();
});

test("the code of the second factor is asked when name and password are right", async () => {
  const signIn = vi.spyOn(api, "signIn").mockResolvedValueOnce(null).mockRejectedValueOnce(new Error("The code does not hold.")).mockResolvedValueOnce(me);
  const done = vi.fn();
  const { user } = shown(<SignIn onDone={done} />);
  await user.type(screen.getByLabelText("Name"), "ines");
  await user.type(screen.getByLabelText("Password"), "tide-table-9");
  await user.click(screen.getByRole("button", { name: "Sign in" }));
  const code = await screen.findByLabelText(/Code of your second factor/);
  expect(done).not.toHaveBeenCalled();
  await user.type(code, "000000");
  await user.click(screen.getByRole("button", { name: "Sign in" }));
  expect(await screen.findByText("The code does not hold.")).toBeTruthy();
  await user.clear(code);
  await user.type(code, "123456");
  await user.click(screen.getByRole("button", { name: "Sign in" }));
  await waitFor(() => expect(done).toHaveBeenCalledWith(me));
  expect(signIn).toHaveBeenLastCalledWith("ines", "tide-table-9", "123456");
});

test("a provider elsewhere is offered where there is one, what it said is told, and its own code is asked", async () => {
  const none = { name: "", said: "", code: false };
  const told = vi.spyOn(api, "elsewhere").mockResolvedValue({ ...none, name: "the yard's account", said: "Nobody here has the address x@a.example." });
  const first = shown(<SignIn onDone={vi.fn()} />);
  expect((await screen.findByRole("link", { name: "Sign in with the yard's account" })).getAttribute("href")).toBe("/api/elsewhere/begin");
  expect(screen.getByText(/Nobody here has the address/)).toBeTruthy();
  first.unmount();
  told.mockResolvedValue({ ...none, name: "the yard's account", code: true });
  const done = vi.fn();
  const give = vi.spyOn(api, "elsewhereCode").mockRejectedValueOnce(new Error("The code does not hold.")).mockResolvedValueOnce(me);
  const { user, unmount } = shown(<SignIn onDone={done} />);
  await user.type(await screen.findByLabelText(/Code of your second factor/), "123456");
  await user.click(screen.getByRole("button", { name: "Sign in" }));
  expect(await screen.findByText("The code does not hold.")).toBeTruthy();
  await user.click(screen.getByRole("button", { name: "Sign in" }));
  await waitFor(() => expect(done).toHaveBeenCalledWith(me));
  expect(give).toHaveBeenLastCalledWith("123456");
  await user.click(screen.getByText("Back"));
  expect(await screen.findByLabelText("Password")).toBeTruthy();
  unmount();
  told.mockResolvedValue(none);
  shown(<SignIn onDone={vi.fn()} />);
  expect(await screen.findByLabelText("Password")).toBeTruthy();
  expect(screen.queryByText(/Sign in with/)).toBeNull();
});

test("links: an invitation is taken up or said to be over, a new password set", async () => {
  const invited = vi.spyOn(api, "invited").mockResolvedValueOnce({ organisation: "shop", mail: "", role: "releases", by: "ines" });
  const accept = vi.spyOn(api, "acceptInvitation").mockResolvedValue({ ...me, name: "wim" });
  const done = vi.fn();
  const first = shown(<InvitedIn secret="abc" onDone={done} />);
  expect(await screen.findByText(/ines asks you in to shop. There you may work, and sign releases/)).toBeTruthy();
  await first.user.type(screen.getByLabelText("The name you want here"), "wim");
  await first.user.type(screen.getByLabelText("A password of your own"), "spring-tide-4");
  await first.user.click(screen.getByRole("button", { name: "Come in" }));
  await waitFor(() => expect(done).toHaveBeenCalled());
  expect(accept).toHaveBeenCalledWith("abc", "wim", "spring-tide-4");
  first.unmount();
  invited.mockRejectedValueOnce(new Error("This invitation holds no longer: ask for another."));
  shown(<InvitedIn secret="old" onDone={done} />);
  expect(await screen.findByText(/holds no longer/)).toBeTruthy();
  const set = vi.spyOn(api, "newPassword").mockResolvedValue(new Response());
  const { user } = shown(<NewPassword who="Mw" token="c5-x" onDone={done} />);
  await user.type(screen.getByLabelText("New password"), "ebb-and-flow-7");
  await user.click(screen.getByRole("button", { name: "Set it" }));
  expect(await screen.findByText(/It is set/)).toBeTruthy();
  expect(set).toHaveBeenCalledWith("Mw", "c5-x", "ebb-and-flow-7");
});

test("one's account: the second factor is set up with a code, spare codes shown once, other seats signed out", async () => {
  const seat = { id: 5, address: "10.0.0.7", browser: "shop floor", begun: "2026-11-02T08:00:00Z", seen: "2026-11-02T09:00:00Z", here: false };
  vi.spyOn(api, "account").mockResolvedValue({ mail: "", second: false, spare: 0, seats: [{ ...seat, id: 4, here: true }, seat] });
  vi.spyOn(api, "beginSecond").mockResolvedValue({ address: "otpauth://totp/x?secret=ABCDEFGH", picture: "<svg></svg>" });
  const confirm = vi.spyOn(api, "confirmSecond").mockResolvedValue({ codes: ["one", "two"] });
  const end = vi.spyOn(api, "endSeat").mockResolvedValue(new Response());
  const { user } = shown(<Account me={me} />);
  await user.click(await screen.findByRole("button", { name: "Set it up" }));
  expect(await screen.findByText("ABCDEFGH")).toBeTruthy();
  await user.type(screen.getByLabelText("Code that the device shows"), "123456");
  await user.click(screen.getByRole("button", { name: "Turn on" }));
  expect(await screen.findByText("one two")).toBeTruthy();
  expect(confirm).toHaveBeenCalledWith("123456");
  await user.click(screen.getByRole("button", { name: "Sign out at 10.0.0.7" }));
  expect(end).toHaveBeenCalledWith(5);
});
