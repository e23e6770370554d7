/** Asking name servers, and answering as one; loaded by the commands that do. */
export { askServer, type ServerPlace } from './ask-server.js';
export { openNames, parsePlace, type Names, type NamesPlace } from './open-names.js';
export { answerNames, type AnsweringNames } from './answer-names.js';
