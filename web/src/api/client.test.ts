import { afterEach, describe, expect, it, vi } from "vitest";

import { api, follow, Problem, type Progress } from "./client";

afterEach(() => vi.unstubAllGlobals());

/** Stands in for the server: answers with a status and a body, and keeps what it was asked. */
function answering(status: number, body: string, asked: [string, RequestInit][] = []) {
  vi.stubGlobal("document", { cookie: "a=1; csrftoken=secret; b=2" });
  vi.stubGlobal("fetch", (path: string, options: RequestInit) => {
    asked.push([path, options]);
    return Promise.resolve(new Response(body, { status }));
  });
  return asked;
}

describe("the client", () => {
  it("sends the forgery token and JSON, and gives back what was said", async () => {
    const asked = answering(200, '{"name": "ines", "organisation": "shop"}');
    expect(await api.signIn("ines", "word")).toEqual({ name: "ines", organisation: "shop" });
    const [path, options] = asked[0];
    expect(path).toBe("/api/sign-in");
    expect(options.headers).toMatchObject({ "X-CSRFToken": "secret", "Content-Type": "application/json" });
    expect(JSON.parse(options.body as string)).toEqual({ name: "ines", password: "word", code: "" });
  });
  it("makes one Problem with words of every failure", async () => {
    answering(422, '{"detail": "job.json: no such field"}');
    await expect(api.jobs()).rejects.toThrow(new Problem("job.json: no such field", 422));
    answering(500, "<html>");
    await expect(api.jobs()).rejects.toThrow("The server answered 500.");
    vi.stubGlobal("fetch", () => Promise.reject(new TypeError("network")));
    await expect(api.jobs()).rejects.toThrow("cannot be reached");
  });
  it("sends a folder's files with their names in it", async () => {
    const asked = answering(200, "{}");
    await api.upload([{ file: new File(["M30"], "O1.nc"), name: "sub/O1.nc" }]);
    const form = asked[0][1].body as FormData;
    expect((form.get("files") as File).name).toBe("sub/O1.nc");
  });
  it("follows a rehearsal until it is over, and stops asking then", () => {
    const made: { url: string; closed: boolean; onmessage?: (event: { data: string }) => void }[] = [];
    class Source {
      closed = false;
      onmessage?: (event: { data: string }) => void;
      constructor(readonly url: string) {
        made.push(this);
      }
      close() {
        this.closed = true;
      }
    }
    vi.stubGlobal("EventSource", Source);
    const told: Progress[] = [];
    const stop = follow(7, (progress) => told.push(progress));
    const say = (state: string) => made[0].onmessage!({ data: JSON.stringify({ state, stage: "material", share: 0.5, error: "" }) });
    say("running");
    expect([made[0].url, made[0].closed, told.length]).toEqual(["/api/rehearsals/7/events", false, 1]);
    say("done");
    expect([made[0].closed, told[1].state]).toEqual([true, "done"]);
    stop();
  });
});
