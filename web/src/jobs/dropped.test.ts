import { describe, expect, it } from "vitest";

import { filesOf, rooted } from "./dropped";

const file = (name: string) => new File(["x"], name.split("/").pop()!);
const dropped = (...names: string[]) => names.map((name) => ({ name, file: file(name) }));
const names = (found: { name: string }[]) => found.map(({ name }) => name);

/** Entries as a browser gives them: a directory's reader hands out a few at a time. */
function entry(name: string, inner?: FileSystemEntry[]): FileSystemEntry {
  if (!inner) return { isFile: true, name, file: (done: (file: File) => void) => done(file(name)) } as unknown as FileSystemEntry;
  return {
    isFile: false,
    name,
    createReader: () => {
      let at = 0;
      return { readEntries: (done: (part: FileSystemEntry[]) => void) => done(inner.slice(at, (at += 2))) };
    },
  } as unknown as FileSystemEntry;
}
const item = (made: FileSystemEntry | null) => ({ webkitGetAsEntry: () => made }) as unknown as DataTransferItem;

describe("what was dropped", () => {
  it("is named from the folder that holds job.json", () => {
    expect(names(rooted(dropped("lid/job.json", "lid/O1.nc", "lid/meshes/a.stl")))).toEqual(["job.json", "O1.nc", "meshes/a.stl"]);
    expect(names(rooted(dropped("job.json", "O1.nc")))).toEqual(["job.json", "O1.nc"]);
  });
  it("leaves out what lies beside the job", () => {
    expect(names(rooted(dropped("notes.txt", "lid/job.json", "lid/O1.nc")))).toEqual(["job.json", "O1.nc"]);
  });
  it("takes the outermost of several, and a file that only ends like one for none", () => {
    expect(names(rooted(dropped("a/old/job.json", "a/job.json", "a/O1.nc")))).toEqual(["old/job.json", "job.json", "O1.nc"]);
    expect(names(rooted(dropped("a/myjob.json", "a/O1.nc")))).toEqual(["a/myjob.json", "a/O1.nc"]);
  });
  it("is named from the folder of a route, with every step in it", () => {
    expect(names(rooted(dropped("lid/op10/job.json", "lid/route.json", "lid/op20/job.json")))).toEqual(["op10/job.json", "route.json", "op20/job.json"]);
  });
  it("keeps a zip as it is", async () => {
    expect(names(await filesOf([item(entry("job.zip"))]))).toEqual(["job.zip"]);
  });
  it("walks folders to their end, however few entries a reader gives at a time", async () => {
    const folder = entry("lid", [entry("job.json"), entry("a.nc"), entry("b.nc"), entry("meshes", [entry("c.stl")]), entry("d.nc")]);
    expect(names(await filesOf([item(folder), item(null)]))).toEqual(["job.json", "a.nc", "b.nc", "meshes/c.stl", "d.nc"]);
  });
});
