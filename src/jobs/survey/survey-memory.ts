import { join } from 'node:path';

/** Where the survey remembers the site of a config in this folder. */
export const surveyMemory = (folder: string): string => join(folder, '.fenestra', 'survey');
