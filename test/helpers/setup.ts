/** One seed for all property tests, where it is given; otherwise each names its own when it fails. */
import fc from 'fast-check';

const seed = process.env['FENESTRA_SEED'];
if (seed !== undefined) fc.configureGlobal({ seed: Number(seed) });
