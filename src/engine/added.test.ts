import { spawnSync } from 'node:child_process';
import { appendFileSync, readFileSync, readdirSync, rmSync, writeFileSync } from 'node:fs';
import path from 'node:path';
import type { JobState, SourceRef } from '@/contract';
import type { Reading } from '@/core/reading';
import { readSubtitleFile, wholeTitleReel, type AddedAudio, type Reel } from '@/core/reels';
import { QUAY } from '@/test-support/discs';
import { complaints, decodedSamples, heldFrames, packetTimes, probed } from '@/test-support/ffmpeg';
import { Refused, TestEngine } from '@/test-support/engine';

/** What a reel takes from files beside the disc, and what it leaves beside its result: through the engine and its runners. */

const image: SourceRef = { kind: 'place', root: 'images', path: 'QUAY.iso' };
const tray: SourceRef = { kind: 'drive', drive: 'tray' };
const over = (job: JobState) => ['done', 'failed', 'cancelled'].includes(job.state);

let engine: TestEngine;
beforeAll(async () => {
  engine = new TestEngine([{ id: 'slow', image: QUAY, gated: true }]);
  await engine.start();
});
afterAll(async () => {
  await engine.stop();
});

/** Sound that never repeats, so that a shift by one sample shows. */
function sound(name: string, seconds: number, ...codec: string[]): string {
  const file = path.join(engine.sounds, name);
  const source = `aevalsrc='0.4*sin(40*t*t*t)+0.3*random(0)|0.3*sin(90*t*t)':s=44100:d=${seconds}`;
  const { status, stderr } = spawnSync('ffmpeg', ['-v', 'error', '-y', '-f', 'lavfi', '-i', source, ...codec, file]);
  if (status !== 0) throw new Error(stderr.toString());
  return file;
}

async function addedFrom(name: string, change: Partial<AddedAudio> = {}): Promise<AddedAudio> {
  const found = await engine.call('sound', { query: `?root=sounds&path=${encodeURIComponent(name)}` });
  const [stream] = found.streams;
  if (!stream) throw new Error('no sound');
  const { codec, channels, sampleRateHz, bitDepth } = stream;
  return {
    source: { root: 'sounds', path: name, sizeBytes: found.sizeBytes, fingerprint: found.fingerprint, stream: stream.stream },
    ...{ codec, channels, sampleRateHz, bitDepth, durationMs: found.durationMs },
    ...{ name: '', language: null, offsetMs: 0, isDefault: false, isCommentary: false, isVisuallyImpaired: false },
    ...change,
  };
}

const quay =
  (change: Partial<Reel>) =>
  (reading: Reading): Reel => {
    const title = reading.titles.find((t) => t.number === 2);
    if (!title) throw new Error('no title');
    return { ...wholeTitleReel(title, 'Quay'), ...change };
  };

async function made(change: Partial<Reel> & { readonly name: string }) {
  const { jobId } = await engine.submit(image, quay(change));
  const job = await engine.jobUntil(jobId, over);
  expect([job.state, job.problem]).toEqual(['done', null]);
  const outputs = await engine.outputs();
  const result = outputs.find((o) => o.sidecar.jobId === jobId);
  if (!result) throw new Error('nothing was made');
  return { job, result, file: path.join(engine.library, result.path) };
}

test.each([
  ['plain.wav', ['-c:a', 'pcm_s24le'], 'PCM'],
  ['float.wav', ['-c:a', 'pcm_f32le'], 'PCM float'],
  ['big-endian.aiff', ['-c:a', 'pcm_s16be'], 'PCM'],
  ['packed.flac', ['-c:a', 'flac'], 'FLAC'],
  ['talk.mp3', ['-c:a', 'libmp3lame'], 'MP3'],
  ['talk.m4a', ['-c:a', 'aac'], 'AAC'],
])('sound from %s stands in the master as it stands in its file', async (name, codec, known) => {
  const file = sound(name, 4, ...codec);
  const added = await addedFrom(name, { offsetMs: 1500, language: 'gd', name: 'Told by the keeper', isCommentary: true });
  expect([added.codec, added.channels, added.sampleRateHz, Math.round(added.durationMs / 100)]).toEqual([known, 2, 44100, 40]);
  const { file: master, result } = await made({ name: `With ${name}`, addedAudio: [added] });
  const place = result.sidecar.promise.tracks.filter((t) => t.kind === 'audio').length - 1;
  const track = probed(master).streams.filter((s) => s.codec_type === 'audio')[place];
  expect(track?.tags).toMatchObject({ language: 'gla', title: 'Told by the keeper' });
  expect(track?.disposition['comment']).toBe(1);
  // MP3 and AAC begin with samples that only prepare their decoder, and only their own container says how many.
  if (known === 'MP3' || known === 'AAC') expect(heldFrames(master, `a:${place}`)).toEqual(heldFrames(file, 'a:0'));
  else expect(decodedSamples(master, `a:${place}`).equals(decodedSamples(file, 'a:0'))).toBe(true);
  const [times, original] = [packetTimes(master, `a:${place}`), packetTimes(file, 'a:0')];
  expect((times[0]?.pts ?? 0) - (original[0]?.pts ?? 0)).toBeCloseTo(1.5, 2);
  expect(result.sidecar.proof.passed).toBe(true);
  expect(complaints(master)).toEqual([]);
});

test('what lies before the beginning or after the end of the reel is left out and counted; the copy has the sound as well', async () => {
  sound('long.wav', 60, '-c:a', 'pcm_s16le');
  const added = await addedFrom('long.wav', { offsetMs: -2000, isDefault: true });
  const { jobId } = await engine.submit(image, quay({ name: 'Long', addedAudio: [added], recipes: ['master', 'access'] }));
  expect(await engine.jobUntil(jobId, over)).toMatchObject({ state: 'done' });
  const outputs = await engine.outputs();
  const promise = outputs.find((o) => o.path === 'Long.mkv')?.sidecar.promise;
  const track = promise?.tracks.filter((t) => t.kind === 'audio').at(-1);
  expect(track?.left.map((l) => l.reason)).toEqual(['before the beginning', 'after the end']);
  const left = track?.left.reduce((sum, l) => sum + l.bytes, 0) ?? 0;
  expect((track?.bytes ?? 0) + left).toBe(60 * 44100 * 4);
  const copy = probed(path.join(engine.library, 'Long.mp4')).streams.filter((s) => s.codec_type === 'audio');
  expect(copy.length).toBe(promise?.tracks.filter((t) => t.kind === 'audio').length);
});

test('a file that is not there, has no sound, lies outside or was changed is refused', async () => {
  const refusal = (work: Promise<unknown>) =>
    work.then(
      () => null,
      (e: unknown) => (e instanceof Refused ? e.problem.code : e),
    );
  writeFileSync(path.join(engine.sounds, 'letter.wav'), 'Dear keeper');
  const ask = (name: string) => engine.call('sound', { query: `?root=sounds&path=${encodeURIComponent(name)}` });
  expect(await refusal(ask('../config.json'))).toBe('not-known');
  expect(await refusal(ask('gone.wav'))).toBe('not-known');
  expect(await refusal(ask('letter.wav'))).toBe('not-a-disc');
  const file = sound('changing.wav', 2);
  const added = await addedFrom('changing.wav');
  appendFileSync(file, 'more');
  expect(await refusal(engine.submit(image, quay({ name: 'Changed', addedAudio: [added] })))).toBe('other-disc');
  expect((await engine.call('browse', { query: '?root=sounds&path=&for=sound' })).entries.map((e) => e.kind)).toContain('sound file');
  expect((await engine.call('browse', { query: '?root=images&path=&for=sound' })).entries.some((e) => e.kind === 'image')).toBe(false);
});

test('subtitles as files beside the result: the same packets, the added text in its own format, all proven again on demand', async () => {
  const text = readSubtitleFile('1\n00:00:01,000 --> 00:00:02,000\nMorning\n\n2\n00:00:05,000 --> 00:00:06,500\n<i>Evening</i>\n');
  const added = [{ ...text, name: '', language: 'nb', offsetMs: 250, isDefault: false, isForced: true }];
  const { file, result, job } = await made({ name: 'Beside', added, subtitleFiles: true });
  const stem = file.slice(0, -'.mkv'.length);
  const names = readdirSync(engine.library).filter((n) => n.startsWith('Beside.') && !n.startsWith('Beside.mkv'));
  expect(result.sidecar.beside.map((b) => b.name).sort()).toEqual(names.sort());
  expect(job.files.length).toBe(1 + names.length);
  expect(readFileSync(`${stem}.nb.forced.srt`, 'utf8')).toBe(
    '1\n00:00:01,250 --> 00:00:02,250\nMorning\n\n2\n00:00:05,250 --> 00:00:06,750\n<i>Evening</i>\n',
  );
  const bitmaps = result.sidecar.beside.filter((b) => b.name.endsWith('.mks'));
  expect(bitmaps.length).toBeGreaterThan(0);
  const firstSubtitle = result.sidecar.promise.tracks.findIndex((t) => t.kind === 'subtitle');
  for (const { name, track } of bitmaps) {
    const own = path.join(engine.library, name);
    expect(packetTimes(own, 's:0')).toEqual(packetTimes(file, `s:${track - firstSubtitle}`));
    expect(probed(own).streams.map((s) => s.codec_type)).toEqual(['subtitle']);
  }
  expect(await engine.call('reprove', { id: result.id })).toMatchObject({ digestMatches: true, proof: { passed: true } });
  appendFileSync(`${stem}.nb.forced.srt`, 'x');
  expect(await engine.call('reprove', { id: result.id })).toMatchObject({ digestMatches: false });
});

test('the name of a subtitle file that is taken is refused before anything is made; one that appears meanwhile is not touched', async () => {
  writeFileSync(path.join(engine.library, 'Named.en.mks'), 'mine');
  const submit = () => engine.submit(tray, quay({ name: 'Named', subtitleFiles: true }));
  await engine.call('insert', { id: 'tray', body: { disc: 'slow' } });
  const refused = await submit().then(
    () => null,
    (e: unknown) => (e instanceof Refused ? e.problem : null),
  );
  expect(refused).toMatchObject({ code: 'name-taken' });
  expect(refused?.message).toContain('Named.en.mks');
  rmSync(path.join(engine.library, 'Named.en.mks'));
  const { jobId } = await submit();
  await engine.atWork(jobId);
  writeFileSync(path.join(engine.library, 'Named.en.mks'), 'mine again');
  expect(await engine.jobUntil(jobId, over)).toMatchObject({ state: 'failed', problem: { code: 'name-taken' } });
  expect(readFileSync(path.join(engine.library, 'Named.en.mks'), 'utf8')).toBe('mine again');
  expect(readdirSync(engine.library).filter((n) => n.startsWith('Named'))).toEqual(['Named.en.mks']);
  // What was made is kept: once the name is free, only the placing is left.
  rmSync(path.join(engine.library, 'Named.en.mks'));
  await engine.call('retryJob', { id: jobId });
  const job = await engine.jobUntil(jobId, over);
  expect([job.state, job.problem]).toEqual(['done', null]);
  expect(readdirSync(engine.library)).toEqual(expect.arrayContaining(['Named.mkv', 'Named.mkv.json', 'Named.en.mks']));
});

test('a runner killed in mid-write makes it all again: added sound, subtitle files, nothing twice', async () => {
  sound('short.flac', 3, '-c:a', 'flac');
  const added = await addedFrom('short.flac', { offsetMs: 500 });
  const { jobId } = await engine.submit(tray, quay({ name: 'Survivor', addedAudio: [added], subtitleFiles: true }));
  await engine.atWork(jobId);
  const { pid } = JSON.parse(readFileSync(path.join(engine.folder, 'jobs', jobId, 'runner.json'), 'utf8')) as { pid: number };
  process.kill(pid, 'SIGKILL');
  const job = await engine.jobUntil(jobId, over);
  expect(job).toMatchObject({ state: 'done', attempts: 2 });
  const result = (await engine.outputs()).find((o) => o.sidecar.jobId === jobId);
  expect(result?.sidecar.proof.passed).toBe(true);
  expect(readdirSync(engine.library).filter((n) => n.startsWith('Survivor.') && n.endsWith('.mks'))).toHaveLength(
    result?.sidecar.beside.length ?? -1,
  );
  expect(engine.unfinished()).toEqual([]);
});

test('a job that is cancelled and cleared at once lets its drive go', async () => {
  const { jobId } = await engine.submit(tray, quay({ name: 'Not wanted' }));
  await engine.atWork(jobId);
  await engine.call('cancelJob', { id: jobId });
  await engine.jobUntil(jobId, over);
  await engine.call('forgetJob', { id: jobId });
  await engine.until(async () => ((await engine.call('state')).drives[0]?.state === 'ready' ? true : null));
  await engine.call('eject', { id: 'tray' });
});
