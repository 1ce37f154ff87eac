import '@/test-support/browser';
import { findRoles } from '@/core/findings';
import type { TitleMeasure } from '@/core/reading';
import { DEFAULT_RULES, NO_TAGS } from '@/core/reels';
import { offers, sketchReading } from '@/test-support/readings';
import type { MeasureLine, SourceRef } from '@/contract';
import { ApiError } from './api';
import { catalogue, openArchive } from './archive';
import type { DiscRecord } from './db';
import { compareTracks, fetchPictures, knownPicture, measure, previewAddress, type PictureWish } from './looks';
import { considerMeasuring, measureByRule } from './measures-by-rule';
import { saveRules } from './rules';

/** The browser's side of looking into discs, against an engine that answers as it is told. */

const reading = sketchReading([{ parts: ['x:2'] }, { parts: ['a:30', 'b:30'] }], [offers(2, 1, true)]);
const source: SourceRef = { kind: 'place', root: 'images', path: 'x.iso' };
const wish = (change: Partial<PictureWish> = {}): PictureWish => ({ source, reading, title: 2, angle: 1, width: 128, ...change });

/** What the pages have asked for, and what they are answered. */
interface Asked {
  readonly path: string;
  readonly body: Record<string, unknown>;
}
let asked: Asked[] = [];
/** Views that the engine has; the next one gets the next number. */
let views = new Set<string>();
let opened = 0;
let lines: readonly string[] = [];

const json = (data: unknown, status = 200) => Response.json(data, { status });
const problem = { code: 'not-known', message: 'This view of the disc was closed', whatToDo: '', where: null };

/** Lines as they come over a network: cut anywhere. */
function inPieces(text: string, size: number): Response {
  const bytes = new TextEncoder().encode(text);
  let at = 0;
  return new Response(
    new ReadableStream({
      pull(controller) {
        if (at >= bytes.byteLength) controller.close();
        else controller.enqueue(bytes.slice(at, (at += size)));
      },
    }),
  );
}

beforeAll(() => openArchive({ id: '00000000-0000-4000-8000-000000000001', name: 'Here', madeAt: '', isOlder: false }));
beforeEach(() => {
  asked = [];
  lines = [];
  globalThis.fetch = (async (input: string, init?: RequestInit) => {
    const path = input.replace(/^\/api/, '');
    const body = init?.body ? (JSON.parse(init.body as string) as Record<string, unknown>) : {};
    asked.push({ path, body });
    if (path === '/looks') {
      const id = `view-${++opened}`;
      views.add(id);
      return json({ id });
    }
    const [, , id = '', what] = path.split('/');
    if (!views.has(id)) return json({ problem }, 404);
    if (what === 'sheet') {
      const moments = body['moments'] as number[];
      return json({ pictures: moments.map((ms) => (ms === 999 ? null : `data:image/jpeg;base64,${ms}`)) });
    }
    return Promise.resolve(inPieces(lines.map((l) => `${l}\n`).join(''), 7));
  }) as typeof fetch;
});

const sheets = () => asked.filter((a) => a.path.endsWith('/sheet')).map((a) => a.body['moments']);

test('pictures are asked for once; those that there are not are known as such', async () => {
  expect(knownPicture(wish(), 100)).toBeUndefined();
  await fetchPictures(wish(), [100, 999]);
  await fetchPictures(wish(), [100, 200, 999]);
  expect(sheets()).toEqual([[100, 999], [200]]);
  expect([100, 200, 999].map((ms) => knownPicture(wish(), ms))).toEqual(['data:image/jpeg;base64,100', 'data:image/jpeg;base64,200', null]);
  // Another width, angle or title is another picture.
  expect(knownPicture(wish({ width: 64 }), 100)).toBeUndefined();
  expect(knownPicture(wish({ angle: 2 }), 100)).toBeUndefined();
});

test('a view takes only what its title needs, and is opened again where the engine has closed it', async () => {
  await fetchPictures(wish({ title: 1 }), [10]);
  const first = asked.find((a) => a.path === '/looks')?.body['reading'] as typeof reading | undefined;
  expect(first?.titles.map((t) => t.number)).toEqual([1]);
  views = new Set();
  asked = [];
  await fetchPictures(wish({ title: 1 }), [20]);
  expect(asked.map((a) => a.path.replace(/view-\d+/, 'view'))).toEqual(['/looks/view/sheet', '/looks', '/looks/view/sheet']);
  expect(knownPicture(wish({ title: 1 }), 20)).not.toBeNull();
  // The address of a preview is one that will be answered.
  views = new Set();
  const address = await previewAddress({ ...wish({ title: 1 }), startMs: 1234.6, audio: 0x80, subtitle: null });
  expect(address).toMatch(/^\/api\/looks\/view-\d+\/play\?title=1&angle=1&start=1235&width=128&eyes=first&firstEye=left&audio=128$/);
  expect(views.has(address.split('/')[3] ?? '')).toBe(true);
});

const measured: TitleMeasure = { everything: false, audio: [], subtitles: [], picture: null };

test('work that takes long says how far it is, however its lines are cut', async () => {
  lines = [
    JSON.stringify({ type: 'progress', done: 1, total: 4 }),
    JSON.stringify({ type: 'progress', done: 3, total: 4 }),
    JSON.stringify({ type: 'measured', measured }),
  ];
  const heard: MeasureLine[] = [];
  await measure({ source, reading, title: 2 }, false, (line) => heard.push(line), new AbortController().signal);
  expect(heard.map((l) => l.type)).toEqual(['progress', 'progress', 'measured']);
  expect(asked.at(-1)?.body).toEqual({ title: 2, everything: false });
  lines = [
    JSON.stringify({ type: 'compared', comparison: { kind: 'subtitles', left: 2, right: 2, same: 2, sameTime: 2, differences: [] } }),
  ];
  const compared: string[] = [];
  await compareTracks({ source, reading, title: 2 }, { left: 1, right: 2 }, (l) => compared.push(l.type), new AbortController().signal);
  expect(compared).toEqual(['compared']);
  // What is not as agreed is not taken for a result.
  lines = [JSON.stringify({ type: 'compared', comparison: { kind: 'smell' } })];
  await expect(
    compareTracks({ source, reading, title: 2 }, { left: 1, right: 2 }, () => undefined, new AbortController().signal),
  ).rejects.toThrow();
});

test('a problem of the engine is handed on as it is', async () => {
  globalThis.fetch = () => Promise.resolve(json({ problem: { ...problem, code: 'other-disc' } }, 409));
  const other = sketchReading([{ parts: ['z'] }], [], { fingerprint: 'c'.repeat(64) });
  const failed = await fetchPictures(wish({ reading: other, title: 1 }), [1]).catch((e: unknown) => e);
  expect(failed).toBeInstanceOf(ApiError);
  expect((failed as ApiError).problem.code).toBe('other-disc');
});

describe('measuring by rule', () => {
  const disc = (fingerprint: string): DiscRecord => ({
    ...{ fingerprint, name: 'Disc', reading: { ...reading, fingerprint }, findings: findRoles(reading), addedAt: '', readAt: '' },
    ...{ sources: [{ ref: source, name: 'x.iso' }], tags: NO_TAGS, firstEpisode: null, labels: [] },
  });
  const measuring = () => asked.filter((a) => a.path.endsWith('/measure')).map((a) => a.body);
  const settled = async (look: () => boolean | Promise<boolean>) => {
    for (let i = 0; i < 200; i++) {
      if (await look()) return;
      await new Promise((resolve) => setTimeout(resolve, 20));
    }
    throw new Error('it did not come');
  };

  test('what the rules take is measured, once, and kept with the disc; without the rule nothing is', async () => {
    lines = [JSON.stringify({ type: 'measured', measured })];
    const [first, second] = ['1'.repeat(64), '2'.repeat(64)];
    await catalogue().discs.bulkPut([disc(first), disc(second)]);
    await saveRules(DEFAULT_RULES);
    considerMeasuring(first);
    let end = measureByRule();
    await new Promise((resolve) => setTimeout(resolve, 200));
    expect(measuring()).toEqual([]);
    end();
    await saveRules({ ...DEFAULT_RULES, measure: true });
    considerMeasuring(first);
    considerMeasuring(second);
    considerMeasuring(second);
    end = measureByRule();
    const isMeasured = async (fingerprint: string) =>
      (await catalogue().discs.get(fingerprint))?.reading.titles.find((t) => t.number === 2)?.measured !== null;
    await settled(async () => (await isMeasured(first)) && (await isMeasured(second)));
    end();
    // The film of each, and nothing that the rules leave.
    expect(measuring()).toEqual([
      { title: 2, everything: false },
      { title: 2, everything: false },
    ]);
    expect((await catalogue().discs.get(first))?.reading.titles.find((t) => t.number === 1)?.measured).toBeNull();
  });

  test('a disc that is away now is measured when it is back, and holds up no other', async () => {
    lines = [JSON.stringify({ type: 'measured', measured })];
    const [away, here] = ['3'.repeat(64), '4'.repeat(64)];
    await catalogue().discs.bulkPut([{ ...disc(away), sources: [] }, disc(here)]);
    await saveRules({ ...DEFAULT_RULES, measure: true });
    considerMeasuring(away);
    considerMeasuring(here);
    const end = measureByRule();
    const isMeasured = async (fingerprint: string) =>
      (await catalogue().discs.get(fingerprint))?.reading.titles.find((t) => t.number === 2)?.measured !== null;
    await settled(() => isMeasured(here));
    expect(await isMeasured(away)).toBe(false);
    await catalogue().discs.update(away, { sources: disc(away).sources });
    await settled(() => isMeasured(away));
    end();
  });
});
