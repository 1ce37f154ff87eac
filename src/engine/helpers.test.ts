import { existsSync, readFileSync, writeFileSync } from 'node:fs';
import path from 'node:path';
import { temporaryFolder } from '@/test-support/discs';
import { seeded } from '@/test-support/random';
import { Helpers } from './helpers';
import { Pool, URGENCIES, type Urgency } from './pool';

const folder = temporaryFolder();
const order = {
  kind: 'read' as const,
  source: { kind: 'image' as const, path: '/x', label: 'x' },
  spunUp: true,
  thorough: false,
};
const signal = () => new AbortController().signal;

/** A helper that does what it should not. */
function played(name: string, code: string): Helpers {
  const file = path.join(folder, `${name}.mjs`);
  writeFileSync(file, code);
  return new Helpers(file, 64);
}

describe('a helper', () => {
  test.each([
    ['ends without a word', 'process.exit(0)', 'reader-died'],
    ['says nothing that is known', `console.log('{"type":"unheard of"}')`, 'reader-died'],
    ['says what is no JSON', `console.log('so much for that')`, 'reader-died'],
    ['is killed', `process.kill(process.pid, 'SIGKILL'); setTimeout(() => {}, 1e6)`, 'reader-died'],
    ['needs all the memory there is', `const all = []; for (;;) all.push(new Array(1e6).fill({}))`, 'reader-died'],
    [
      'never ends its line',
      `const block = 'x'.repeat(1 << 20); const more = () => { while (process.stdout.write(block)); process.stdout.once('drain', more); }; more();`,
      'reader-died',
    ],
    [
      'has a problem',
      `console.log(JSON.stringify({ type: 'failed', problem: { code: 'no-disc', message: 'm', whatToDo: 'w', where: null } }))`,
      'no-disc',
    ],
  ])('that %s harms nobody else', async (name, code, expected) => {
    await expect(played(name, code).run(order, signal())).rejects.toMatchObject(
      expected === 'reader-died' ? { code: expected } : { problem: { code: expected } },
    );
  });

  test('that hangs is left at once when it is stopped, and killed', async () => {
    const heard = path.join(folder, 'pid');
    const controller = new AbortController();
    const code = `import fs from 'node:fs'; fs.writeFileSync(${JSON.stringify(heard)}, String(process.pid)); setInterval(() => {}, 1e6);`;
    const running = played('hangs', code).run(order, controller.signal);
    running.catch(() => undefined);
    while (!existsSync(heard) || readFileSync(heard, 'utf8') === '') await new Promise((resolve) => setTimeout(resolve, 10));
    controller.abort();
    await expect(running).rejects.toMatchObject({ problem: { code: 'cancelled' } });
    const pid = readFileSync(heard, 'utf8');
    while (existsSync(`/proc/${pid}/cmdline`) && readFileSync(`/proc/${pid}/cmdline`, 'utf8') !== '')
      await new Promise((resolve) => setTimeout(resolve, 10));
  });
});

describe('the pool', () => {
  test('never runs more than it has places for, keeps one for what is looked at, and serves by urgency: random demands', async () => {
    for (let seed = 1; seed <= 200; seed++) {
      const random = seeded(seed);
      const places = 2 + random.int(3);
      const pool = new Pool(places);
      let running = 0;
      let slow = 0;
      const begun: Urgency[] = [];
      const ends: (() => void)[] = [];
      const all: Promise<unknown>[] = [];
      const dropped: AbortController[] = [];
      let left = 0;
      for (let i = 0; i < 30; i++) {
        const urgency = random.pick(URGENCIES);
        const controller = new AbortController();
        if (random.int(5) === 0) dropped.push(controller);
        const work = async () => {
          running++;
          if (urgency !== 'look') slow++;
          expect(running).toBeLessThanOrEqual(places);
          expect(slow).toBeLessThanOrEqual(places - 1);
          begun.push(urgency);
          await new Promise<void>((resolve) => ends.push(resolve));
          running--;
          if (urgency !== 'look') slow--;
        };
        all.push(
          pool.run(urgency, controller.signal, work).catch((error: unknown) => {
            left++;
            expect(error).toMatchObject({ code: 'cancelled' });
          }),
        );
      }
      for (const controller of dropped) controller.abort();
      await new Promise((resolve) => setImmediate(resolve));
      const atOnce = begun.length;
      while (begun.length + left < 30 || ends.length > 0) {
        await Promise.resolve();
        ends.splice(random.int(Math.max(1, ends.length)), 1)[0]?.();
        await new Promise((resolve) => setImmediate(resolve));
      }
      await Promise.all(all);
      expect(running).toBe(0);
      const order = begun.slice(atOnce).map((u) => URGENCIES.indexOf(u));
      expect(order).toEqual([...order].sort());
    }
  });

  test('what is looked at is served while the rest waits for something that does not end', async () => {
    const pool = new Pool(2);
    const endless = [1, 2, 3].map(() => pool.run('later', signal(), () => new Promise(() => undefined)));
    expect(endless).toHaveLength(3);
    expect(await pool.run('look', signal(), () => Promise.resolve('a picture'))).toBe('a picture');
  });
});
