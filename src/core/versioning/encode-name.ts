/** Nothing in it means anything in HTML, CSS, JSON, XML or a script's strings. */
export const encodeName = (name: string): string =>
  encodeURIComponent(name).replace(
    /[!'()*]/g,
    (character) => `%${character.charCodeAt(0).toString(16).toUpperCase()}`,
  );
