import { DiscError } from '@/core/bytes';
import { findRoles } from '@/core/findings';
import { DEFAULT_RULES, applyRules } from '@/core/reels';
import { offers, sketchReading } from '@/test-support/readings';
import { seeded } from '@/test-support/random';
import {
  FindingsSchema,
  JobEventSchema,
  ProblemSchema,
  ROUTES,
  ReadingSchema,
  ReelSchema,
  SourceRefSchema,
  WorkError,
  matchRoute,
  statusOf,
  toProblem,
} from '.';

test('readings, findings and reels are what their schemas say, through JSON and back', () => {
  const reading = sketchReading(
    [{ parts: ['a:20', 'b:20'], audio: 2, subtitles: 1 }, { parts: ['a:20'] }, { parts: ['b:20'] }],
    [offers(1)],
  );
  const findings = findRoles(reading);
  const through = (value: unknown): unknown => JSON.parse(JSON.stringify(value));
  expect(ReadingSchema.parse(through(reading))).toEqual(reading);
  expect(FindingsSchema.parse(through(findings))).toEqual(findings);
  for (const reel of applyRules(reading, findings, DEFAULT_RULES).reels) expect(ReelSchema.parse(through(reel))).toEqual(reel);
});

test('what is not a reading is refused: another version, a negative size, foreign kinds, too much of anything', () => {
  const reading = sketchReading([{ parts: ['a'] }]);
  for (const change of [
    { version: 99 },
    { sizeBytes: -1 },
    { kind: 'Other' },
    { fingerprint: 'short' },
    { label: 'x'.repeat(2000) },
    { titles: Array.from({ length: 2001 }, () => reading.titles[0]) },
  ]) {
    expect(ReadingSchema.safeParse({ ...reading, ...change }).success).toBe(false);
  }
});

describe('routes', () => {
  test('every route is found by its own path, and only by its method', () => {
    for (const [name, route] of Object.entries(ROUTES)) {
      expect(matchRoute(route.method, route.path.replace(':id', 'abc-1.2'))).toEqual({
        name,
        id: route.path.includes(':id') ? 'abc-1.2' : '',
      });
    }
    expect(matchRoute('PUT', '/state')).toBeNull();
    expect(matchRoute('GET', '/state/x')).toBeNull();
  });

  test('an identifier is a plain word: paths and encodings are none', () => {
    for (const id of ['a%2fb', 'a b', 'ä', 'x'.repeat(129), '..%2f']) expect(matchRoute('GET', `/outputs/${id}/play`)).toBeNull();
  });
});

describe('problems', () => {
  test('an error of any kind crosses the border with code, place and advice', () => {
    const disc = toProblem(
      new DiscError('read-failed', { source: 'drive', byteOffset: 2048, structure: 'cell' }, 'Sector 1 can not be read'),
    );
    expect(disc).toMatchObject({ code: 'read-failed', where: { source: 'drive', byteOffset: 2048, structure: 'cell' } });
    expect(toProblem(new WorkError('name-taken', 'm'))).toMatchObject({ code: 'name-taken', where: null });
    expect(toProblem(Object.assign(new Error('x'), { code: 'ENOSPC' })).code).toBe('storage-full');
    expect(toProblem(Object.assign(new Error('x'), { code: 'EROFS' })).code).toBe('storage-read-only');
    expect(toProblem('text')).toMatchObject({ code: 'internal', message: 'text' });
    const system = Object.assign(new Error("ENOENT: no such file or directory, open '/home/me/my films/a b.mkv'"), { code: 'ENOENT' });
    expect(toProblem(system).message).toBe('ENOENT: no such file or directory, open “a b.mkv”');
    for (const problem of [disc, toProblem(new Error('x')), toProblem(null)]) {
      expect(ProblemSchema.parse(JSON.parse(JSON.stringify(problem)))).toEqual(problem);
      expect(problem.whatToDo.length).toBeGreaterThan(10);
    }
  });

  test('codes have a status', () => {
    expect(
      (['not-known', 'name-taken', 'refused', 'engine-away', 'internal', 'bad-request'] as const).map((code) =>
        statusOf(toProblem(new WorkError(code, 'm'))),
      ),
    ).toEqual([404, 409, 403, 503, 500, 400]);
  });
});

test('random JSON is never taken for an event or a source', () => {
  for (let seed = 0; seed < 300; seed++) {
    const random = seeded(seed);
    const value = {
      type: random.pick(['progress', 'stage', 'x', 1]),
      seq: random.pick([1, -1, 'a', null]),
      kind: random.pick(['place', 'drive', null]),
      root: random.pick(['../x', 'a b', 7]),
    };
    expect(JobEventSchema.safeParse(value).success).toBe(false);
    expect(SourceRefSchema.safeParse(value).success).toBe(false);
  }
});
