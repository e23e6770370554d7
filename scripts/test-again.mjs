// Tests of real browsers, stores and name servers wait for programs that share two cores with all the others. What fails
// there is run once more by itself, with the same seed: a defect fails again, and what passes then is named.
import { readFileSync } from 'node:fs';

/** More files than these are no matter of a busy machine. */
const MOST_FILES = 4;
const USES_MACHINE = /helpers\/(?:machine|cluster|browsed|chromium|pages|names-lab)\.js'/;

/** @returns files to run once more by themselves; none where something failed that no busy machine explains */
export function filesToRepeat({ files, unhandled }) {
  const failed = Object.keys(files).filter((file) => files[file].failed.length > 0);
  const canRepeat =
    unhandled === 0 &&
    failed.length <= MOST_FILES &&
    failed.every((file) => USES_MACHINE.test(readFileSync(file, 'utf8')));
  return canRepeat ? failed : [];
}

/** The second run of a file counts. @returns the counts of both runs, and what failed in the first alone */
export function joinReports(first, second) {
  const files = Object.values({ ...first.files, ...second.files });
  const sum = (count) => files.reduce((all, file) => all + count(file), 0);
  const passedAlone = Object.entries(first.files).flatMap(([file, { failed }]) =>
    failed.filter((test) => !second.files[file]?.failed.includes(test)).map((test) => `${file} > ${test}`),
  );
  const counts = {
    passed: sum(({ passed }) => passed),
    failed: sum(({ failed }) => failed.length) + first.unhandled + second.unhandled,
    skipped: sum(({ skipped }) => skipped),
  };
  return { counts, passedAlone };
}
