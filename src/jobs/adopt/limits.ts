/** Requests a second that a published site elsewhere is asked at most, unless told otherwise. */
export const ADOPT_RATE = 20;
