import { job } from '@/test-support/jobs';
import { lastBatch, reportCsv, reportRows } from './batch';

const at = (time: string) => `2026-11-27T${time}:00.000Z`;

test('jobs that were on the queue together are a batch, those before a long pause are none of it', () => {
  const jobs = [
    job('old', 'done', { createdAt: at('08:00'), endedAt: at('09:00') }),
    job('a', 'done', { createdAt: at('20:00'), endedAt: at('20:40') }),
    // Changing the disc took twenty minutes.
    job('b', 'failed', { createdAt: at('21:00'), endedAt: at('21:10') }),
    job('c', 'done', { createdAt: at('20:10'), endedAt: at('23:00'), damaged: 2 }),
    job('d', 'cancelled', { createdAt: at('22:00'), endedAt: at('22:05') }),
  ];
  const batch = lastBatch(jobs);
  expect(batch?.jobs.map((j) => j.id).sort()).toEqual(['a', 'b', 'c', 'd']);
  expect([batch?.fromAt, batch?.untilAt]).toEqual([at('20:00'), at('23:00')]);
  const ids = (list: readonly { id: string }[] | undefined) => list?.map((j) => j.id);
  expect([ids(batch?.done), ids(batch?.withGaps), ids(batch?.failed), ids(batch?.cancelled)]).toEqual([['a'], ['c'], ['b'], ['d']]);
  // One more is sent long after the others ended, but before the last has: it belongs to them, and nothing is over.
  const open = lastBatch([...jobs, job('e', 'waiting', { createdAt: at('22:59') })]);
  expect([open?.jobs.length, open?.untilAt, ids(open?.open)]).toEqual([5, null, ['e']]);
  expect(lastBatch([])).toBeNull();
  expect(lastBatch([job('x', 'failed', { createdAt: '' })])).toBeNull();
});

test('the report says what wants eyes first, and no name becomes a formula or another column', () => {
  const problem = { code: 'proof-failed', message: 'He said "no",\nthen left', whatToDo: 'Read it again', where: null } as const;
  const batch = lastBatch([
    job('good', 'done', { createdAt: at('20:00'), endedAt: at('20:40'), name: '=1+1', files: ['a.mkv', 'a.mp4'] }),
    job('bad', 'failed', { createdAt: at('20:00'), endedAt: at('20:41'), name: 'Bad', problem }),
  ]);
  if (!batch) throw new Error('no batch');
  const rows = reportRows(batch);
  expect(rows.map((r) => r.outcome)).toEqual(['failed', 'in the vault, proven']);
  const csv = reportCsv(rows);
  expect(csv).toContain('"He said ""no"",\nthen left","Read it again"\r\n');
  expect(csv).toContain(`"'=1+1"`);
  expect(csv).toContain('"a.mkv; a.mp4"');
});
