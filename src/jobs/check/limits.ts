/** Seconds for a small answer of an endpoint to be whole; a large object has more by its size. */
export const ANSWER_TIME = 30;
/** Seconds for all answers of a check. */
export const RUN_TIME = 3600;
/** Requests a second that an endpoint elsewhere is asked at most, unless told otherwise. */
export const POLITE_RATE = 100;
/** Requests that are under way at once. */
export const DEFAULT_CONCURRENCY = 16;
