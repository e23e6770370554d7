/** Which of what waits is near enough to be asked for. */
import type { Placed } from './place-boxes.js';
import type { Screen } from './screen.js';

/** Nearer than this below the screen it is asked for; CSS pixels, as browsers do. */
const NEAR = 1250;
/** Estimates that are further from the border than this part of it are believed. */
const DOUBT = 0.4;

export interface Nearness {
  readonly isNear: boolean;
  /** Whether the estimate is far enough from the border to be believed. */
  readonly isSure: boolean;
}

/** What has no box is never near. */
export function nearnessOf({ isShown, top }: Placed, screen: Screen): Nearness {
  const border = screen.height + NEAR;
  return {
    isNear: isShown && top < border,
    isSure: !isShown || Math.abs(top - border) > border * DOUBT,
  };
}
