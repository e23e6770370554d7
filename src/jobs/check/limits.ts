/** Seconds for a small answer of an endpoint to be whole; a large object has more by its size. */
export const ANSWER_TIME = 30;
/** Seconds for all answers of a check. */
export const RUN_TIME = 3600;
