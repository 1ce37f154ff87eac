import { existsSync, readFileSync, rmSync } from 'node:fs';
import path from 'node:path';
import { AFTER_GRACE_MS, type EngineEvent, type JobState, type QueueSettings } from '@/contract';
import { temporaryFolder } from '@/test-support/discs';
import { job } from '@/test-support/jobs';
import { AfterQueue } from './after-queue';
import { QueueRules } from './queue-rules';

/** What is done once all jobs are over: once, for what ended since it was chosen, and never behind the back of whoever is there. */

function machine(dataFolder = temporaryFolder()) {
  const seen: EngineEvent[] = [];
  const ejected: string[] = [];
  const around = { states: [] as JobState[], idle: true };
  const note = path.join(dataFolder, 'note');
  const rules = new QueueRules(dataFolder);
  const drives = ['a', 'b', 'c'].map((id) => ({ id, name: `Drive ${id}`, disc: id === 'b' ? null : 'DISC' }));
  const after = new AfterQueue({
    dataFolder,
    commands: [
      // What it leaves behind is what an engine that it ends would find.
      {
        id: 'note',
        name: 'Leave a note',
        command: ['/bin/sh', '-c', `cat queue.json after-queue.json >> note`.replaceAll(/(\S+\.json|note)/g, `'${dataFolder}/$1'`)],
      },
      { id: 'fails', name: 'Fail', command: ['/bin/sh', '-c', 'echo no power; exit 3'] },
      { id: 'none', name: 'Nowhere', command: ['/nowhere/at-all'] },
    ],
    rules,
    jobs: { states: () => around.states },
    drives: {
      states: () => drives as unknown as ReturnType<ConstructorParameters<typeof AfterQueue>[0]['drives']['states']>,
      eject: (id) => {
        ejected.push(id);
        return id === 'c' ? Promise.reject(new Error('it is stuck')) : Promise.resolve();
      },
    },
    isIdle: () => around.idle,
    hub: { send: (event) => seen.push(event) },
  });
  const choose = (wish: QueueSettings['after']) => {
    const before = rules.current.after;
    rules.change({ ...rules.current, after: wish });
    after.chosen(before);
  };
  return { dataFolder, after, rules, around, seen, ejected, choose, note };
}
const later = () => new Date(Date.now() + 5).toISOString();
const run = (command: string) => ({ do: 'run', command }) as const;

test('it is done once, some seconds after the last job, and only for what has ended since it was chosen', async () => {
  const { after, around, choose, note, rules, dataFolder } = machine();
  around.states = [job('old', 'done', { endedAt: '2026-01-01T00:00:00Z' })];
  choose(run('note'));
  const start = Date.now();
  await after.look(start + 10 * AFTER_GRACE_MS);
  expect(after.state.dueAt).toBeNull();
  around.states = [...around.states, job('new', 'done', { endedAt: later() }), job('held', 'waiting', { paused: true })];
  await after.look(start + 20 * AFTER_GRACE_MS);
  expect(after.state.dueAt).toBeNull();
  around.states = around.states.filter((j) => j.id !== 'held');
  around.idle = false; // an image is still being taken
  await after.look(start + 21 * AFTER_GRACE_MS);
  expect(after.state.dueAt).toBeNull();
  around.idle = true;
  await after.look(start);
  expect(after.state.dueAt).toBe(new Date(start + AFTER_GRACE_MS).toISOString());
  await after.look(start + AFTER_GRACE_MS - 1);
  expect(existsSync(note)).toBe(false);
  // Another job comes in time: all of it waits for that.
  around.states = [...around.states, job('late', 'waiting')];
  await after.look(start + AFTER_GRACE_MS);
  expect(after.state.dueAt).toBeNull();
  around.states = around.states.map((j) => ({ ...j, state: 'done', endedAt: j.endedAt ?? later() }));
  await after.look(start);
  await after.look(start + AFTER_GRACE_MS);
  // When it ran it was chosen no more, and written down as begun: an engine that it ended would not do it again.
  const found = readFileSync(note, 'utf8');
  expect(found).toMatch(/"after":\{"do":"nothing"\}.*"what":"Leave a note","state":"begun"/s);
  expect(after.state).toMatchObject({ dueAt: null, last: { what: 'Leave a note', state: 'done' } });
  rmSync(note);
  const again = machine(dataFolder);
  again.around.states = around.states;
  await again.after.look(start + 30 * AFTER_GRACE_MS);
  await again.after.look(start + 40 * AFTER_GRACE_MS);
  expect([existsSync(note), again.after.state.last?.state, rules.current.after.do]).toEqual([false, 'done', 'nothing']);
});

test('it can be called off, and outlasts the engine until then', async () => {
  const first = machine();
  first.choose({ do: 'eject' });
  const states = [job('new', 'failed', { endedAt: later() })];
  const { after, around, choose, ejected, dataFolder } = machine(first.dataFolder);
  around.states = states;
  await after.look(0);
  expect(after.state.dueAt).not.toBeNull();
  choose({ do: 'nothing' });
  expect(after.state.dueAt).toBeNull();
  await after.look(10 * AFTER_GRACE_MS);
  expect([ejected, machine(dataFolder).rules.current.after]).toEqual([[], { do: 'nothing' }]);
});

test('what went wrong is said: a tray that is stuck, a command that fails, one that is not there or not among them', async () => {
  const { after, around, choose, ejected } = machine();
  const doIt = async (wish: QueueSettings['after']) => {
    choose(wish);
    around.states = [job('new', 'done', { endedAt: later() })];
    await after.look(0);
    await after.look(AFTER_GRACE_MS);
    return after.state.last;
  };
  expect(await doIt({ do: 'eject' })).toMatchObject({ what: 'Open the trays', state: 'failed', said: 'Drive c: it is stuck' });
  expect(ejected).toEqual(['a', 'c']);
  expect(await doIt(run('fails'))).toMatchObject({ what: 'Fail', state: 'failed', said: 'It ended with 3: no power' });
  expect((await doIt(run('none')))?.said).toMatch(/ENOENT/);
  expect(await doIt(run('rm -rf /'))).toMatchObject({ state: 'failed', said: 'It is not among those that may be run' });
});
