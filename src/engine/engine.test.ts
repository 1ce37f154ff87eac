import { existsSync, mkdirSync, readFileSync, readdirSync, rmSync, symlinkSync, writeFileSync } from 'node:fs';
import path from 'node:path';
import { MeasureLineSchema, SidecarSchema, type JobState, type SourceRef } from '@/contract';
import type { Reading } from '@/core/reading';
import type { RecipeId } from '@/core/recipes';
import { wholeTitleReel, type Reel } from '@/core/reels';
import { LOCKS, QUAY, openDisc, temporaryFolder } from '@/test-support/discs';
import { complaints, probed } from '@/test-support/ffmpeg';
import { identify } from '@/node/process-id';
import { Refused, TestEngine } from '@/test-support/engine';

/** The engine and its runners as processes of their own, hurt in the ways that happen. */

const image: SourceRef = { kind: 'place', root: 'images', path: 'QUAY.iso' };
const locks: SourceRef = { kind: 'place', root: 'images', path: 'LOCKS.iso' };
const tray: SourceRef = { kind: 'drive', drive: 'tray' };
const missing = path.join(temporaryFolder(), 'not-mounted');

let engine: TestEngine;
beforeAll(async () => {
  engine = new TestEngine(
    [
      { id: 'slow', image: QUAY, gated: true },
      { id: 'scratched', image: QUAY, scratches: [{ sector: 2500, sectors: 3 }] },
      { id: 'other', image: LOCKS },
      { id: 'sleepy', image: QUAY, spinUpMs: 60_000 },
    ],
    [
      { id: 'gone', name: 'Gone', path: missing },
      { id: 'system', name: 'System', path: '/sys/kernel' },
    ],
  );
  await engine.start();
});
afterAll(async () => {
  await engine.stop();
});

const reel =
  (title: number, name: string, recipes: readonly RecipeId[] = ['master']) =>
  (reading: Reading): Reel => {
    const found = reading.titles.find((t) => t.number === title);
    if (!found) throw new Error('no such title');
    return { ...wholeTitleReel(found, name), recipes };
  };
/** Names in the library that anybody would take for results. */
const results = () =>
  readdirSync(engine.library, { recursive: true })
    .map(String)
    .filter((n) => /\.(mkv|mp4|json)$/.test(n) && !n.startsWith('.careful-vault'))
    .sort();
/** For what is in its way. */
const waits = (job: JobState) => job.state === 'waiting' && job.problem !== null;
const over = (job: JobState) => ['done', 'failed', 'cancelled'].includes(job.state);
const insert = async (disc: string) => {
  await engine.until(async () => ((await engine.call('state')).drives[0]?.state !== 'reading' ? true : null));
  await engine.call('insert', { id: 'tray', body: { disc } });
};
const refusal = async (work: Promise<unknown>): Promise<Refused> => {
  const error = await work.then(
    () => null,
    (e: unknown) => e,
  );
  if (!(error instanceof Refused)) throw new Error(`expected a refusal, got ${String(error)}`);
  return error;
};

describe('a job from disc to library', () => {
  test('gives a proven master and an access copy, each with its provenance', async () => {
    const { jobId } = await engine.submit(image, reel(2, 'The Quay', ['master', 'access']));
    const job = await engine.jobUntil(jobId, over);
    expect(job).toMatchObject({ state: 'done', problem: null, attempts: 1 });
    expect(results()).toEqual(['The Quay.mkv', 'The Quay.mkv.json', 'The Quay.mp4', 'The Quay.mp4.json']);
    expect(engine.unfinished()).toEqual([]);

    const outputs = await engine.outputs();
    const master = outputs.find((o) => o.sidecar.recipe === 'master');
    expect(master?.sidecar.proof).toMatchObject({ passed: true, identicalTracks: 6, tracks: 6 });
    expect(master?.sidecar.disc.label).toBe('QUAY');
    expect(master?.sidecar.segments.map((s) => s.chapter)).toEqual([1, 2, 3]);
    expect(complaints(path.join(engine.library, 'The Quay.mkv'))).toEqual([]);

    const copy = probed(path.join(engine.library, 'The Quay.mp4'));
    expect(copy.streams.filter((s) => s.codec_type !== 'data').map((s) => s.codec_name)).toEqual(['h264', 'aac', 'aac', 'aac']);
    expect(copy.streams[0]).toMatchObject({ display_aspect_ratio: '16:9', field_order: 'progressive', r_frame_rate: '25/1' });
    expect(copy.chapters).toHaveLength(3);
    expect(Math.abs(Number(copy.format.duration) - 9)).toBeLessThan(0.1);
  });

  test('foreign files of the library are believed in nothing: a link is not followed, a date that is none is not shown', async () => {
    const [made] = results().filter((n) => n.endsWith('.mkv'));
    if (made === undefined) throw new Error('nothing was made');
    const text = readFileSync(path.join(engine.library, `${made}.json`), 'utf8');
    const at = (name: string) => path.join(engine.library, name);
    writeFileSync(at('Linked.mkv.json'), text);
    symlinkSync(QUAY, at('Linked.mkv'));
    writeFileSync(at('Undated.mkv.json'), text.replace(/"madeAt": "[^"]*"/, '"madeAt": "the day after"'));
    writeFileSync(at('Torn.mkv.json'), text.slice(0, 200));
    writeFileSync(at('Empty.mkv.json'), '');
    for (const folder of ['Sub', 'Bag', 'Disc folders']) mkdirSync(at(folder));
    writeFileSync(at('Bag/bagit.txt'), '');
    for (const film of ['Sub/Alone.mp4', 'Bag/Alone.mkv', 'Disc folders/Alone.mkv', 'Sub/notes.txt']) writeFileSync(at(film), 'x');
    const { unread, orphans } = await engine.until(async () => {
      const page = await engine.call('outputs');
      return page.unread.length > 0 ? page : null;
    });
    expect(unread.map((u) => [u.path, u.reason.split(':')[0]]).sort()).toEqual([
      ['Empty.mkv.json', 'it is empty'],
      ['Torn.mkv.json', 'it is no JSON'],
      ['Undated.mkv.json', 'it is no sidecar, or of another version'],
    ]);
    // What is in a bag, or taken out of a disc, is no result; a film beside which nothing stands might be one.
    expect(orphans).toEqual([{ storageName: 'Library', path: 'Sub/Alone.mp4' }]);
    const outputs = await engine.outputs();
    expect(outputs.find((o) => o.path === 'Linked.mkv')).toMatchObject({ presence: 'missing', sizeBytes: 0 });
    expect(outputs.some((o) => o.path === made)).toBe(true);
    expect(outputs.filter((o) => /Undated|Torn/.test(o.path))).toEqual([]);
    for (const name of [
      'Linked.mkv.json',
      'Linked.mkv',
      'Undated.mkv.json',
      'Torn.mkv.json',
      'Empty.mkv.json',
      'Sub',
      'Bag',
      'Disc folders',
    ])
      rmSync(at(name), { recursive: true });
  });

  test('what is in the vault can be proven again, and a changed file is found out', async () => {
    const outputs = await engine.outputs();
    for (const output of outputs)
      expect(await engine.call('reprove', { id: output.id })).toMatchObject({ digestMatches: true, proof: { passed: true } });
    const master = outputs.find((o) => o.sidecar.recipe === 'master');
    const file = path.join(engine.library, master?.path ?? '');
    const data = readFileSync(file);
    const at = Math.floor(data.byteLength / 2);
    data[at] = (data[at] ?? 0) ^ 1;
    writeFileSync(file, data);
    expect(await engine.call('reprove', { id: master?.id ?? '' })).toMatchObject({ digestMatches: false, proof: { passed: false } });
    rmSync(file);
    expect((await engine.call('output', { id: master?.id ?? '' })).presence).toBe('missing');
    for (const name of results()) rmSync(path.join(engine.library, name));
  });

  test('only an access copy: the encoder is fed with the assembled stream itself', async () => {
    const { jobId } = await engine.submit(locks, reel(2, 'Lock one', ['access']));
    expect(await engine.jobUntil(jobId, over)).toMatchObject({ state: 'done' });
    expect(results()).toEqual(['Lock one.mp4', 'Lock one.mp4.json']);
    const copy = probed(path.join(engine.library, 'Lock one.mp4'));
    expect(copy.streams[0]).toMatchObject({ codec_name: 'h264', r_frame_rate: '30000/1001', display_aspect_ratio: '4:3' });
    expect(copy.chapters).toHaveLength(2);
    expect((await engine.call('jobLog', { id: jobId })).events.map((e) => e.type)).toEqual(
      expect.arrayContaining(['started', 'stage', 'finished']),
    );
  });
});

describe('playing', () => {
  test('an access copy is sent by ranges, as a seeking player asks for them', async () => {
    const outputs = await engine.outputs();
    const copy = outputs.find((o) => o.sidecar.recipe === 'access' && o.presence === 'present');
    const url = `/outputs/${copy?.id ?? ''}/play`;
    const size = copy?.sizeBytes ?? 0;
    const data = readFileSync(path.join(engine.library, copy?.path ?? ''));
    expect(await engine.beginning(url)).toMatchObject({
      status: 200,
      headers: { 'content-length': String(size), 'accept-ranges': 'bytes' },
    });
    const middle = await engine.beginning(url, { range: 'bytes=100-299' });
    expect(middle).toMatchObject({ status: 206, headers: { 'content-range': `bytes 100-299/${size}` } });
    expect(middle.first.equals(data.subarray(100, 300))).toBe(true);
    expect((await engine.beginning(url, { range: 'bytes=-50' })).first.equals(data.subarray(size - 50))).toBe(true);
    expect((await engine.beginning(url, { range: `bytes=${size}-` })).status).toBe(416);
    expect((await engine.beginning(url, { range: 'bytes=5-1000000000000' })).headers['content-range']).toBe(`bytes 5-${size - 1}/${size}`);
  });

  test('a master is turned into something a browser plays, from any moment; closed players leave nothing behind', async () => {
    await engine.jobUntil((await engine.submit(image, reel(2, 'Played'))).jobId, over);
    const outputs = await engine.outputs();
    const master = outputs.find((o) => o.path === 'Played.mkv');
    for (let i = 0; i < 6; i++) {
      const answer = await engine.until(async () => {
        const begun = await engine.beginning(`/outputs/${master?.id ?? ''}/play?start=${i}&audio=${i % 3}`);
        return begun.status === 503 ? null : begun; // one that was closed a moment ago may still be counted
      });
      expect(answer).toMatchObject({ status: 200, headers: { 'content-type': 'video/mp4' } });
      expect(answer.first.subarray(4, 8).toString()).toBe('ftyp');
    }
    for (const query of ['start=abc', 'start=-5', 'start=1e300', 'audio=99']) {
      expect((await engine.beginning(`/outputs/${master?.id ?? ''}/play?${query}`)).status).toBeLessThan(504);
    }
    expect((await refusal(engine.call('output', { id: 'unknown' }))).status).toBe(404);
  });
});

describe('names', () => {
  test.each([
    ['../../outside', 'outside'],
    ['a/b\\c', 'a-b-c'],
    ['with\u0007bell\u202e', 'withbell'],
    ['long '.repeat(60), `${'long '.repeat(39)}long`],
  ])('%j goes into the library as one plain file', async (name, fileName) => {
    const answer = await engine.submit(image, reel(1, name));
    expect(answer.fileName).toBe(fileName);
    expect(await engine.jobUntil(answer.jobId, over)).toMatchObject({ state: 'done' });
    expect(results()).toContain(`${fileName}.mkv`);
    expect(readdirSync(path.dirname(engine.library)).includes('outside.mkv')).toBe(false);
  });

  test('a folder of the library is made where it is not there, and nowhere else', async () => {
    const { jobId } = await engine.submit(image, reel(1, 'Inside'), 'library', '../Films/ 1990 s/..');
    expect(await engine.jobUntil(jobId, over)).toMatchObject({ state: 'done', folder: 'Films/1990 s' });
    expect(results()).toContain('Films/1990 s/Inside.mkv');
    const outputs = await engine.outputs();
    expect(outputs.find((o) => o.path === 'Films/1990 s/Inside.mkv')).toMatchObject({ presence: 'present' });
    expect((await refusal(engine.submit(image, reel(1, 'Inside'), 'library', 'Films/1990 s'))).problem.code).toBe('name-taken');
  });

  test('one that is taken, in the library or by a job that waits, is refused; nothing is touched', async () => {
    await engine.jobUntil((await engine.submit(image, reel(1, 'Taken'))).jobId, over);
    const before = readFileSync(path.join(engine.library, 'Taken.mkv'));
    expect((await refusal(engine.submit(locks, reel(2, 'Taken')))).problem.code).toBe('name-taken');
    expect(readFileSync(path.join(engine.library, 'Taken.mkv')).equals(before)).toBe(true);
    await insert('slow');
    const { jobId } = await engine.submit(tray, reel(2, 'Waiting'));
    expect((await refusal(engine.submit(image, reel(1, 'WAITING')))).status).toBe(409);
    await engine.call('cancelJob', { id: jobId });
    await engine.jobUntil(jobId, over);
  });

  test('of many sent at once under one name, in whatever letters, one is taken in; a lone sidecar is said for what it is', async () => {
    await insert('slow');
    const names = ['At Once', 'at once', 'AT ONCE', 'At Once'];
    const answers = await Promise.allSettled([...names, ...names, ...names].map((name) => engine.submit(tray, reel(2, name))));
    const taken = answers.flatMap((a) => (a.status === 'fulfilled' ? [a.value.jobId] : []));
    expect(taken).toHaveLength(1);
    await engine.call('cancelJob', { id: taken[0] ?? '' });
    await engine.jobUntil(taken[0] ?? '', over);
    // Composed and decomposed, it is one name.
    writeFileSync(path.join(engine.library, 'Cafe\u0301.mkv'), '');
    expect((await refusal(engine.submit(image, reel(1, 'CAF\u00c9')))).problem.message).toContain('which is empty');
    writeFileSync(path.join(engine.library, 'Alone.mkv.json'), '{"torn');
    expect((await refusal(engine.submit(image, reel(1, 'Alone')))).problem.message).toContain('of a film that is not there');
    for (const name of ['Cafe\u0301.mkv', 'Alone.mkv.json']) rmSync(path.join(engine.library, name));
  });

  test('a file that appears under the name while the job runs is not overwritten', async () => {
    await insert('slow');
    const { jobId } = await engine.submit(tray, reel(2, 'Race'));
    await engine.atWork(jobId);
    writeFileSync(path.join(engine.library, 'Race.mkv'), 'mine');
    const job = await engine.jobUntil(jobId, over);
    expect(job).toMatchObject({ state: 'failed', problem: { code: 'name-taken' } });
    expect(readFileSync(path.join(engine.library, 'Race.mkv'), 'utf8')).toBe('mine');
    expect(results()).not.toContain('Race.mkv.json');
    // The finished stages were kept: once the name is free, only the placing is left.
    rmSync(path.join(engine.library, 'Race.mkv'));
    await engine.call('retryJob', { id: jobId });
    expect(await engine.jobUntil(jobId, (j) => j.state === 'done')).toMatchObject({ problem: null });
    const { events } = await engine.call('jobLog', { id: jobId });
    expect(events.filter((e) => e.type === 'stage' && e.stage === 'master')).toHaveLength(1);
  });
});

describe('a disc that is not whole', () => {
  const spoilt: SourceRef = { kind: 'place', root: 'sounds', path: 'SPOILT.iso' };
  /** Six sectors of the film at zero, as a rescue copy leaves them: no read error tells of them. */
  const spoil = async () => {
    const disc = await openDisc(QUAY);
    const segment = disc.reading.segments.find((s) => s.id === disc.reading.titles[1]?.parts[1]?.segment);
    await disc.opened.close();
    const data = readFileSync(QUAY);
    const from = ((segment?.discSector ?? 0) + 300) * 2048;
    data.fill(0, from, from + 6 * 2048);
    writeFileSync(path.join(engine.sounds, 'SPOILT.iso'), data);
    return (segment?.firstSector ?? 0) + 300;
  };

  test('makes no master before somebody has chosen; then what there is, every place named, without reading it again', async () => {
    const sector = await spoil();
    const { jobId } = await engine.submit(spoilt, reel(2, 'With gaps'));
    const failed = await engine.jobUntil(jobId, over);
    expect(failed).toMatchObject({ state: 'failed', problem: { code: 'not-whole' } });
    expect(failed.problem?.message).toMatch(/The disc is not whole: .*0:00:0\d/);
    expect(failed.stretches).toEqual([{ content: 'VTS_02', firstSector: sector, lastSector: sector + 5, cause: 'spoilt' }]);
    expect(results().filter((n) => n.startsWith('With gaps'))).toEqual([]);

    await engine.call('goAroundJob', { id: jobId });
    expect(await engine.jobUntil(jobId, over)).toMatchObject({ state: 'done', problem: null });
    const { events } = await engine.call('jobLog', { id: jobId });
    expect(events.filter((e) => e.type === 'stage' && e.stage === 'master')).toHaveLength(1);
    const outputs = await engine.outputs();
    const output = outputs.find((o) => o.path === 'With gaps.mkv');
    expect(output).toMatchObject({ seal: 'whole', sidecar: { promise: { around: true }, proof: { passed: true } } });
    expect(output?.sidecar.proof.exceptions).toContainEqual(
      expect.objectContaining({ kind: 'no pack', content: 'VTS_02', firstSector: sector, lastSector: sector + 5 }),
    );

    // A sidecar that says less than was found shows that it was edited.
    const file = path.join(engine.library, 'With gaps.mkv.json');
    writeFileSync(file, readFileSync(file, 'utf8').replace('"around": true', '"around": false'));
    const edited = (await engine.outputs()).find((o) => o.path === 'With gaps.mkv');
    expect(edited?.seal).toBe('broken');
  });

  test('is read anew when it is tried again: a clean copy in its place is whole', async () => {
    await spoil();
    const { jobId } = await engine.submit(spoilt, reel(2, 'Cleaned'));
    expect(await engine.jobUntil(jobId, over)).toMatchObject({ problem: { code: 'not-whole' } });
    writeFileSync(path.join(engine.sounds, 'SPOILT.iso'), readFileSync(QUAY));
    await engine.call('retryJob', { id: jobId });
    expect(await engine.jobUntil(jobId, (j) => j.state === 'done' || (j.state === 'failed' && j.attempts === 0))).toMatchObject({
      state: 'done',
    });
    const output = (await engine.outputs()).find((o) => o.path === 'Cleaned.mkv');
    expect(output?.sidecar.promise.wholeness).toMatchObject({ count: 0, damage: 0 });
  });
});

describe('what breaks', () => {
  test('cancelling leaves nothing that looks finished, and a retry begins anew', async () => {
    await insert('slow');
    const { jobId } = await engine.submit(tray, reel(2, 'Cancelled'));
    await engine.atWork(jobId);
    await engine.call('cancelJob', { id: jobId });
    expect(await engine.jobUntil(jobId, over)).toMatchObject({ state: 'cancelled' });
    expect(results().filter((n) => n.startsWith('Cancelled'))).toEqual([]);
    expect(engine.unfinished()).toEqual([]);
    await engine.call('retryJob', { id: jobId });
    expect(await engine.jobUntil(jobId, (j) => j.state === 'done' || j.state === 'failed')).toMatchObject({ state: 'done' });
    await engine.call('forgetJob', { id: jobId });
    expect((await refusal(engine.call('jobLog', { id: jobId }))).status).toBe(404);
    expect(results()).toContain('Cancelled.mkv');
  });

  test('the next disc is read while the one before is encoded; cancelled there, it can be made anew', async () => {
    await insert('slow');
    engine.holdEncoders();
    const first = await engine.submit(tray, reel(2, 'First', ['master', 'access']));
    const second = await engine.submit(locks, reel(1, 'Second', ['master', 'access']));
    await engine.atWork(first.jobId);
    engine.release();
    // Both masters are made side by side, from two places; only one encoder works at a time.
    await engine.encoding(first.jobId);
    await engine.encoding(second.jobId);
    const { jobs } = await engine.call('state');
    expect(jobs.filter((j) => j.state === 'running' && j.stage === 'access').length).toBeLessThanOrEqual(1);
    expect(results().filter((n) => /^(First|Second)/.test(n))).toEqual([]);
    await engine.found(async () => ((await engine.call('state')).drives[0]?.state === 'ready' ? true : null));
    for (const { jobId } of [first, second]) await engine.call('cancelJob', { id: jobId });
    for (const { jobId } of [first, second]) expect(await engine.jobUntil(jobId, over)).toMatchObject({ state: 'cancelled' });
    expect(engine.unfinished()).toEqual([]);
    await engine.call('retryJob', { id: first.jobId });
    expect(await engine.jobUntil(first.jobId, (j) => j.state === 'done' || j.state === 'failed')).toMatchObject({
      state: 'done',
      problem: null,
    });
    expect(results().filter((n) => n.startsWith('First'))).toHaveLength(4);
  });

  test('a runner killed in mid-write: nothing half-done is shown, and it is started again by itself', async () => {
    await insert('slow');
    const { jobId } = await engine.submit(tray, reel(2, 'Killed'));
    await engine.atWork(jobId);
    const { pid } = JSON.parse(readFileSync(path.join(engine.folder, 'jobs', jobId, 'runner.json'), 'utf8')) as { pid: number };
    process.kill(pid, 'SIGKILL');
    expect(results().filter((n) => n.startsWith('Killed'))).toEqual([]);
    const job = await engine.jobUntil(jobId, over);
    expect(job).toMatchObject({ state: 'done', attempts: 2 });
    const sidecar = SidecarSchema.parse(JSON.parse(readFileSync(path.join(engine.library, 'Killed.mkv.json'), 'utf8')));
    expect(sidecar.proof.passed).toBe(true);
  });

  test('an engine killed while a runner works finds it again, and follows it to its end', async () => {
    await insert('slow');
    const { jobId } = await engine.submit(tray, reel(2, 'Orphan'));
    await engine.atWork(jobId);
    const { boot } = await engine.call('state');
    await engine.stop('SIGKILL');
    await engine.start();
    const state = await engine.call('state');
    expect(state.boot).not.toBe(boot);
    expect(state.drives[0]?.disc).toBe('slow');
    const job = await engine.jobUntil(jobId, over);
    expect(job).toMatchObject({ state: 'done', attempts: 1 });
    expect(results()).toContain('Orphan.mkv');
  });

  test('an order torn by a power cut is shown as such, and one that was changed is not carried out; both can be cleared', async () => {
    const [torn, changed] = [await engine.submit(image, reel(1, 'Torn')), await engine.submit(image, reel(1, 'Changed'))];
    for (const { jobId } of [torn, changed]) await engine.jobUntil(jobId, over);
    await engine.stop('SIGKILL');
    const order = (jobId: string) => path.join(engine.folder, 'jobs', jobId, 'job.json');
    writeFileSync(order(torn.jobId), '');
    const text = readFileSync(order(changed.jobId), 'utf8');
    writeFileSync(order(changed.jobId), text.replace('"folder": ""', '"folder": "../../outside"'));
    // As if they had never begun: a runner would now carry them out.
    for (const { jobId } of [torn, changed]) rmSync(path.join(engine.folder, 'jobs', jobId, 'events.ndjson'));
    await engine.start();
    const lost = (await engine.call('state')).jobs.filter((j) => [torn.jobId, changed.jobId].includes(j.id));
    expect(lost.map((j) => [j.state, j.problem?.code])).toEqual([
      ['failed', 'order-lost'],
      ['failed', 'order-lost'],
    ]);
    expect(lost[0]?.problem?.whatToDo).toContain('still on the Bench');
    expect(existsSync(path.join(engine.folder, '..', 'outside'))).toBe(false);
    for (const { id } of lost) await engine.call('forgetJob', { id });
    expect((await engine.call('state')).jobs.some((j) => lost.some((l) => l.id === j.id))).toBe(false);
  });

  test('a file that says that process 1 is the runner holds up nothing', async () => {
    await engine.stop('SIGKILL');
    const { jobId } = await (await engine.start(), engine.submit(image, reel(1, 'Not init')));
    await engine.jobUntil(jobId, over);
    await engine.stop('SIGKILL');
    const folder = path.join(engine.folder, 'jobs', jobId);
    rmSync(path.join(folder, 'events.ndjson'));
    rmSync(path.join(engine.library, 'Not init.mkv'));
    rmSync(path.join(engine.library, 'Not init.mkv.json'));
    rmSync(path.join(folder, 'progress.json'));
    writeFileSync(path.join(folder, 'runner.json'), JSON.stringify(identify(1)));
    await engine.start();
    expect(await engine.jobUntil(jobId, over)).toMatchObject({ state: 'done' });
  });

  test('a source that went away is said to be away; nobody is told to clean it, or to connect the library', async () => {
    const gone: SourceRef = { kind: 'place', root: 'sounds', path: 'GONE.iso' };
    const file = path.join(engine.sounds, 'GONE.iso');
    writeFileSync(file, readFileSync(QUAY));
    await insert('slow');
    const { jobId: before } = await engine.submit(tray, reel(2, 'In the way'));
    await engine.atWork(before);
    const { jobId } = await engine.submit(gone, reel(2, 'Gone'));
    rmSync(file);
    await engine.call('cancelJob', { id: before });
    const job = await engine.jobUntil(jobId, waits);
    expect(job).toMatchObject({ state: 'waiting', problem: { code: 'source-missing', message: '“GONE.iso” is not there' } });
    expect(job.problem?.whatToDo).toContain('choose another source');
    expect(JSON.stringify(job.problem)).not.toContain(engine.folder);
    writeFileSync(file, readFileSync(QUAY));
    expect(await engine.jobUntil(jobId, (j) => j.state === 'done')).toMatchObject({ problem: null });
    rmSync(file);
  });

  test('a scratched disc fails with the place and what to do; the library stays clean', async () => {
    await insert('scratched');
    const { jobId } = await engine.submit(tray, reel(2, 'Scratched'));
    const job = await engine.jobUntil(jobId, over);
    expect(job).toMatchObject({ state: 'failed', problem: { code: 'read-failed', where: { source: 'scratched' } } });
    expect(job.problem?.message).toContain('Sector 2500');
    expect(job.problem?.whatToDo).not.toBe('');
    expect(results().filter((n) => n.startsWith('Scratched'))).toEqual([]);
    expect(engine.unfinished()).toEqual([]);
  });

  test('another disc in the drive than was planned from is noticed', async () => {
    await insert('slow');
    const { reading } = await engine.read(tray);
    await insert('other');
    if (!reading) throw new Error('nothing read');
    const { jobId } = await engine.call('submitJob', {
      body: {
        source: tray,
        fingerprint: reading.fingerprint,
        reading,
        reel: reel(2, 'Wrong disc')(reading),
        storage: 'library',
        folder: '',
      },
    });
    expect(await engine.jobUntil(jobId, waits)).toMatchObject({ state: 'waiting', problem: { code: 'other-disc' } });
    await engine.call('cancelJob', { id: jobId });
    await engine.jobUntil(jobId, over);
  });

  test('storage that is not there, can not be written, or fills up', async () => {
    expect((await refusal(engine.submit(image, reel(1, 'Nowhere'), 'gone'))).problem.code).toBe('storage-missing');
    expect(existsSync(missing)).toBe(false);
    const state = await engine.call('state');
    expect(state.storages.find((s) => s.id === 'gone')).toMatchObject({ available: false });
    expect((await refusal(engine.submit(image, reel(1, 'System'), 'system'))).problem.code).toBe('storage-new');
    // As root nothing looks read-only until it is tried.
    expect((await refusal(engine.call('takeStorage', { id: 'system' }))).problem.code).toBe('storage-read-only');

    await insert('slow');
    const { jobId } = await engine.submit(tray, reel(2, 'Full'));
    const workshop = path.join(engine.library, '.careful-vault', jobId);
    await engine.atWork(jobId);
    await engine.call('cancelJob', { id: jobId });
    await engine.jobUntil(jobId, over);
    // The device that is always full, where the unfinished file would be.
    mkdirSync(workshop, { recursive: true });
    symlinkSync('/dev/full', path.join(workshop, 'master.mkv.part'));
    await engine.call('retryJob', { id: jobId });
    expect(await engine.jobUntil(jobId, (j) => j.state === 'failed')).toMatchObject({ problem: { code: 'storage-full' } });
    expect(results().filter((n) => n.startsWith('Full'))).toEqual([]);
  });

  test('protected titles are refused with the reason, whatever the page says', async () => {
    const { reading } = await engine.read(image);
    if (!reading) throw new Error('nothing read');
    const scrambled: Reading = { ...reading, titles: reading.titles.map((t) => ({ ...t, state: 'scrambled' as const })) };
    const submit = engine.call('submitJob', {
      body: {
        source: image,
        fingerprint: reading.fingerprint,
        reading: scrambled,
        reel: reel(2, 'No')(reading),
        storage: 'library',
        folder: '',
      },
    });
    expect((await refusal(submit)).problem.message).toContain('copy protected');
  });
});

describe('looking into a title', () => {
  test('pictures, a preview that can be left, measurements with progress; the same view for the same wish', async () => {
    const { reading } = await engine.read(image);
    if (!reading) throw new Error('nothing read');
    const wish = { source: image, reading };
    const { id } = await engine.call('openLook', { body: wish });
    expect((await engine.call('openLook', { body: wish })).id).toBe(id);
    const sheet = { title: 2, angle: 1, moments: [0, 3000, 6000], width: 192 };
    const { pictures } = await engine.call('sheet', { id, body: sheet });
    expect(pictures.map((p) => p?.slice(0, 27))).toEqual(Array(3).fill('data:image/jpeg;base64,/9j/'));
    expect(await engine.call('sheet', { id, body: sheet })).toEqual({ pictures });
    const film = await engine.stream('GET', `/looks/${id}/play?title=2&start=3000&audio=${reading.titles[1]?.audio[0]?.stream}`);
    expect(film.subarray(4, 8).toString()).toBe('ftyp');
    const lines = (await engine.stream('POST', `/looks/${id}/measure`, { title: 2, everything: false })).toString().trim().split('\n');
    expect(MeasureLineSchema.parse(JSON.parse(lines.at(-1) ?? ''))).toMatchObject({ type: 'measured', measured: { everything: false } });
    expect((await refusal(engine.call('sheet', { id, body: { ...sheet, title: 9 } }))).status).toBe(404);
    expect((await refusal(engine.call('sheet', { id: 'none', body: sheet }))).status).toBe(404);
  });

  test('titles of one disc share one view, each with what was sent of it', async () => {
    const { reading } = await engine.read(locks);
    if (!reading) throw new Error('nothing read');
    const only = (number: number) => ({ ...reading, titles: reading.titles.filter((t) => t.number === number) });
    const [first, second] = await Promise.all(
      [2, 3].map((number) => engine.call('openLook', { body: { source: locks, reading: only(number) } })),
    );
    expect(second?.id).toBe(first?.id);
    for (const title of [2, 3]) {
      const { pictures } = await engine.call('sheet', { id: first?.id ?? '', body: { title, angle: 1, moments: [500], width: 128 } });
      expect(pictures[0]).toContain('data:image/jpeg');
    }
    const unsent = engine.call('sheet', { id: first?.id ?? '', body: { title: 4, angle: 1, moments: [500], width: 128 } });
    expect((await refusal(unsent)).status).toBe(404);
  });

  test('looking at a disc in a drive neither takes the drive nor keeps the disc in', async () => {
    await insert('scratched');
    const { reading } = await engine.read(tray);
    if (!reading) throw new Error('nothing read');
    const { id } = await engine.call('openLook', { body: { source: tray, reading } });
    const sheet = { title: 2, angle: 1, moments: [0], width: 192 };
    expect((await engine.call('sheet', { id, body: sheet })).pictures[0]).toContain('data:image/jpeg');
    expect((await engine.call('state')).drives[0]?.state).toBe('ready');
    await engine.call('eject', { id: 'tray' });
    expect((await engine.call('state')).drives[0]?.state).toBe('empty');
    expect((await refusal(engine.call('sheet', { id, body: { ...sheet, moments: [2000] } }))).status).toBe(404);
  });

  test('another disc than the one that was read is not shown as it', async () => {
    const { reading } = await engine.read(image);
    const other = { source: { kind: 'place', root: 'images', path: 'LOCKS.iso' }, reading };
    expect((await refusal(engine.call('openLook', { body: other }))).problem.code).toBe('other-disc');
  });
});

describe('what the engine is asked', () => {
  test('all discs below a place are read in the background, two at a time; what is known is passed over', async () => {
    const known = ['BESIDE', 'CADENCE.iso', 'CHANGES', 'LOCKS.iso', 'SEAM.iso', 'SLIDES.iso', 'WATCH'];
    expect(await engine.call('scan', { body: { root: 'images', except: known } })).toEqual({ started: 3 });
    const mine = async () => {
      const { readings } = await engine.call('state');
      const all = readings.filter((t) => t.source.kind === 'place' && ['HAVEN', 'QUAY.iso', 'TWIN.iso'].includes(t.source.path));
      expect(all.filter((t) => t.state === 'reading').length).toBeLessThanOrEqual(2);
      // The quay was read before: it is the others that show that the scan is over.
      const isDone = (at: string) => all.some((t) => t.state === 'done' && t.source.kind === 'place' && t.source.path === at);
      return isDone('HAVEN') && isDone('TWIN.iso') ? all : null;
    };
    const done = await engine.until(mine);
    const haven = done.filter((t) => t.source.kind === 'place' && t.source.path === 'HAVEN').at(-1);
    const { reading, findings } = await engine.call('reading', { id: haven?.id ?? '' });
    expect(reading).toMatchObject({ kind: 'Blu-ray', label: 'HAVEN' });
    expect(findings?.mainTitle).toBe(2);
    expect((await refusal(engine.call('scan', { body: { root: 'nowhere', except: [] } }))).status).toBe(404);
  });

  test('every sector is read on request, and a scratch is in the reading', async () => {
    await insert('scratched');
    const { id } = await engine.call('startReading', { body: { source: tray, thorough: true } });
    const steps = new Set<string>();
    await engine.until(async () => {
      const task = (await engine.call('state')).readings.find((t) => t.id === id);
      steps.add(task?.progress.step ?? '');
      return task?.state === 'done' ? task : null;
    });
    const { reading } = await engine.call('reading', { id });
    expect(reading?.damage).toMatchObject([{ cause: 'unreadable', content: 'VTS_02' }]);
    const [stretch] = reading?.damage ?? [];
    expect((stretch?.lastSector ?? 0) - (stretch?.firstSector ?? 0)).toBe(2);
    expect(reading?.titles.map((t) => t.state)).toEqual(['usable', 'damaged']);
  });

  test('a Blu-ray’s other cut is made and proven, angles and all tracks, from a folder', async () => {
    const haven: SourceRef = { kind: 'place', root: 'images', path: 'HAVEN' };
    const { jobId } = await engine.submit(haven, reel(1, 'Haven cut', ['master', 'access']));
    const ended = await engine.jobUntil(jobId, over);
    expect(ended).toMatchObject({ state: 'done' });
    const sidecar = SidecarSchema.parse(JSON.parse(readFileSync(path.join(engine.library, 'Haven cut.mkv.json'), 'utf8')));
    expect(sidecar).toMatchObject({ proof: { passed: true, identicalTracks: 7 }, disc: { label: 'HAVEN', kind: 'Blu-ray' } });
    expect(sidecar.promise.tracks.map((t) => t.codecId)).toEqual([
      'V_MPEG4/ISO/AVC',
      'A_TRUEHD',
      'A_AC3',
      'A_AC3',
      'A_PCM/INT/LIT',
      'S_HDMV/PGS',
      'S_HDMV/PGS',
    ]);
    expect(sidecar.promise.tracks[5]?.forcedAtMs).toHaveLength(2);
    expect(
      probed(path.join(engine.library, 'Haven cut.mp4'))
        .streams.filter((s) => s.codec_type !== 'data')
        .map((s) => s.codec_name),
    ).toEqual(['h264', 'aac', 'aac', 'aac', 'aac']);
  });

  test('nothing outside its roots is read, by whatever path', async () => {
    symlinkSync('/etc', path.join(engine.folder, 'link'));
    for (const at of ['../proving', '/etc', '..', 'QUAY.iso/../../../..', 'x\u0000y', '%2e%2e']) {
      expect(
        (await refusal(engine.call('startReading', { body: { source: { kind: 'place', root: 'images', path: at } } }))).problem.code,
      ).toBe('not-known');
      expect((await refusal(engine.call('browse', { query: `?root=images&path=${encodeURIComponent(at)}` }))).status).toBe(404);
    }
    expect((await refusal(engine.call('browse', { query: '?root=other&path=' }))).status).toBe(404);
    expect((await engine.call('browse', { query: '?root=images&path=' })).entries.map((e) => e.name)).toEqual([
      'BESIDE',
      'CADENCE.iso',
      'CHANGES',
      'HAVEN',
      'LOCKS.iso',
      'QUAY.iso',
      'SEAM.iso',
      'SLIDES.iso',
      'TWIN.iso',
      'WATCH',
    ]);
  });

  test('requests that are not as agreed get a typed answer', async () => {
    for (const [method, url, body, status] of [
      ['POST', '/readings', { source: { kind: 'place', root: 'images' } }, 400],
      ['POST', '/jobs', { hello: 'world' }, 400],
      ['GET', '/nothing', null, 404],
      ['DELETE', '/state', null, 404],
      ['GET', '/outputs/..%2f..%2fetc', null, 404],
      ['POST', '/drives/unknown/eject', null, 404],
    ] as const) {
      const answer = await engine.raw(method, url, body);
      expect([url, answer.status]).toEqual([url, status]);
      expect(answer.data).toMatchObject({ problem: { code: expect.any(String) as string, whatToDo: expect.any(String) as string } });
    }
  });

  test('an empty drive says so, and a reading can be cancelled', async () => {
    await engine.until(async () => ((await engine.call('state')).drives[0]?.state !== 'reading' ? true : null));
    await engine.call('eject', { id: 'tray' });
    expect((await refusal(engine.call('startReading', { body: { source: tray } }))).problem.code).toBe('drive-empty');
    await insert('sleepy');
    const task = await engine.call('startReading', { body: { source: tray } });
    await engine.call('cancelReading', { id: task.id });
    const { task: ended } = await engine.until(async () => {
      const result = await engine.call('reading', { id: task.id });
      return result.task.state === 'reading' ? null : result;
    });
    expect(ended.state).toBe('cancelled');
  });

  test('events are numbered: a page that was away hears what it missed, or is told to load anew', async () => {
    const [hello] = await engine.events(null, (lines) => lines.length >= 2);
    expect(hello).toMatch(/^id: .+\.\d+$/);
    const seen = hello?.slice(4) ?? '';
    await engine.read(image);
    const missed = await engine.events(seen, (lines) => lines.some((l) => l.includes('"state":"done"')));
    // Drives speak up whenever they like, so others' events may stand between; none may be left out and no greeting sent instead.
    const numberOf = (id: string): number => Number(id.slice(id.lastIndexOf('.') + 1));
    const numbers = missed.filter((l) => l.startsWith('id: ')).map(numberOf);
    expect(numbers).toEqual(numbers.map((_, i) => numberOf(seen) + 1 + i));
    expect(missed.filter((l) => l.includes('"type":"hello"'))).toEqual([]);
    const stranger = await engine.events('another-boot.5', (lines) => lines.length >= 2);
    expect(stranger[1]).toContain('"type":"hello"');
  });
});
