import { spawnSync } from 'node:child_process';
import { readFileSync, writeFileSync } from 'node:fs';
import path from 'node:path';
import { ALL_FORMATS, EncodedPacketSink, FilePathSource, Input } from 'mediabunny';
import { proveCopy } from '@/core/proof';
import { CONTAINER_ENDING, SHIPPED, TARGETS, expectationOf, obstaclesOn, planEncode, type EncodeFacts } from '@/core/recipes';
import { encodeFacts, wholeTitleReel } from '@/core/reels';
import { HAVEN, QUAY, openDisc, temporaryFolder, titleOf, writeMasterFile } from '@/test-support/discs';
import { nonConforming } from '@/test-support/ffmpeg';
import { encodeCopy } from './encode-pieces';
import { examineCopy, probeShape } from './ffmpeg';
import { nearnessToMaster } from './outcome';

/** The recipes that come with the application, as they are, at full size: judged by FFmpeg's prober and by a reader of another house. */
const folder = temporaryFolder();
let count = 0;
const name = (extension: string) => path.join(folder, `${++count}.${extension}`);

const OTHER_NAMES: Readonly<Record<string, string>> = { avc: 'H.264', hevc: 'HEVC', vp9: 'VP9', av1: 'AV1' };

/**
 * A copy as a reader of another house than FFmpeg's has it: codec, size, pictures in their order, when the last is over, sound. Null
 * where that reader does not know the container.
 */
async function readElsewhere(file: string) {
  // It says so of every text track that it does not know.
  jest.spyOn(console, 'warn').mockImplementation(() => undefined);
  const input = new Input({ formats: ALL_FORMATS, source: new FilePathSource(file) });
  if (!(await input.canRead())) return null;
  const video = await input.getPrimaryVideoTrack();
  if (!video) throw new Error('no picture');
  const shown: number[] = [];
  for await (const packet of new EncodedPacketSink(video).packets()) shown.push(packet.timestamp);
  shown.sort((a, b) => a - b);
  return {
    codec: OTHER_NAMES[(await video.getCodec()) ?? ''] ?? null,
    size: [await video.getCodedWidth(), await video.getCodedHeight()],
    frames: shown.length,
    doubled: shown.filter((t, i) => i > 0 && t <= (shown[i - 1] ?? -1)).length,
    seconds: await input.computeDuration(),
    channels: await Promise.all((await input.getAudioTracks()).map((t) => t.getNumberOfChannels())),
  };
}

/** Players that a shipped recipe is made for. */
const PLAYS_ON: Readonly<Record<string, readonly string[]>> = {
  access: ['phone', 'browser', 'television', 'server'],
  lending: ['phone', 'browser', 'television', 'server', 'upload'],
  'reading-stick': ['phone', 'television'],
  'catalogue-page': ['browser'],
  'shelf-saver': ['server'],
  'old-player': ['dvd-age'],
};

test.each([
  ['a film of a DVD', QUAY],
  ['a film of a Blu-ray', HAVEN],
])('every shipped recipe of %s passes its proof: tracks, chapters, length, languages', async (_name, image) => {
  const disc = await openDisc(image);
  try {
    const title = titleOf(disc.reading, image === QUAY ? 2 : 1);
    // A few seconds are enough for every encoder there is.
    const whole = wholeTitleReel(title, 'Tried');
    const reel = { ...whole, pieces: whole.pieces.map((p) => ({ ...p, fromChapter: 1, toChapter: 1 })) };
    const master = name('mkv');
    const { promise } = await writeMasterFile(disc, reel, master);
    expect(nonConforming(master)).toEqual([]);
    // One byte of it is another: that does not pass for whole.
    const spoilt = readFileSync(master);
    spoilt[Math.floor(spoilt.length / 2)] = (spoilt[Math.floor(spoilt.length / 2)] ?? 0) ^ 1;
    writeFileSync(`${master}.spoilt.mkv`, spoilt);
    expect(nonConforming(`${master}.spoilt.mkv`)).not.toEqual([]);
    // Slow encoders are tried on the smaller picture: what they do is the same.
    const small = image === HAVEN;
    for (const r of SHIPPED.filter((s) => small || !['AV1', 'VP9'].includes(s.video.codec))) {
      const plan = planEncode(r, encodeFacts(disc.reading, reel, promise.interlaced) as EncodeFacts);
      const out = path.join(folder, `${r.id}${CONTAINER_ENDING[r.container]}`);
      const order = {
        plan,
        master,
        masterMs: promise.durationMs,
        output: out,
        folder: `${out}.pieces`,
        application: 'test',
        pieceMs: 1e6,
      };
      await encodeCopy(order, { progress: () => undefined, note: () => undefined });
      const proof = proveCopy(await examineCopy(out), expectationOf(plan, promise), promise);
      expect([r.id, proof.checks.filter((c) => !c.passed)]).toEqual([r.id, []]);
      // Made for players: it is inside their limits, as FFmpeg's prober sees it, and not only by its plan.
      const shape = await probeShape(out, r.container);
      const plays = TARGETS.filter((t) => shape && obstaclesOn(t, shape).length === 0).map((t) => t.id);
      for (const target of PLAYS_ON[r.id] ?? []) expect([r.id, plays]).toEqual([r.id, expect.arrayContaining([target])]);
      if (r.container === 'Matroska') expect([r.id, nonConforming(out)]).toEqual([r.id, []]);
      const elsewhere = r.container === 'AVI' || plan.soundOnly ? null : await readElsewhere(out);
      if (elsewhere && ['H.264', 'HEVC', 'VP9', 'AV1'].includes(plan.video.codec)) {
        const expected = expectationOf(plan, promise);
        expect([r.id, elsewhere.codec, elsewhere.size]).toEqual([
          r.id,
          plan.video.codec,
          [plan.video.widthPixels, plan.video.heightPixels],
        ]);
        expect([r.id, elsewhere.frames >= expected.leastFrames && elsewhere.frames <= expected.mostFrames, elsewhere.doubled]).toEqual([
          r.id,
          true,
          0,
        ]);
        expect([r.id, elsewhere.channels]).toEqual([r.id, plan.audio.map((a) => a.channels)]);
        expect([r.id, Math.abs(elsewhere.seconds * 1000 - promise.durationMs) < 100]).toEqual([r.id, true]);
      }
      const near = await nearnessToMaster(plan, out, master, promise.durationMs);
      if (near) expect([r.id, near.frames > 30, near.ssim > 0.93]).toEqual([r.id, true, true]);
      const probe = spawnSync('ffprobe', [
        '-v',
        'error',
        '-select_streams',
        'a',
        '-show_entries',
        'stream=codec_name,channels:stream_tags=language',
        '-of',
        'json',
        out,
      ]);
      const { streams } = JSON.parse(probe.stdout.toString()) as {
        streams: { codec_name: string; channels: number; tags?: { language?: string } }[];
      };
      expect(streams.map((s) => s.channels)).toEqual(plan.audio.map((a) => a.channels));
      const languages = reel.audio.map((a) => a.language);
      for (const [i, s] of streams.entries()) {
        const wanted = languages[plan.audio[i]?.source ?? 0];
        // AVI has no place for it; a file of sound says it of itself, where it is made by a job.
        if (r.container !== 'AVI' && !plan.soundOnly)
          expect([r.id, i, (s.tags?.language ?? 'und') === 'und']).toEqual([r.id, i, wanted === null]);
      }
    }
  } finally {
    await disc.opened.close();
  }
});
