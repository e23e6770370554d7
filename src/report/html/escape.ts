/** Text in HTML. Everything that comes from files, addresses or endpoints passes through here. */
import { visible } from '../text/paint.js';

const ENTITIES: Readonly<Record<string, string>> = {
  '&': '&amp;',
  '<': '&lt;',
  '>': '&gt;',
  '"': '&quot;',
  "'": '&#39;',
};

export const escapeHtml = (text: string): string =>
  visible(text).replace(/[&<>"']/g, (sign) => ENTITIES[sign] ?? sign);
