import { readFileSync } from 'node:fs';
import { Agent, request, type ClientRequest, type IncomingMessage } from 'node:http';
import path from 'node:path';
import type { SourceRef } from '@/contract';
import type { Reading } from '@/core/reading';
import type { RecipeId } from '@/core/recipes';
import { wholeTitleReel } from '@/core/reels';
import { QUAY, titleOf } from '@/test-support/discs';
import { TestEngine } from '@/test-support/engine';

/** Everything at once, while a master is made: every request is answered, and the engine stays small. What it costs in time is the bench's. */
const REQUESTS = 3000;
const STREAMS = 600;
const PAUSED = 100;
const PROOFS = 20;
const MOST_MB = 200;

const image: SourceRef = { kind: 'place', root: 'images', path: 'QUAY.iso' };
const tray: SourceRef = { kind: 'drive', drive: 'tray' };
const reel = (name: string, recipes: readonly RecipeId[]) => (reading: Reading) => ({
  ...wholeTitleReel(titleOf(reading, 2), name),
  recipes,
});

const engine = new TestEngine([{ id: 'slow', image: QUAY, gated: true }]);
const socketPath = path.join(engine.folder, 'engine.sock');
const open = (url: string, agent: Agent | false) =>
  new Promise<{ outgoing: ClientRequest; response: IncomingMessage }>((resolve, reject) => {
    const outgoing = request({ socketPath, path: url, agent });
    outgoing.on('error', reject);
    outgoing.on('response', (response) => {
      outgoing.on('error', () => undefined); // it is closed in the end
      resolve({ outgoing, response });
    });
    outgoing.end();
  });
const statusOf = async (url: string, agent: Agent) => {
  const { response } = await open(url, agent);
  response.resume();
  await new Promise((resolve) => response.once('close', resolve));
  return response.statusCode;
};

afterAll(() => engine.stop('SIGKILL'));

test('three thousand requests, six hundred listeners, a hundred paused downloads and twenty proofs, while a master is made', async () => {
  await engine.start();
  await engine.jobUntil((await engine.submit(image, reel('Before', ['master', 'access']))).jobId, (job) => job.state === 'done');
  const outputs = await engine.outputs();
  const [master, copy] = [outputs.find((o) => o.sidecar.recipe === 'master'), outputs.find((o) => o.sidecar.recipe === 'access')];
  if (!master || !copy) throw new Error('nothing was made');
  await engine.call('insert', { id: 'tray', body: { disc: 'slow' } });
  const { jobId } = await engine.submit(tray, reel('Meanwhile', ['master']));
  await engine.atWork(jobId);

  const streams = await Promise.all(Array.from({ length: STREAMS }, () => open('/events', false)));
  const paused = await Promise.all(Array.from({ length: PAUSED }, () => open(`/outputs/${copy.id}/play`, false)));
  let heard = 0;
  for (const { response } of streams) response.on('data', () => heard++);
  const proofs = Array.from({ length: PROOFS }, () => engine.call('reprove', { id: master.id }));
  const agent = new Agent({ keepAlive: true, maxSockets: 40 });
  const urls = ['/state', '/outputs', `/outputs/${copy.id}`, `/jobs/${jobId}/log`, '/browse?root=images&path='];
  const answers = await Promise.all(Array.from({ length: REQUESTS }, (_, i) => statusOf(urls[i % urls.length] ?? '', agent)));
  agent.destroy();
  expect(answers.filter((status) => status !== 200)).toEqual([]);
  for (const proven of await Promise.all(proofs)) expect(proven).toMatchObject({ proof: { passed: true }, digestMatches: true });
  expect([...streams, ...paused].map(({ response }) => response.statusCode).filter((s) => s !== 200)).toEqual([]);
  expect(heard).toBeGreaterThanOrEqual(STREAMS);
  expect(await engine.jobUntil(jobId, (job) => ['done', 'failed'].includes(job.state))).toMatchObject({ state: 'done' });
  const { pid } = JSON.parse(readFileSync(path.join(engine.folder, 'engine.json'), 'utf8')) as { pid: number };
  const peak = Number(/VmHWM:\s+(\d+)/.exec(readFileSync(`/proc/${pid}/status`, 'utf8'))?.[1]) / 1024;
  expect(peak).toBeLessThan(MOST_MB);
  for (const { outgoing } of [...streams, ...paused]) outgoing.destroy();
  // Those that left are forgotten: the next ones are served as the first.
  expect((await engine.call('state')).jobs).toHaveLength(2);
});
