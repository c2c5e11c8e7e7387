// @vitest-environment jsdom
import { screen } from "@testing-library/react";
import { describe, expect, it, vi } from "vitest";

import { api, type Me, type Release } from "../api/client";
import { Record } from "../record/Record";
import { findingOf, rehearsalOf } from "../tests/rehearsal";
import { shown } from "../tests/render";
import { ReleaseControl, ReleaseMark } from "./Release";

const INES: Me = { name: "ines", organisation: "shop", role: "releases" };
const RELEASE: Release = {
  id: 3, rehearsal: 7, by: "ines", at: "2026-11-29T12:00:00Z", note: "first part measured", lapsed: "",
  accepted: [{ kind: "contact.near", program: "O1.nc", line: 20, message: "close", amount: 0.2, judgement: "accepted", reason: "seen", by: "max" }],
}; // prettier-ignore

describe("a release", () => {
  const open = (more: object, me: Me = INES) => shown(<ReleaseControl rehearsal={rehearsalOf([], {}, { release: null, not_releasable: "", quick: false, cautions: 2, ...more })} me={me} />);

  it("is signed with a note, beside what was accepted", async () => {
    const sign = vi.spyOn(api, "release").mockResolvedValue(RELEASE);
    const accepted = findingOf(1, { message: "too close" }, { triage: { judgement: "accepted", reason: "seen at the machine", by: "max", at: "2026-11-29T12:00:00Z", reopened: false, doubt: false, again: "" } });
    const { user } = open({ findings: [accepted, findingOf(2, { message: "not judged" })] });
    await user.click(screen.getByRole("button", { name: "Release…" }));
    expect(screen.getByText(/too close/)).toBeTruthy();
    expect(screen.getByText("seen at the machine (max)")).toBeTruthy();
    expect(screen.queryByText(/not judged/)).toBeNull();
    await user.type(screen.getByLabelText("Note"), "ready");
    await user.click(screen.getByRole("button", { name: "Sign as ines" }));
    expect(sign).toHaveBeenCalledWith(7, "ready");
  });

  it("is offered to those who may, and says why it cannot be given", () => {
    const page = open({ not_releasable: "nobody has accepted travel.over in line 9" });
    expect(screen.getByRole("button", { name: "Release…" }).title).toBe("Cannot be released: nobody has accepted travel.over in line 9");
    page.unmount();
    open({}, { ...INES, role: "works" });
    expect(screen.queryByRole("button")).toBeNull();
  });

  it("tells who signed, what was accepted and what took it away; a withdrawal needs a reason", async () => {
    const withdraw = vi.spyOn(api, "withdrawRelease").mockResolvedValue(RELEASE);
    const { user } = open({ release: { ...RELEASE, lapsed: "T3 is another in the library" } });
    await user.click(screen.getByText("release lapsed"));
    expect(await screen.findByText(/It does not stand any more: T3 is another in the library/)).toBeTruthy();
    expect(screen.getByText("contact.near, line 20: seen (max)")).toBeTruthy();
    await user.click(screen.getByRole("button", { name: "Withdraw" }));
    expect((screen.getByRole("button", { name: "Withdraw it" }) as HTMLButtonElement).disabled).toBe(true);
    await user.type(screen.getByLabelText("Why"), "wrong clamp");
    await user.click(screen.getByRole("button", { name: "Withdraw it" }));
    expect(withdraw).toHaveBeenCalledWith(3, "wrong clamp");
  });

  it("is told by a sign and a word", () => {
    shown(<ReleaseMark release={RELEASE} />);
    expect(screen.getByText("released").textContent).toBe("✓ released");
  });
});

describe("the record", () => {
  it("is searched, and says where it is not what was written", async () => {
    const asked = vi.spyOn(api, "record").mockResolvedValue({ broken: 2, lines: [{ number: 3, at: "2026-11-29T12:00:00Z", by: "ines", act: "released", about: "lid, revision 2", said: "ready", job: 1 }] });
    const { user } = shown(<Record />);
    expect(await screen.findByText("lid, revision 2")).toBeTruthy();
    expect(screen.getByText(/Line 2 is not what was written/)).toBeTruthy();
    asked.mockResolvedValue({ broken: null, lines: [] });
    await user.type(screen.getByLabelText("Find in the record"), "x");
    expect(await screen.findByText("No line has all of these words.")).toBeTruthy();
    expect(asked).toHaveBeenLastCalledWith("x");
    expect(screen.getByText("CSV").closest("a")!.getAttribute("href")).toBe("/api/record.csv?words=x");
  });
});
