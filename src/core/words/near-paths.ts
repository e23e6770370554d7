/** Paths in messages as they look from where one stands. */

/** So many folders upwards a path is still easier to read than a whole one. */
const MAX_UP = 4;

/** A text with the paths in or near a folder shortened. @param folder absolute, such as `/home/mill/site` */
export function nearPaths(text: string, folder: string): string {
  let near = text;
  let at = folder.endsWith('/') ? folder.slice(0, -1) : folder;
  for (let up = 0; up <= MAX_UP && at.lastIndexOf('/') > 0; up++) {
    near = replaceFolder(near, at, up === 0 ? '.' : Array<string>(up).fill('..').join('/'));
    at = at.slice(0, at.lastIndexOf('/'));
  }
  return near;
}

/** The folder itself, and what begins with it: in front of it and behind it no name goes on. */
function replaceFolder(text: string, folder: string, becomes: string): string {
  const parts = text.split(folder);
  return parts.reduce((done, part) => {
    const isPath = !/[\w./~-]$/.test(done) && !/^[\w~-]/.test(part);
    if (!isPath) return done + folder + part;
    return part.startsWith('/') && becomes === '.' ? done + part.slice(1) : done + becomes + part;
  });
}
