import 'fake-indexeddb/auto';
import Dexie from 'dexie';
import { findRoles } from '@/core/findings';
import { DEFAULT_RULES, NO_TAGS } from '@/core/reels';
import { job as jobOf } from '@/test-support/jobs';
import { offers, sketchReading } from '@/test-support/readings';
import type { EngineEvent, EngineState, JobState, Output } from '@/contract';
import { EXCHANGE_FORMAT, HouseRulesSchema, JobStateSchema, type StandingOutcome } from '@/contract';
import { Catalogue, type DiscRecord, type DraftReel, type DraftRecord } from './db';
import { discState } from './disc-state';
import { keepDamage, keepReading, reconcileJobs } from './discs';
import { proposeDraft, reduceDraft, type DraftHistory } from './draft';
import { applyEvent } from './engine';
import { planImport } from './exchange';
import { keepOutcome } from './standing';

const reading = sketchReading([{ parts: ['x:2'] }, { parts: ['a:30', 'b:30'], audio: 2 }], [offers(2, 1, true)]);
const findings = findRoles(reading);
const job = (id: string, state: JobState['state'], change: Partial<JobState> = {}) =>
  jobOf(id, state, { fingerprint: reading.fingerprint, ...change });
let db: Catalogue;
beforeEach(async () => {
  db = new Catalogue(`test-${Math.random()}`);
  await db.open();
});
afterEach(async () => {
  await db.delete();
});

describe('the catalogue', () => {
  test('a disc is one disc wherever it is read; its name and its sources stay', async () => {
    const place = { kind: 'place', root: 'images', path: 'A.iso' } as const;
    const drive = { kind: 'drive', drive: 'tray' } as const;
    await keepReading(db, reading, findings, place, 'A.iso', false, '2026-01-01');
    await db.discs.update(reading.fingerprint, { name: 'My own name' });
    await keepReading(db, reading, findings, drive, 'Tray', false, '2026-01-02');
    await keepReading(db, reading, findings, place, 'A.iso', false, '2026-01-03');
    const [disc, ...others] = await db.discs.toArray();
    expect(others).toEqual([]);
    expect(disc).toMatchObject({ name: 'My own name', addedAt: '2026-01-01', readAt: '2026-01-03' });
    expect(disc?.sources.map((s) => s.name)).toEqual(['A.iso', 'Tray']);
  });

  test('jobs agree with the engine’s after it was away; ended ones stay known', async () => {
    await db.jobs.bulkPut([job('lost', 'running'), job('old', 'done'), job('same', 'waiting')]);
    await reconcileJobs(db, [job('same', 'running'), job('new', 'waiting')]);
    expect((await db.jobs.toArray()).map((j) => [j.id, j.state]).sort()).toEqual([
      ['new', 'waiting'],
      ['old', 'done'],
      ['same', 'running'],
    ]);
  });
});

test('what the standing order did comes into the catalogue; what somebody has composed meanwhile stays', async () => {
  const source = { kind: 'drive', drive: 'tray' } as const;
  const [planned] = proposeDraft(
    { fingerprint: reading.fingerprint, reading, findings, tags: NO_TAGS, firstEpisode: null },
    DEFAULT_RULES,
  ).reels;
  if (!planned) throw new Error('nothing is proposed');
  const outcome = {
    seq: 1,
    at: '2026-01-05',
    fingerprint: reading.fingerprint,
    name: 'In the tray',
    source,
    result: 'wants eyes',
    reason: 'unsure',
    detail: '',
    reels: [planned],
    storage: null,
    folder: [],
    tags: { ...NO_TAGS, series: 'The Locks', season: 2 },
    firstEpisode: 5,
  } satisfies StandingOutcome;
  const kept = () => Promise.resolve({ reading, findings });
  await keepOutcome(db, outcome, kept);
  expect(await db.discs.get(reading.fingerprint)).toMatchObject({ readAt: '2026-01-05', firstEpisode: 5, tags: { series: 'The Locks' } });
  expect((await db.drafts.get(reading.fingerprint))?.reels).toEqual([planned]);
  // Somebody renames it, and gives the disc another series: the same again changes nothing of that.
  const own = [{ ...planned, reel: { ...planned.reel, name: 'My own' } }];
  await db.drafts.update(reading.fingerprint, { reels: own });
  await db.discs.update(reading.fingerprint, { tags: { ...NO_TAGS, series: 'Other' } });
  await keepOutcome(db, outcome, kept);
  expect((await db.drafts.get(reading.fingerprint))?.reels).toEqual(own);
  expect((await db.discs.get(reading.fingerprint))?.tags.series).toBe('Other');
  // It was put in once more and queued: the jobs are real, and what was composed can be had back.
  const queued = [{ ...planned, jobId: 'job-1' }];
  await keepOutcome(db, { ...outcome, seq: 2, result: 'queued', reels: queued }, kept);
  expect(await db.drafts.get(reading.fingerprint)).toMatchObject({ reels: queued, past: [own] });
  // Of one that could not be read there is nothing to keep; one whose reading is gone keeps at least its plan.
  await keepOutcome(db, { ...outcome, fingerprint: null }, kept);
  await keepOutcome(db, { ...outcome, fingerprint: 'f'.repeat(64) }, () => Promise.reject(new Error('gone')));
  expect(await db.discs.count()).toBe(1);
});

test('a catalogue of an earlier version is brought up to date, nothing of it lost', async () => {
  const name = `old-${Math.random()}`;
  const old = new Dexie(name);
  old.version(1).stores({ discs: 'fingerprint, name, readAt', drafts: 'fingerprint', jobs: 'id, fingerprint, createdAt' });
  await old
    .table('drafts')
    .put({ fingerprint: 'f', reels: [{ id: 'r', reel: { name: 'Kept' }, jobId: null }], storage: 's', changedAt: '' });
  old.close();
  const now = new Catalogue(name);
  expect(await now.drafts.get('f')).toMatchObject({ folder: [], storage: 's', reels: [{ reel: { name: 'Kept' } }] });
  await now.delete();
});

test('names that were one line are lists of parts after the upgrade, in the rules, the drafts and a catalogue that comes in', async () => {
  const name = `old ${Math.random()}`;
  const old = new Dexie(name);
  old.version(9).stores({ discs: 'fingerprint, name, readAt', drafts: 'fingerprint', jobs: 'id, fingerprint, createdAt', settings: 'key' });
  const { fileName, folder, angles, ...others } = DEFAULT_RULES;
  expect([fileName.length, folder.length, angles]).toEqual([5, 0, 'first']);
  const rules = { ...others, filePattern: '{disc}[ ({year})]', folderPattern: '{series}/x' };
  await old.table('settings').put({ key: 'house rules', rules });
  await old
    .table('drafts')
    .put({ fingerprint: 'f', reels: [], storage: null, folder: 'Films/{year}', past: [], future: [], changedAt: '' });
  old.close();
  const now = new Catalogue(name);
  const disc = { kind: 'field', field: 'disc', digits: 0, before: '', after: '' };
  const year = { ...disc, field: 'year' };
  const wanted = {
    fileName: [disc, { ...year, before: ' (', after: ')' }],
    folder: [
      { ...disc, field: 'series' },
      { kind: 'text', text: '/x' },
    ],
    angles: 'first',
  };
  expect(HouseRulesSchema.parse(await now.rules())).toMatchObject(wanted);
  expect((await now.drafts.get('f'))?.folder).toEqual([{ kind: 'text', text: 'Films/' }, year]);
  const exported = {
    format: EXCHANGE_FORMAT,
    version: 4,
    application: 'Careful Vault',
    exportedAt: '2026-11-01',
    rules,
    discs: [],
    drafts: [{ fingerprint: 'g', reels: [], storage: null, folder: '{disc}' }],
  };
  const plan = await planImport(now, null, JSON.stringify(exported));
  expect(plan).toMatchObject({ wrong: [], rules: wanted, rulesDiffer: false });
  expect(plan.drafts[0]?.folder).toEqual([disc]);
  await now.delete();
});

test('house rules of version 6 keep what they say and gain what they did not know', async () => {
  const name = `rules-${Math.random()}`;
  const old = new Dexie(name);
  old.version(6).stores({ discs: 'fingerprint, name, readAt', drafts: 'fingerprint', jobs: 'id, fingerprint, createdAt', settings: 'key' });
  const { subtitleFiles, measure, sets, ...known } = DEFAULT_RULES;
  await old.table('settings').put({ key: 'house rules', rules: { ...known, languages: ['gd', 'en'], extras: true } });
  old.close();
  const now = new Catalogue(name);
  expect(await now.rules()).toEqual({
    ...DEFAULT_RULES,
    ...{ languages: ['gd', 'en'], extras: true, subtitleFiles, measure, sets },
  });
  await now.delete();
});

test('jobs from before they said what they read can be taken for jobs of now', async () => {
  const name = `old ${Math.random()}`;
  const old = new Dexie(name);
  old
    .version(15)
    .stores({ discs: 'fingerprint, name, readAt', drafts: 'fingerprint', jobs: 'id, fingerprint, createdAt', settings: 'key' });
  const { storageId, reads, expects, took, ...known } = job('j', 'done');
  expect([storageId, reads, expects.pixels, took]).toEqual(['library', 'files', 0, []]);
  await old.table('jobs').put(known);
  old.close();
  const now = new Catalogue(name);
  expect(JobStateSchema.parse(await now.jobs.get('j'))).toEqual(await now.jobs.get('j'));
  expect(await now.jobs.get('j')).toMatchObject({ ...known, reads: '', took: [] });
  await now.delete();
});

describe('composing', () => {
  const disc = { fingerprint: reading.fingerprint, reading, findings, tags: NO_TAGS, firstEpisode: null };
  const loaded = (): DraftHistory =>
    reduceDraft({ record: null, past: [], future: [] }, { type: 'load', record: proposeDraft(disc, DEFAULT_RULES) });
  const rename = (name: string) => (reels: readonly DraftReel[]) => reels.map((r) => ({ ...r, reel: { ...r.reel, name } }));
  const names = (state: DraftHistory) => state.record?.reels.map((r) => r.reel.name);

  test('the proposal is the same for the same reading', () => {
    expect(proposeDraft(disc, DEFAULT_RULES)).toEqual(proposeDraft(disc, DEFAULT_RULES));
    expect(proposeDraft(disc, DEFAULT_RULES).reels).toHaveLength(1);
  });

  test('every change can be undone and done again, in order', () => {
    let state = loaded();
    for (const name of ['one', 'two', 'three']) state = reduceDraft(state, { type: 'change', make: rename(name) });
    state = reduceDraft(reduceDraft(state, { type: 'undo' }), { type: 'undo' });
    expect(names(state)).toEqual(['one']);
    state = reduceDraft(state, { type: 'redo' });
    expect(names(state)).toEqual(['two']);
    state = reduceDraft(state, { type: 'change', make: rename('four') });
    expect(reduceDraft(state, { type: 'redo' })).toBe(state);
    for (let i = 0; i < 9; i++) state = reduceDraft(state, { type: 'undo' });
    expect(names(state)).toEqual(names(loaded()));
  });

  test('undoing never forgets a job that was made', () => {
    const id = loaded().record?.reels[0]?.id ?? '';
    let state = reduceDraft(loaded(), { type: 'change', make: rename('renamed') });
    state = reduceDraft(state, { type: 'queued', reelId: id, jobId: 'job-1' });
    state = reduceDraft(state, { type: 'undo' });
    expect(state.record?.reels[0]).toMatchObject({ jobId: 'job-1' });
  });

  test('a reel whose job failed is planned again, and stays so through undo and redo', () => {
    const id = loaded().record?.reels[0]?.id ?? '';
    const films = [{ kind: 'text', text: 'Films' }] as const;
    let state = reduceDraft(loaded(), { type: 'queued', reelId: id, jobId: 'job-1' });
    state = reduceDraft(state, { type: 'change', make: rename('renamed') });
    state = reduceDraft(state, { type: 'plan again', reelId: id });
    state = reduceDraft(state, { type: 'undo' });
    expect(state.record?.reels[0]).toMatchObject({ jobId: null });
    expect(reduceDraft(state, { type: 'place', folder: films }).record).toMatchObject({ folder: films, storage: null });
  });

  test('nothing happens before a disc is loaded', () => {
    const nothing: DraftHistory = { record: null, past: [], future: [] };
    for (const action of [
      { type: 'undo' },
      { type: 'redo' },
      { type: 'place', storage: 'x' },
      { type: 'change', make: rename('x') },
    ] as const)
      expect(reduceDraft(nothing, action)).toBe(nothing);
  });
});

describe('the state of a disc', () => {
  const disc: DiscRecord = {
    fingerprint: reading.fingerprint,
    name: 'Disc',
    reading,
    findings,
    sources: [],
    tags: NO_TAGS,
    firstEpisode: null,
    labels: [],
    addedAt: '',
    readAt: '',
  };
  const draft: DraftRecord = { ...proposeDraft(disc, DEFAULT_RULES), changedAt: '' };
  const output = (from: number, to: number, presence: Output['presence'] = 'present', damage = 0) =>
    ({
      presence,
      sidecar: {
        disc: { fingerprint: reading.fingerprint },
        reel: { pieces: [{ title: 2, angle: 1, fromChapter: from, toChapter: to }] },
        promise: { wholeness: { count: damage, damage, faults: [] } },
      },
    }) as unknown as Output;
  const ranged = (fromMs: number, toMs: number): Output => {
    const whole = output(1, 2);
    const pieces = whole.sidecar.reel.pieces.map((p) => ({ ...p, range: { fromMs, toMs } }));
    return { ...whole, sidecar: { ...whole.sidecar, reel: { ...whole.sidecar.reel, pieces } } };
  };

  test.each<[string, DraftRecord | undefined, JobState[], Output[], string]>([
    ['nothing done', undefined, [], [], 'read'],
    ['reels proposed', draft, [], [], 'planned'],
    ['a job at work', draft, [job('a', 'running')], [], 'running'],
    ['a job that waits', draft, [job('a', 'waiting')], [], 'waiting'],
    ['a job at work and one that waits', draft, [job('a', 'waiting'), job('b', 'running')], [], 'running'],
    ['a job that ended', draft, [job('a', 'failed')], [], 'planned'],
    ['half of the film made', draft, [], [output(1, 1)], 'partly in the vault'],
    ['the film made', draft, [], [output(1, 2)], 'in the vault'],
    ['the film made with a gap', draft, [], [output(1, 2, 'present', 1)], 'partly in the vault'],
    ['the film made with a gap, and then without', draft, [], [output(1, 2, 'present', 1), output(1, 2)], 'in the vault'],
    ['a range of the film made', draft, [], [ranged(0, 60_000)], 'partly in the vault'],
    ['all of the film made as a range', draft, [], [ranged(0, 3_600_000)], 'in the vault'],
    ['the film made, its file gone', undefined, [], [output(1, 2, 'missing')], 'read'],
  ])('%s', (_, planned, jobs, outputs, state) => {
    expect(discState(disc, planned, jobs, outputs).state).toBe(state);
  });

  test('of a master with gaps only that is kept whose faults are all placed', () => {
    const [segment] = reading.segments.filter((g) => reading.titles.some((t) => t.number === 2 && t.parts.some((p) => p.segment === g.id)));
    const fault = { ...segment, lastSector: segment?.firstSector, kind: 'no pack', track: null, atMs: 0, ms: null, count: 2 };
    const around = (damage: number, ...faults: unknown[]) => {
      const { sidecar, ...rest } = output(1, 2);
      const wholeness = { count: damage, damage, faults };
      return { ...rest, sidecar: { ...sidecar, promise: { ...sidecar.promise, wholeness } } } as unknown as Output;
    };
    const keptMs = (o: Output) => discState(disc, undefined, [], [o]).coverage.kept.ms;
    const whole = keptMs(output(1, 2));
    expect(keptMs(around(2, fault))).toBe(whole - (segment?.durationMs ?? 0));
    expect(keptMs(around(3, fault))).toBe(0);
    expect(keptMs(around(2, { ...fault, content: null }))).toBe(0);
    expect(keptMs(around(2, { ...fault, kind: 'check word' }))).toBe(0);
    expect(keptMs(around(128, ...Array.from({ length: 64 }, () => fault)))).toBe(0);
  });

  test('a fault of the disc wants eyes as long as nothing was made', () => {
    const bad: DiscRecord = {
      ...disc,
      reading: { ...reading, remarks: [{ code: 'beyond-end', severity: 'fault', title: 1, detail: '' }] },
    };
    expect(discState(bad, draft, [], []).state).toBe('needs eyes');
    expect(discState(bad, draft, [], [output(1, 2)]).state).toBe('in the vault');
  });
});

test('events fold into the state of the engine', () => {
  const empty: EngineState = {
    boot: 'b',
    archive: { id: '00000000-0000-4000-8000-000000000000', name: 'Archive', madeAt: '2026-01-01', isOlder: false },
    version: 'v',
    revision: 0,
    drives: [],
    queue: { held: false, encodeLanes: null, background: false, after: { do: 'nothing' } },
    commands: [],
    after: { dueAt: null, last: null },
    usualEncodeLanes: 1,
    pace: [],
    fixity: { everyDays: 0, running: null, last: null, problem: null },
    images: [],
    bags: [],
    folders: [],
    standing: { settings: null, since: null, seq: 0, queued: 0, eyes: 0 },
    roots: [],
    storages: [],
    readings: [],
    jobs: [job('a', 'waiting')],
    encoders: [],
    outputs: 0,
  };
  const after = (...events: EngineEvent[]) => events.reduce(applyEvent, empty);
  expect(after({ type: 'job', job: job('a', 'running') }, { type: 'job', job: job('b', 'waiting') }).jobs.map((j) => j.state)).toEqual([
    'running',
    'waiting',
  ]);
  expect(after({ type: 'job-gone', id: 'a' }).jobs).toEqual([]);
  expect(after({ type: 'outputs', count: 3 }).outputs).toBe(3);
  expect(after({ type: 'hello', boot: 'other' })).toBe(empty);
  const task = {
    id: 't',
    source: { kind: 'drive' as const, drive: 'd' },
    name: 'n',
    state: 'reading' as const,
    progress: { step: 'opening' as const, done: 0, total: 0 },
    problem: null,
    fingerprint: null,
    thorough: false,
  };
  expect(after({ type: 'reading', task }, { type: 'reading', task: { ...task, state: 'done' } }).readings).toEqual([
    { ...task, state: 'done' },
  ]);
});

describe('damage that a job has met', () => {
  const spoilt = { content: 'VTS_01', firstSector: 10, lastSector: 20, cause: 'spoilt' as const };
  const damaged = async () => (await db.discs.get(reading.fingerprint))?.reading;

  test('belongs to the disc’s reading, once, and stays when the same copy is read quickly again', async () => {
    const place = { kind: 'place' as const, root: 'images', path: 'x.iso' };
    await keepReading(db, reading, findings, place, 'x.iso');
    const failed = job('a', 'failed', { places: 3, damaged: 3, stretches: [spoilt] });
    await keepDamage(db, failed);
    await keepDamage(db, failed);
    expect((await damaged())?.damage).toEqual([spoilt]);
    expect((await damaged())?.titles[0]?.state).toBe('cut short');
    await keepReading(db, reading, findings, place, 'x.iso');
    expect((await damaged())?.damage).toEqual([spoilt]);
    // A scan of every sector knows better, and another copy is another copy.
    await keepReading(db, reading, findings, place, 'x.iso', true);
    expect((await damaged())?.damage).toEqual([]);
    await keepDamage(db, failed);
    await keepReading(db, reading, findings, { ...place, path: 'y.iso' }, 'y.iso');
    expect((await damaged())?.damage).toEqual([]);
  });
});
