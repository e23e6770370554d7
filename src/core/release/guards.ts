/** Publishes that deserve more than a yes. */
import { isPage, isScript, isStyle } from '../assign/defaults.js';
import { essence } from '../assign/media-type.js';
import type { ChangeTotals } from './change-list.js';

/** Whether a publish removes more than half of what a bucket holds. @param held objects in it */
export const removesMost = ({ remove }: ChangeTotals, held: number): boolean => held > 1 && remove > held / 2;

/** Whether an object is a page, or of a kind that pages load. */
export function isPageAsset(contentType: string): boolean {
  const type = essence(contentType);
  return (
    isPage(type) ||
    isStyle(type) ||
    isScript(type) ||
    /^(?:image|font|video|audio)\/|^application\/(?:json|manifest\+json|wasm)$/.test(type)
  );
}
