import { spawnSync } from 'node:child_process';
import { createHash } from 'node:crypto';
import { appendFileSync, existsSync, readFileSync, readdirSync, writeFileSync } from 'node:fs';
import path from 'node:path';
import { wholeTitleReel } from '@/core/reels';
import { isOver, type BagState, type BagWish, type SourceRef } from '@/contract';
import { titleOf } from '@/test-support/discs';
import { sealOf } from '@/node/seal';
import { TestEngine, refusal } from '@/test-support/engine';

/** Bags, checked by coreutils: `sha512sum -c` knows nothing of who has made the manifests. */

let engine: TestEngine;
beforeAll(async () => {
  engine = new TestEngine();
  await engine.start();
});
afterAll(() => engine.stop());

const quay: SourceRef = { kind: 'place', root: 'images', path: 'QUAY.iso' };
const bagOf = (outputs: readonly string[], name: string, change: Partial<BagWish> = {}) =>
  engine.call('makeBag', { body: { outputs, storage: 'library', name, ...change } });
const ended = ({ id }: BagState) =>
  engine.until(async () => {
    const now = (await engine.call('state')).bags.find((b) => b.id === id);
    return now && now.state !== 'making' ? now : null;
  });
const in_ = (...parts: string[]) => path.join(engine.library, ...parts);
/** The digest that a bag uses: the one that is faster on the machine that made it. */
const kindOf = (bag: string) => (readdirSync(bag).includes('manifest-sha512.txt') ? 'sha512' : 'sha256');
const listsOf = (bag: string) => [`manifest-${kindOf(bag)}.txt`, `tagmanifest-${kindOf(bag)}.txt`];
const verified = (bag: string, list: string) =>
  spawnSync(`${kindOf(bag)}sum`, ['--strict', '--check', list], { cwd: bag, encoding: 'utf8' });

test('a bag holds a result with all that belongs to it, is whole by another program’s reckoning, and is no second copy in the vault', async () => {
  const { jobId } = await engine.submit(
    quay,
    (r) => ({ ...wholeTitleReel(titleOf(r, 2), 'Nets & “Dawn” 100%'), subtitleFiles: true }),
    'library',
    'Films',
  );
  expect((await engine.jobUntil(jobId, isOver)).state).toBe('done');
  const [output] = await engine.outputs();
  if (!output) throw new Error('no result');
  const done = await ended(await bagOf([output.id], 'To the / city archive', { organization: 'The archive', description: 'Two\nlines' }));
  expect(done).toMatchObject({ state: 'done', problem: null });
  const [name = ''] = readdirSync(in_('Bags'));
  const bag = in_('Bags', name);
  expect(name).not.toContain('/');
  for (const list of listsOf(bag)) {
    // The form encodes the percent sign of a name; coreutils does not know that.
    const lines = readFileSync(path.join(bag, list), 'utf8');
    const { status, stdout } = spawnSync(`${kindOf(bag)}sum`, ['--strict', '--check', '-'], {
      cwd: bag,
      encoding: 'utf8',
      input: lines.replaceAll('%25', '%'),
    });
    expect(`${status} ${stdout}`).toMatch(/^0 /);
  }
  const files = readdirSync(bag, { recursive: true, withFileTypes: true })
    .filter((e) => e.isFile())
    .map((e) => path.relative(bag, path.join(e.parentPath, e.name)));
  const listed = listsOf(bag).flatMap((list) =>
    readFileSync(path.join(bag, list), 'utf8')
      .trim()
      .split('\n')
      .map((l) => l.replace(/^\S+ {2}/, '').replaceAll('%25', '%')),
  );
  expect(listed.sort()).toEqual(files.filter((f) => f !== listsOf(bag)[1]).sort());
  // All that stands beside it in the library.
  const own = readdirSync(in_('Films')).map((f) => path.join('data', 'Films', f));
  expect(own.length).toBeGreaterThan(2);
  expect(files.filter((f) => f.startsWith('data')).sort()).toEqual(own.sort());
  const film = readFileSync(in_(output.path));
  expect(readFileSync(path.join(bag, 'data', output.path)).equals(film)).toBe(true);
  const info = readFileSync(path.join(bag, 'bag-info.txt'), 'utf8');
  expect(info).toContain('External-Description: Two lines\n');
  const bytes = own.reduce((sum, f) => sum + readFileSync(path.join(bag, f)).byteLength, 0);
  expect(info).toContain(`Payload-Oxum: ${bytes}.${own.length}\n`);
  const premis = readFileSync(path.join(bag, 'metadata', 'premis.xml'), 'utf8');
  const { digest, digestAlgorithm } = output.sidecar.file;
  expect(digest).toBe(createHash(digestAlgorithm.replace('-', '')).update(film).digest('hex'));
  expect(premis).toContain(`<messageDigestAlgorithm>${digestAlgorithm}</messageDigestAlgorithm>`);
  expect(premis).toContain(digest);
  expect(premis).toContain('tracks bit-identical');
  expect(readFileSync(path.join(bag, 'metadata', 'dublin-core.xml'), 'utf8')).toContain('<dc:title>Nets &amp; “Dawn” 100%</dc:title>');
  expect((await engine.outputs()).map((o) => o.path)).toEqual([output.path]);
  expect(await refusal(bagOf([output.id], name))).toBe('name-taken');
  expect(verified(bag, listsOf(bag)[1] ?? '').status).toBe(0);
});

test('what an earlier version left, with SHA-256 under its old name, is the same file still: in checks, proofs and bags with others', async () => {
  const { jobId } = await engine.submit(quay, (r) => ({ ...wholeTitleReel(titleOf(r, 2), 'Of old'), subtitleFiles: true }));
  expect((await engine.jobUntil(jobId, isOver)).state).toBe('done');
  const [own] = await engine.outputs();
  const file = in_('Of old.mkv.json');
  interface File {
    readonly name: string;
    digest?: string;
    digestAlgorithm?: string;
    sha256?: string;
  }
  const before = JSON.parse(readFileSync(file, 'utf8')) as { version: number; file: File; beside: File[]; seal?: string };
  delete before.seal;
  before.version = 7;
  for (const of of [before.file, ...before.beside]) {
    of.sha256 = createHash('sha256')
      .update(readFileSync(in_(of.name)))
      .digest('hex');
    delete of.digest;
    delete of.digestAlgorithm;
  }
  writeFileSync(file, JSON.stringify({ ...before, seal: sealOf({ ...before }) }));
  const old = await engine.until(async () => {
    const found = (await engine.outputs()).find((o) => o.path === 'Of old.mkv');
    return found?.sidecar.version === 7 ? found : null;
  });
  expect(old).toMatchObject({ seal: 'whole', sidecar: { file: { digest: before.file.sha256, digestAlgorithm: 'SHA-256' } } });
  expect(await engine.call('reprove', { id: old.id })).toMatchObject({ proof: { passed: true }, digestMatches: true });
  await engine.call('beginCheck');
  const { fixity } = await engine.until(async () => {
    const state = await engine.call('state');
    return state.fixity.running === null && state.fixity.last ? state : null;
  });
  expect(fixity.last).toMatchObject({ checked: 2, same: 2 });
  if (!own) throw new Error('no result');
  expect(await ended(await bagOf([own.id, old.id], 'Old and new'))).toMatchObject({ state: 'done', problem: null });
  const [list = ''] = listsOf(in_('Bags', 'Old and new'));
  const lines = readFileSync(in_('Bags', 'Old and new', list), 'utf8').replaceAll('%25', '%');
  const input = { cwd: in_('Bags', 'Old and new'), encoding: 'utf8' as const, input: lines };
  expect(spawnSync(`${kindOf(in_('Bags', 'Old and new'))}sum`, ['--strict', '--check', '-'], input).status).toBe(0);
  // Another digest than the algorithm says is no sidecar of ours.
  const wrong = { ...before.file, digestAlgorithm: 'SHA-512', digest: before.file.sha256 };
  writeFileSync(file, JSON.stringify({ ...before, version: 8, file: wrong }));
  await engine.until(async () => ((await engine.call('outputs')).unread.some((u) => u.path.startsWith('Of old')) ? true : null));
});

test('what is no longer what its sidecar says is not handed on, and nothing of such a bag stays', async () => {
  const [output] = await engine.outputs();
  if (!output) throw new Error('no result');
  const film = readFileSync(in_(output.path));
  // The same length: only reading it tells.
  film[film.byteLength - 100] = (film[film.byteLength - 100] ?? 0) ^ 1;
  spawnSync('sh', ['-c', `cat > "$1"`, 'sh', in_(output.path)], { input: film });
  const bag = await ended(await bagOf([output.id], 'Spoilt'));
  expect(bag).toMatchObject({ state: 'failed', problem: { code: 'file-changed' } });
  expect(readdirSync(in_('Bags'))).not.toContain('Spoilt');
  expect(readdirSync(in_('.careful-vault', 'bags'))).toEqual([]);
  // Another length is seen at once; so is a sidecar that somebody has written to.
  appendFileSync(in_(output.path), 'x');
  expect(await refusal(bagOf([output.id], 'Longer'))).toBe('file-changed');
  expect(await refusal(bagOf(['0'.repeat(24)], 'Nobody'))).toBe('not-known');
  expect(existsSync(in_('Bags', 'Longer'))).toBe(false);
});
