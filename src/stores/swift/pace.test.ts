import { expect, it } from 'vitest';
import { Pace } from './pace.js';

it('grows as long as answers are good, and halves where one is put off', () => {
  const pace = new Pace(8);
  const seen = [pace.limit];
  for (let answers = 0; answers < 100; answers++) pace.grow();
  seen.push(pace.limit);
  pace.shrink();
  seen.push(pace.limit);
  for (let faults = 0; faults < 10; faults++) pace.shrink();
  seen.push(pace.limit);
  expect(seen).toEqual([4, 8, 4, 1]);
});

it('lets no more in than its limit, and everyone in the end', async () => {
  const pace = new Pace(8);
  let [under, most, done] = [0, 0, 0];
  const one = async (number: number): Promise<void> => {
    await pace.enter();
    most = Math.max(most, ++under - pace.limit);
    await new Promise(setImmediate);
    under--;
    if (number % 7 === 0) pace.shrink();
    else pace.grow();
    pace.leave();
    done++;
  };
  await Promise.all(Array.from({ length: 200 }, (_, number) => one(number)));
  expect([most <= 0, done]).toEqual([true, 200]);
});
