import { readFileSync, readdirSync, writeFileSync } from 'node:fs';
import path from 'node:path';
import { buildAll, type Building, type Making } from '../../demo/building';
import { temporaryFolder } from './discs';
import { fixture, fixtureNow } from './fixtures';

/** What is made once: discs, one by one, and files of the cache. */

const discs = (cache: string, made: string[], fails: string | null, how = 'as ever'): Building[] =>
  ['a', 'b', 'c'].map((id) => ({
    id,
    name: id.toUpperCase(),
    target: path.join(cache, 'discs', `${id}.iso`),
    how: [id, how],
    work: 10,
    make: (unfinished) => {
      writeFileSync(unfinished, `half of ${id}`);
      if (id === fails) return Promise.reject(new Error('the power is gone'));
      writeFileSync(unfinished, `${id} ${how}`);
      made.push(id);
      return Promise.resolve();
    },
  }));

test('a stop in between loses what was under way and nothing else; the next start goes on with what is missing', async () => {
  const cache = temporaryFolder();
  const made: string[] = [];
  const said: Making[] = [];
  const hear = (making: Making) => void said.push(making);
  await expect(buildAll(discs(cache, made, 'b'), cache, hear, 1)).rejects.toThrow('the power is gone');
  // Nothing that only looks finished.
  expect(readdirSync(path.join(cache, 'discs'))).toEqual(['a.iso']);
  expect(said.map((m) => [m.made, m.total, m.names.join()])).toEqual([
    [0, 3, ''],
    [0, 3, 'A'],
    [1, 3, ''],
    [1, 3, 'B'],
  ]);
  await buildAll(discs(cache, made, null), cache, hear, 1);
  expect(made).toEqual(['a', 'b', 'c']);
  expect(said.at(-1)).toEqual({ made: 3, total: 3, share: 1, names: [] });
  // All there: nothing is made, and nothing said.
  const before = said.length;
  await buildAll(discs(cache, made, null), cache, hear, 1);
  expect([made.length, said.length]).toEqual([3, before]);
  // What would come out otherwise is made anew, and so is what somebody took away.
  await buildAll(discs(cache, made, null, 'otherwise'), cache, hear, 2);
  expect([made.length, readFileSync(path.join(cache, 'discs', 'b.iso'), 'utf8')]).toEqual([6, 'b otherwise']);
});

test('a file of the cache is made once, by whoever asks first, and not at all where its making fails', async () => {
  const how = ['test', String(process.pid), Date.now()];
  let times = 0;
  const make = (file: string) => {
    times++;
    writeFileSync(file, 'whole');
    return Promise.resolve();
  };
  await expect(
    fixture(how, 'txt', (file) => {
      writeFileSync(file, 'half');
      return Promise.reject(new Error('no room'));
    }),
  ).rejects.toThrow('no room');
  const [first, second] = [await fixture(how, 'txt', make), fixtureNow(how, 'txt', () => (times = 100))];
  expect([first, times, readFileSync(first, 'utf8')]).toEqual([second, 1, 'whole']);
  expect(await fixture([...how, 'other'], 'txt', make)).not.toBe(first);
});
