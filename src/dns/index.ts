/** Asking name servers, and answering as one; loaded by the commands that do. */
export { openNames, type Names, type NamesPlace } from './open-names.js';
export { answerNames, type AnsweringNames, type NameAnswer } from './answer-names.js';
