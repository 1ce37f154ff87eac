import { existsSync, mkdirSync, readFileSync, readdirSync, renameSync, rmSync, writeFileSync } from 'node:fs';
import path from 'node:path';
import type { SourceRef } from '@/contract';
import type { Reading } from '@/core/reading';
import { SHIPPED, type Recipe } from '@/core/recipes';
import { wholeTitleReel, type Reel } from '@/core/reels';
import { PROVING, temporaryFolder, titleOf } from '@/test-support/discs';
import { decodedFrames, probed } from '@/test-support/ffmpeg';
import { TestEngine } from '@/test-support/engine';
import { QUICK, quick } from '@/test-support/recipes';

/** Several copies of one reel: its disc is read once, each is proven by itself, and what was finished is not made again. */

const image: SourceRef = { kind: 'place', root: 'images', path: 'QUAY.iso' };
const access = QUICK;
/** In more pieces than one, and of more pictures than the film has. */
const slow: Recipe = {
  ...access,
  id: 'own-slow',
  name: 'Slow one',
  suffix: ' (slow)',
  container: 'Matroska',
  video: { ...access.video, quality: 28 },
  picture: { ...access.picture, deinterlace: 'fields' },
};
const reel =
  (name: string, recipes: readonly string[]) =>
  (reading: Reading): Reel => {
    const whole = wholeTitleReel(titleOf(reading, 2), name);
    return { ...whole, pieces: whole.pieces.map((p) => ({ ...p, fromChapter: 1, toChapter: 1 })), recipes };
  };

process.env['CAREFUL_VAULT_PIECE_SECONDS'] = '0.6';
const lent = temporaryFolder();
const engine = new TestEngine([], [{ id: 'lent', name: 'Lending shelf', path: lent }]);
const inLibrary = () =>
  readdirSync(engine.library)
    .filter((n) => !n.startsWith('.'))
    .sort();

/** Where this file is, the joining of HEVC ends too soon and says that all is well. */
const spoils = path.join(engine.folder, 'spoils');
/** Where this file is, the hardware that seemed to work does not. */
const broken = path.join(engine.folder, 'broken hardware');
/** FFmpeg with those faults, and with hardware that this machine does not have: another encoder does its work. */
function putSpoilerBefore(program: string): void {
  const folder = path.join(engine.folder, 'programs');
  mkdirSync(folder);
  const script = `#!/bin/bash
case "$*" in *pipe:0*hvc1*) [ -e '${spoils}' ] && exec /usr/bin/${program} -t 0.7 "$@";; esac
case "$*" in
  *h264_nvenc*)
    [ -e '${broken}' ] && { echo 'the device is gone' >&2; exit 1; }
    args=()
    while [ $# -gt 0 ]; do
      case "$1" in
        h264_nvenc) args+=(libx264); shift;;
        -rc:v:0|-cq:v:0|-preset:v:0|-b:v:0) shift 2;;
        *) args+=("$1"); shift;;
      esac
    done
    exec /usr/bin/${program} "\${args[@]}";;
esac
exec /usr/bin/${program} "$@"
`;
  writeFileSync(path.join(folder, program), script, { mode: 0o755 });
  engine.ownPrograms = folder;
}
putSpoilerBefore('ffmpeg');

beforeAll(() => engine.start());
afterAll(() => engine.stop('SIGKILL'));

test('two copies without a master: the disc is read once, the master that they are made from is not kept', async () => {
  engine.holdEncoders('own-slow.pieces/0002');
  const { jobId } = await engine.submit(image, reel('Twice', ['access', 'own-slow']), 'library', '', [access, slow]);
  const running = await engine.encoding(jobId, 'own-slow');
  expect(running.copies.map((c) => c.name)).toEqual(['Access copy', 'Slow one']);
  const pid = (JSON.parse(readFileSync(path.join(engine.folder, 'jobs', jobId, 'runner.json'), 'utf8')) as { pid: number }).pid;
  const piece = path.join(engine.library, '.careful-vault', jobId, 'own-slow.pieces', '0001.mkv');
  await engine.found(() => Promise.resolve(existsSync(piece) ? true : null));
  process.kill(pid, 'SIGKILL');
  const job = await engine.jobUntil(jobId, (j) => j.state === 'done' || j.state === 'failed');
  expect(job).toMatchObject({ state: 'done', problem: null });
  expect(inLibrary()).toEqual(['Twice (slow).mkv', 'Twice (slow).mkv.json', 'Twice.mp4', 'Twice.mp4.json']);
  const { events } = await engine.call('jobLog', { id: jobId });
  const begun = events.flatMap((e) => (e.type === 'stage' ? [`${e.stage} ${e.copy ?? ''}`.trim()] : []));
  expect(begun.filter((s) => s === 'master')).toHaveLength(1);
  expect(begun.filter((s) => s === 'access access')).toHaveLength(1);
  expect(begun.filter((s) => s === 'access own-slow')).toHaveLength(2);
  // The second time it went on with the piece that it was at.
  const said = events.flatMap((e) => (e.type === 'note' ? [e.text] : [])).join('\n');
  expect(said).toMatch(/[1-9] of [34] pieces were finished before/);
  expect(said).toMatch(/Slow one: encoded in [34] pieces/);

  const outputs = await engine.outputs();
  const copy = outputs.find((o) => o.sidecar.recipe === 'own-slow');
  expect(copy?.sidecar.copy?.recipe).toEqual(slow);
  expect(copy?.sidecar.proof).toMatchObject({ passed: true });
  // What FFmpeg's prober says: fields became frames, and the Matroska copy has its subtitles.
  const { streams } = probed(path.join(engine.library, 'Twice (slow).mkv'));
  expect(streams.map((s) => s.codec_name)).toEqual(['h264', 'aac', 'aac', 'aac', 'dvd_subtitle', 'dvd_subtitle']);
  expect(streams[0]).toMatchObject({ r_frame_rate: '50/1' });
  expect(copy?.sidecar.proof.checks.find((c) => c.what === 'packets')?.found).toBe('140');
  // Proven again from its sidecar alone, by what its recipe makes of it.
  expect(await engine.call('reprove', { id: copy?.id ?? '' })).toMatchObject({ proof: { passed: true }, digestMatches: true });
});

test('a copy that is not what was promised does not hold back the master, and is made again from it without the disc', async () => {
  const hevc: Recipe = { ...access, id: 'own-hevc', name: 'Later one', suffix: ' (later)', video: { ...access.video, codec: 'HEVC' } };
  writeFileSync(spoils, '');
  const loose = path.join(engine.sounds, 'LOOSE.iso');
  writeFileSync(loose, readFileSync(path.join(PROVING, 'QUAY.iso')));
  const source: SourceRef = { kind: 'place', root: 'sounds', path: 'LOOSE.iso' };
  const { jobId } = await engine.submit(source, reel('Held', ['master', 'access', 'own-hevc']), 'library', '', [access, hevc]);
  const failed = await engine.jobUntil(jobId, (j) => j.state === 'done' || j.state === 'failed');
  expect(failed).toMatchObject({
    state: 'failed',
    problem: { code: 'copy-failed', message: expect.stringMatching(/Later one/) as string },
  });
  expect(failed.files.map((f) => path.basename(f))).toEqual(['Held.mkv', 'Held.mp4']);
  const names = () => inLibrary().filter((n) => n.startsWith('Held'));
  expect(names()).toEqual(['Held.mkv', 'Held.mkv.json', 'Held.mp4', 'Held.mp4.json']);
  const outputs = (await engine.outputs()).filter((o) => o.path.startsWith('Held'));
  for (const { id } of outputs)
    expect(await engine.call('reprove', { id })).toMatchObject({ proof: { passed: true }, digestMatches: true });
  const before = readFileSync(path.join(engine.library, 'Held.mkv'));

  rmSync(loose);
  rmSync(spoils);
  await engine.call('retryJob', { id: jobId });
  expect(await engine.jobUntil(jobId, (j) => j.state === 'done' || j.state === 'failed')).toMatchObject({ state: 'done', problem: null });
  expect(names()).toEqual(['Held (later).mp4', 'Held (later).mp4.json', 'Held.mkv', 'Held.mkv.json', 'Held.mp4', 'Held.mp4.json']);
  expect(readFileSync(path.join(engine.library, 'Held.mkv')).equals(before)).toBe(true);
  const later = (await engine.outputs()).find((o) => o.path === 'Held (later).mp4');
  expect(await engine.call('reprove', { id: later?.id ?? '' })).toMatchObject({ proof: { passed: true }, digestMatches: true });
  expect(probed(path.join(engine.library, 'Held (later).mp4')).streams[0]?.codec_name).toBe('hevc');
  expect(engine.unfinished()).toEqual([]);
});

describe('copies that go elsewhere than their reel', () => {
  const takeAsLibrary = async () => {
    const { storages } = await engine.call('state');
    if (storages.find((s) => s.id === 'lent')?.identity !== 'known') await engine.call('takeStorage', { id: 'lent' });
  };
  const place = { recipe: 'access', storage: 'lent', folder: 'For readers/Films', fileName: 'Read me' };
  const under = (folder: string) =>
    existsSync(folder)
      ? readdirSync(folder)
          .filter((n) => !n.startsWith('.'))
          .sort()
      : [];
  const over = (j: { state: string }) => j.state === 'done' || j.state === 'failed';

  test('each has its own storage, folder and name; the disc is read once, and subtitle files stay with the master', async () => {
    await takeAsLibrary();
    const wish = (reading: Reading): Reel => ({ ...reel('Apart', ['master', 'access', 'own-slow'])(reading), subtitleFiles: true });
    const { jobId } = await engine.submit(
      image,
      wish,
      'library',
      'Masters',
      [access, slow],
      [place, { recipe: 'own-slow', storage: null, folder: 'Slow', fileName: null }],
    );
    const job = await engine.jobUntil(jobId, over);
    expect(job).toMatchObject({ state: 'done', problem: null, storage: 'Library, Lending shelf' });
    expect(under(path.join(engine.library, 'Masters')).filter((n) => n.startsWith('Apart'))).toEqual(
      expect.arrayContaining(['Apart.mkv', 'Apart.mkv.json']),
    );
    expect(under(path.join(engine.library, 'Masters')).some((n) => n.endsWith('.mks'))).toBe(true);
    expect(under(path.join(engine.library, 'Slow'))).toEqual(['Apart (slow).mkv', 'Apart (slow).mkv.json']);
    expect(under(path.join(lent, 'For readers', 'Films'))).toEqual(['Read me.mp4', 'Read me.mp4.json']);
    for (const storage of [engine.library, lent]) expect(readdirSync(path.join(storage, '.careful-vault'))).toEqual(['storage.json']);
    const copy = (await engine.outputs()).find((o) => o.path.endsWith('Read me.mp4'));
    expect(copy).toMatchObject({ storage: 'lent', sidecar: { recipe: 'access', reel: { name: 'Apart' } } });
    expect(await engine.call('reprove', { id: copy?.id ?? '' })).toMatchObject({ proof: { passed: true }, digestMatches: true });
    const { events } = await engine.call('jobLog', { id: jobId });
    expect(events.filter((e) => e.type === 'stage' && e.stage === 'master')).toHaveLength(1);
  });

  test('names that are taken there, and places that are none, are refused before any work; what waits holds its names', async () => {
    await takeAsLibrary();
    const send = (name: string, where: object) =>
      engine.submit(image, reel(name, ['master', 'access']), 'library', '', [access], [{ ...place, ...where }]);
    await expect(send('Elsewhere', {})).rejects.toThrow(/Read me/);
    await expect(send('Elsewhere', { storage: 'nowhere' })).rejects.toThrow(/not configured/);
    const leaving = await send('Elsewhere', { folder: '../../etc', fileName: '../x' });
    await engine.jobUntil(leaving.jobId, over);
    expect(under(path.join(lent, '..')).filter((n) => n === 'etc')).toEqual([]);
    expect((await engine.outputs()).filter((o) => o.storage === 'lent').every((o) => !o.path.includes('..'))).toBe(true);
    expect(inLibrary().filter((n) => n.startsWith('Elsewhere'))).toEqual(['Elsewhere.mkv', 'Elsewhere.mkv.json']);
  });

  test('while one of its storages is away a job waits and nothing is written in its place; cancelled, nothing of it stays in either', async () => {
    await takeAsLibrary();
    const away = `${lent} away`;
    renameSync(lent, away);
    const { jobId } = await engine
      .submit(image, reel('Waits', ['master', 'access']), 'library', '', [access], [{ ...place, fileName: 'Waits' }])
      .catch((error: unknown) => {
        expect(String(error)).toMatch(/storage-missing/);
        return { jobId: null };
      });
    expect(jobId).toBeNull();
    expect(existsSync(lent)).toBe(false);
    renameSync(away, lent);
    engine.holdEncoders();
    const sent = await engine.found(() =>
      engine
        .submit(image, reel('Waits', ['master', 'own-slow']), 'library', '', [slow], [{ ...place, recipe: 'own-slow', fileName: 'Waits' }])
        .catch(() => null),
    );
    await engine.encoding(sent.jobId, 'own-slow');
    await engine.call('cancelJob', { id: sent.jobId });
    await engine.jobUntil(sent.jobId, (j) => j.state === 'cancelled');
    expect(inLibrary().filter((n) => n.startsWith('Waits'))).toEqual([]);
    for (const storage of [engine.library, lent]) expect(readdirSync(path.join(storage, '.careful-vault'))).toEqual(['storage.json']);
  });
});

test('hardware that works is used and named; where it fails, software does the same, and that is said', async () => {
  await engine.until(async () => ((await engine.call('state')).encoders.some((e) => e.name === 'NVENC H.264' && e.works) ? true : null));
  const { encoders } = await engine.call('state');
  expect(encoders.filter((e) => e.name.startsWith('VAAPI')).map((e) => [e.works, (e.reason ?? '').length > 5])).toEqual([
    [false, true],
    [false, true],
    [false, true],
  ]);
  const fast: Recipe = { ...access, id: 'own-fast', name: 'Fast one', suffix: ' (fast)', video: { ...access.video, hardware: true } };
  const made = async (name: string) => {
    const { jobId } = await engine.submit(image, reel(name, ['own-fast']), 'library', '', [fast]);
    expect(await engine.jobUntil(jobId, (j) => j.state === 'done' || j.state === 'failed')).toMatchObject({ state: 'done', problem: null });
    const output = (await engine.outputs()).find((o) => o.path === `${name} (fast).mp4`);
    const { events } = await engine.call('jobLog', { id: jobId });
    return { encoder: output?.sidecar.tools['videoEncoder'], said: events.flatMap((e) => (e.type === 'note' ? [e.text] : [])).join('\n') };
  };
  const first = await made('Hard');
  expect(first.encoder).toBe('h264_nvenc');
  expect(first.said).toMatch(/Fast one: the picture was encoded by h264_nvenc/);
  writeFileSync(broken, '');
  const second = await made('Soft');
  expect(second.encoder).toBe('libx264');
  expect(second.said).toMatch(/NVENC failed, encoded in software instead: .*the device is gone/);
  rmSync(broken);
});

test('a chapter of a concert as a file of sound: proven, in the vault, and played as it is', async () => {
  const song: Recipe = {
    ...access,
    id: 'own-song',
    name: 'Songs',
    suffix: '',
    container: 'FLAC',
    audio: { ...access.audio, codec: 'FLAC' },
  };
  const second = (reading: Reading): Reel => {
    const whole = reel('Second song', ['own-song'])(reading);
    return { ...whole, pieces: whole.pieces.map((p) => ({ ...p, fromChapter: 2, toChapter: 2 })) };
  };
  const { jobId } = await engine.submit(image, second, 'library', '', [song]);
  expect(await engine.jobUntil(jobId, (j) => j.state === 'done' || j.state === 'failed')).toMatchObject({ state: 'done', problem: null });
  const output = (await engine.outputs()).find((o) => o.path === 'Second song.flac');
  expect(await engine.call('reprove', { id: output?.id ?? '' })).toMatchObject({ proof: { passed: true }, digestMatches: true });
  const { format, streams } = probed(path.join(engine.library, 'Second song.flac'));
  expect(streams.map((s) => s.codec_name)).toEqual(['flac']);
  // Its author: the second chapter is 2.4 s.
  expect(Math.abs(Number(format.duration) - 2.4)).toBeLessThan(0.1);
  expect(Object.entries(format.tags ?? {}).map(([k, v]) => `${k.toLowerCase()}=${v}`)).toEqual(
    expect.arrayContaining(['title=Second song', 'track=2', 'album=QUAY', 'language=en']),
  );
});

test('a recipe that did not come with the reel, and one that is none, are refused', async () => {
  await expect(engine.submit(image, reel('Unknown', ['own-nowhere']), 'library', '', [])).rejects.toThrow(/was not sent/);
  const spoilt = { ...access, id: 'own-x', video: { ...access.video, codec: '-i /etc/passwd' } } as unknown as Recipe;
  await expect(engine.submit(image, reel('Spoilt', ['own-x']), 'library', '', [spoilt])).rejects.toThrow();
  expect(inLibrary().filter((n) => /Unknown|Spoilt/.test(n))).toEqual([]);
});

describe('from a master in the library, without its disc', () => {
  const lending = quick(SHIPPED.find((r) => r.id === 'lending') as Recipe);
  const page = quick(SHIPPED.find((r) => r.id === 'catalogue-page') as Recipe);
  const masterOf = async (name: string) => (await engine.outputs()).find((o) => o.path === `${name}.mkv` && o.sidecar.recipe === 'master');
  const copy = async (name: string, copies: readonly Recipe[]) => {
    const { jobId } = await engine.call('makeCopies', { id: (await masterOf(name))?.id ?? '', body: { copies } });
    return engine.jobUntil(jobId, (j) => j.state === 'done' || j.state === 'failed');
  };
  const kept = (reading: Reading): Reel => {
    const made = reel('Kept', ['master'])(reading);
    return { ...made, audio: made.audio.map((a, i) => ({ ...a, name: `Sound ${i + 1}` })) };
  };

  test('several at a time, beside it, told of the disc that it is from', async () => {
    await engine.jobUntil((await engine.submit(image, kept)).jobId, (j) => j.state === 'done');
    const master = await masterOf('Kept');
    expect(await copy('Kept', [access, lending, page])).toMatchObject({ state: 'done', disc: 'QUAY', problem: null });
    expect(inLibrary().filter((n) => n.startsWith('Kept') && !n.endsWith('.json'))).toEqual([
      'Kept (lending).mp4',
      'Kept (page).webm',
      'Kept.mkv',
      'Kept.mp4',
    ]);
    const made = (await engine.outputs()).filter((o) => o.path.startsWith('Kept') && o.sidecar.recipe !== 'master');
    expect(made).toHaveLength(3);
    for (const { sidecar } of made) {
      expect(sidecar.disc).toEqual(master?.sidecar.disc);
      expect(sidecar.segments).toEqual(master?.sidecar.segments);
      expect(sidecar.promise.wholeness).toEqual(master?.sidecar.promise.wholeness);
      expect(sidecar.proof.checks.find((c) => c.what === 'whole')).toMatchObject({ passed: true });
      expect(sidecar.reel).toEqual({ ...master?.sidecar.reel, recipes: ['access', 'lending', 'catalogue-page'] });
      expect(sidecar.proof.passed).toBe(true);
    }
    // What FFmpeg's prober says: the tracks are called as in the master, and its pictures are as many.
    const { streams, chapters } = probed(path.join(engine.library, 'Kept (lending).mp4'));
    expect(streams.filter((s) => s.codec_type === 'audio')).toHaveLength(master?.sidecar.reel.audio.length ?? 0);
    expect(streams.find((s) => s.codec_type === 'video')).toMatchObject({ width: 114, height: 64 });
    expect(chapters).toHaveLength(1);
  });

  test('both views of a master that has two; without its disc, each picture is what it was before the disc was authored', async () => {
    const twin: SourceRef = { kind: 'place', root: 'images', path: 'TWIN.iso' };
    const whole = (reading: Reading): Reel => ({ ...wholeTitleReel(titleOf(reading, 1), 'Depth'), recipes: ['master'] });
    await engine.jobUntil((await engine.submit(twin, whole)).jobId, (j) => j.state === 'done');
    const exact: Recipe = {
      ...(SHIPPED[0] as Recipe),
      ...{ id: 'own-exact', name: 'Exact', suffix: ' (exact)', container: 'Matroska', views: { layout: 'right eye', swapped: false } },
      video: { ...access.video, codec: 'FFV1' },
    };
    expect(await copy('Depth', [exact])).toMatchObject({ state: 'done', problem: null });
    const views = JSON.parse(readFileSync(path.join(PROVING, '..', 'views-twin.json'), 'utf8')) as Record<string, { second: string[] }>;
    expect(decodedFrames(path.join(engine.library, 'Depth (exact).mkv'), 'v:0', ['-pix_fmt', 'yuv420p'])).toEqual(views['00012']?.second);
  });

  test('a master that is no longer what was proven gives no copy, though it still plays', async () => {
    const file = path.join(engine.library, 'Kept.mkv');
    const bytes = readFileSync(file);
    const at = bytes.length >> 1;
    bytes[at] = (bytes[at] ?? 0) ^ 1;
    writeFileSync(file, bytes);
    const own = { ...lending, id: 'own-more', suffix: ' (more)' };
    expect(await copy('Kept', [own])).toMatchObject({ state: 'failed', problem: { code: 'master-changed' } });
    expect(inLibrary().filter((n) => n.includes('(more)'))).toEqual([]);
  });

  test('a copy is made from a master, not from a copy; and not where its name is taken', async () => {
    const before = (await engine.outputs()).find((o) => o.path === 'Kept.mp4');
    await expect(engine.call('makeCopies', { id: before?.id ?? '', body: { copies: [lending] } })).rejects.toThrow(/lose twice/);
    await expect(copy('Kept', [lending])).rejects.toThrow(/already has a file/);
  });
});
