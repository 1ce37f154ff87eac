import { existsSync, readFileSync, readdirSync, renameSync, writeFileSync } from 'node:fs';
import path from 'node:path';
import { createHash } from 'node:crypto';
import { sampleCatalogue } from '@/test-support/sample-catalogue';
import { TestEngine, refusal } from '@/test-support/engine';

/** What the catalogue says of discs, in the library: written whole, of that disc, and into no other place. */

const engine = new TestEngine();
beforeAll(() => engine.start());
afterAll(() => engine.stop());

const [text = '', other = ''] = [1, 2].map((discs) => sampleCatalogue(discs));
const fingerprint = (JSON.parse(text) as { discs: { fingerprint: string }[] }).discs[0]?.fingerprint ?? '';
const folder = path.join(engine.library, '.careful-vault', 'catalogue');
const keep = (id: string, what: string, storage = 'library') => engine.call('keepCard', { id, body: { storage, text: what } });

test('a card is kept as it is, listed with its hash, and given back', async () => {
  expect(await engine.call('cards')).toEqual({ cards: [] });
  await keep(fingerprint, text);
  expect(readFileSync(path.join(folder, `${fingerprint}.json`), 'utf8')).toBe(text);
  const sha256 = createHash('sha256').update(text).digest('hex');
  const { exportedAt } = JSON.parse(text) as { exportedAt: string };
  expect(await engine.call('cards')).toEqual({ cards: [{ storage: 'library', name: fingerprint, sha256, exportedAt }] });
  expect(await engine.call('card', { id: fingerprint, query: '?storage=library' })).toEqual({ text });
  // As an exported catalogue it can be brought in by hand as well.
  const later = text.replace(/"exportedAt":"[^"]*"/, '"exportedAt":"2031-01-01T00:00:00Z"');
  await keep(fingerprint, later);
  expect((await engine.call('cards')).cards[0]?.exportedAt).toBe('2031-01-01T00:00:00Z');
});

test('what is no card of that disc is refused, and leads nowhere else', async () => {
  for (const [id, what] of [
    ['a'.repeat(64), text],
    [fingerprint, other],
    [fingerprint, 'no JSON at all'],
    ['house-rules', text],
    ['..%2F..%2Fescaped', text],
    ['storage', text],
  ] as const)
    expect(await refusal(keep(id, what))).toMatch(/bad-request|not-known/);
  expect(await refusal(engine.call('card', { id: '..%2Fstorage', query: '?storage=library' }))).toBe('not-known');
  expect(readdirSync(folder)).toEqual([`${fingerprint}.json`]);
  writeFileSync(path.join(folder, `${'b'.repeat(64)}.json`), 'torn by somebo');
  expect((await engine.call('cards')).cards).toHaveLength(1);
});

test('nothing is written in the place of a library that is away', async () => {
  renameSync(engine.library, `${engine.library}.away`);
  expect(await refusal(keep(fingerprint, text))).toBe('storage-missing');
  expect(existsSync(engine.library)).toBe(false);
  renameSync(`${engine.library}.away`, engine.library);
});
