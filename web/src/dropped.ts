/** Folders deeper than this, and files beyond this many, are not gone through. */
const DEEP = 6;
const MOST = 500;

/** All files of a drop, those of folders too, and whether there was a folder. It has to be asked while a drop is told. */
export async function filesOf(dropped: DataTransfer): Promise<{ files: File[]; folder: boolean }> {
  const entries = [...dropped.items].flatMap((item) => item.webkitGetAsEntry?.() ?? []);
  if (!entries.some((e) => e.isDirectory)) return { files: [...dropped.files], folder: false };
  const found: File[] = [];
  for (const entry of entries) await gather(entry, found, DEEP);
  return { files: found, folder: true };
}

async function gather(entry: FileSystemEntry, found: File[], deep: number): Promise<void> {
  if (found.length >= MOST || entry.name.startsWith(".")) return;
  if (entry.isFile) {
    const file = await new Promise<File>((ok, no) => (entry as FileSystemFileEntry).file(ok, no));
    found.push(file);
    return;
  }
  if (deep === 0) return;
  const reader = (entry as FileSystemDirectoryEntry).createReader();
  // A reader gives its entries a hundred at a time, and none once all were given.
  for (;;) {
    const some = await new Promise<FileSystemEntry[]>((ok, no) => reader.readEntries(ok, no));
    if (some.length === 0) return;
    for (const inner of some) await gather(inner, found, deep - 1);
  }
}
