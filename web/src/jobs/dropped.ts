// What was dropped on the page: a zip, or folders walked through to their files.

export interface Dropped {
  file: File;
  name: string; // relative to the folder that holds job.json, or route.json
}

/** Names made relative to the folder of the outermost job.json or route.json; what lies outside that folder is left out. */
export function rooted(found: Dropped[]): Dropped[] {
  const folders = found.map(({ name }) => /^(.*\/)?(?:job|route)\.json$/.exec(name)).filter((match) => match !== null).map((match) => match[1] ?? "");
  const root = folders.sort((a, b) => a.length - b.length)[0] ?? "";
  return found.filter(({ name }) => name.startsWith(root)).map(({ file, name }) => ({ file, name: name.slice(root.length) }));
}

async function walk(entry: FileSystemEntry, path: string, found: Dropped[]): Promise<void> {
  if (entry.isFile) {
    const file = await new Promise<File>((done, fail) => (entry as FileSystemFileEntry).file(done, fail));
    found.push({ file, name: path + entry.name });
    return;
  }
  const reader = (entry as FileSystemDirectoryEntry).createReader();
  for (;;) {
    // A reader gives a hundred entries at a time, and nothing when it is through.
    const part = await new Promise<FileSystemEntry[]>((done, fail) => reader.readEntries(done, fail));
    if (!part.length) return;
    for (const inner of part) await walk(inner, `${path}${entry.name}/`, found);
  }
}

/** Every file of a drop, with its name in the job. */
export async function filesOf(items: ArrayLike<DataTransferItem>): Promise<Dropped[]> {
  // The list of items is emptied as soon as the drop is over, so that all entries are taken first.
  const entries = Array.from(items, (item) => item.webkitGetAsEntry()).filter((entry) => entry !== null);
  const found: Dropped[] = [];
  for (const entry of entries) await walk(entry, "", found);
  return rooted(found);
}
