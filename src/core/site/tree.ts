/** Objects folder by folder. */

export interface FolderTree {
  objects: number;
  bytes: number;
  readonly folders: Map<string, FolderTree>;
  readonly files: { readonly name: string; readonly size: number }[];
}

const newFolder = (): FolderTree => ({ objects: 0, bytes: 0, folders: new Map(), files: [] });

export function buildTree(objects: Iterable<{ readonly key: string; readonly size: number }>): FolderTree {
  const root = newFolder();
  for (const { key, size } of objects) {
    const steps = key.split('/');
    const name = steps.pop() ?? '';
    let folder = root;
    count(folder, size);
    for (const step of steps) {
      let next = folder.folders.get(step);
      if (!next) folder.folders.set(step, (next = newFolder()));
      folder = next;
      count(folder, size);
    }
    folder.files.push({ name, size });
  }
  return root;
}

function count(folder: FolderTree, size: number): void {
  folder.objects++;
  folder.bytes += size;
}
