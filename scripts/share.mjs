// Prints how much of the code is tests, by lines that are not blank.
import { execFileSync } from 'node:child_process';
import { existsSync, readFileSync } from 'node:fs';

const list = (...patterns) =>
  execFileSync('git', ['ls-files', '--cached', '--others', '--exclude-standard', ...patterns], {
    encoding: 'utf8',
  })
    .split('\n')
    .filter((name) => name && existsSync(name));
const lines = (files) =>
  files.reduce(
    (sum, file) =>
      sum +
      readFileSync(file, 'utf8')
        .split('\n')
        .filter((line) => line.trim() !== '').length,
    0,
  );

const tests = lines([...new Set(list('*.test.ts', 'test/*.ts'))]);
const code = lines(list('src/*.ts').filter((file) => !file.endsWith('.test.ts')));
console.log(
  `${tests} lines of tests, ${code} of code: tests are ${Math.round((100 * tests) / (tests + code))}% (asked: a quarter to a third)`,
);
