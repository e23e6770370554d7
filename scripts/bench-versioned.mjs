// What versioned names cost a publish, over the Python documentation.
import { cpSync, existsSync, mkdirSync, rmSync, writeFileSync } from 'node:fs';
import { dirname, join } from 'node:path';
import { CONFIG, fenestra, json, median, pair, PARSE_ALONE, scratch } from './bench-kit.mjs';

const SITE = '/usr/share/doc/python3.11/html';
const VERSIONED = 'versioned: ["_static/**", "_images/**"]\n';

export const versioning = ({ report, ratio, project }) => ({
  versioned() {
    if (!existsSync(SITE))
      return console.log('left out: the Python documentation is not installed (apt-get install python3-doc)');
    const copy = join(scratch, 'versioned-docs');
    cpSync(SITE, copy, { recursive: true, dereference: true });
    const alone = join('node_modules', '.cache', 'parse-alone.mjs');
    mkdirSync(dirname(alone), { recursive: true });
    writeFileSync(alone, PARSE_ALONE);
    const home = (name, more) => {
      const folder = project(name, copy);
      writeFileSync(
        join(folder, 'fenestra.yaml'),
        CONFIG(copy).replace('error: not-found.html', 'error: contents.html') + more,
      );
      return folder;
    };
    const [named, plain] = [home('versioned-home', VERSIONED), home('plain-home', '')];
    const rounds = Array.from({ length: 5 }, () => {
      rmSync(join(named, '.fenestra'), { recursive: true, force: true });
      return [fenestra(named, 'publish', '--yes', '--sure', 'bench'), json(process.cwd(), alone, copy)];
    });
    const first = median(rounds.map(([ours, parse]) => ours / parse));
    report(
      'first publish of the Python documentation with versioned names',
      'at most 1.5 × parse5 with locations',
      ratio(first),
      first <= 1.5,
      `${median(rounds.map(([ours]) => ours)).toFixed(1)} s beside ${median(rounds.map(([, parse]) => parse)).toFixed(1)} s`,
    );
    fenestra(plain, 'publish', '--yes', '--sure', 'bench');
    const unchanged = pair(
      15,
      () => fenestra(named, 'publish', '--yes', '--sure', 'bench'),
      () => fenestra(plain, 'publish', '--yes', '--sure', 'bench'),
    );
    report(
      'the same unchanged',
      'at most 1.2 × an unchanged publish without',
      ratio(unchanged.ratio),
      unchanged.ratio <= 1.2,
      `${unchanged.a.toFixed(3)} s beside ${unchanged.b.toFixed(3)} s`,
    );
  },
});
