import { visible } from './paint.js';

/** An object by its names: `assets/site.css → assets/site.4f1c2a9b.css` where it has a versioned one. */
export const formatNames = ({
  key,
  plain,
}: {
  readonly key: string;
  readonly plain?: string | undefined;
}): string => (plain === undefined ? visible(key) : `${visible(plain)} → ${visible(key)}`);
