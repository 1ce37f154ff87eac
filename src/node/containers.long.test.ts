import path from 'node:path';
import {
  CONTAINERS,
  CONTAINER_ENDING,
  ENCODES,
  SHIPPED,
  SOUND_ONLY,
  type CopyAudio,
  type CopyVideo,
  type EncodeFacts,
  type Recipe,
} from '@/core/recipes';
import { copyOf } from '@/test-support/copies';
import { temporaryFolder } from '@/test-support/discs';
import { factsOf, ffmpeg } from '@/test-support/encodes';
import { decodedFrames, probed } from '@/test-support/ffmpeg';

/** What can be chosen for a container comes into it, whole: every codec that is offered, and what is kept as it is. */

const folder = temporaryFolder();
const access = SHIPPED[0] as Recipe;
const FRAMES = 12;
const source = path.join(folder, 'source.mkv');
ffmpeg([
  ...['-f', 'lavfi', '-i', `testsrc2=s=128x96:r=25:d=${FRAMES / 25}`, '-f', 'lavfi', '-i', `sine=d=${FRAMES / 25}`],
  ...['-c:v', 'libx264', '-c:a', 'flac', '-ac', '2', source],
]);
const facts: EncodeFacts = {
  ...factsOf({ codec: 'H.264', widthPixels: 128, heightPixels: 96, frameTicks: 1_080_000 }, { scan: 'progressive', combed: 0 }),
  ...{ durationMs: FRAMES * 40, audio: [{ codec: 'FLAC', channels: 2, name: '' }] },
};
const recipe = (container: Recipe['container'], video: CopyVideo, audio: CopyAudio): Recipe => ({
  ...access,
  container,
  video: { ...access.video, codec: video, quality: video.startsWith('MPEG') ? 4 : 30, effort: 'little' },
  audio: { ...access.audio, codec: audio },
});
/** FFmpeg's names of what a codec is. */
const CALLED: Partial<Record<CopyVideo | CopyAudio, string>> = {
  ...{
    'H.264': 'h264',
    HEVC: 'hevc',
    'HEVC, 10 bit': 'hevc',
    AV1: 'av1',
    VP9: 'vp9',
    FFV1: 'ffv1',
    'MPEG-2': 'mpeg2video',
    'MPEG-4': 'mpeg4',
  },
  ...{ AAC: 'aac', Opus: 'opus', 'AC-3': 'ac3', 'E-AC-3': 'eac3', MP3: 'mp3', FLAC: 'flac', PCM: 'pcm_s24le' },
};

test.each(CONTAINERS)('%s', async (container) => {
  const { video, audio } = ENCODES[container];
  const output = path.join(folder, `copy${CONTAINER_ENDING[container]}`);
  const made = async (picture: CopyVideo, sound: CopyAudio) => {
    const { plan, proof } = await copyOf(source, { recipe: recipe(container, picture, sound), facts, output });
    expect([picture, sound, proof.checks.filter((c) => !c.passed)]).toEqual([picture, sound, []]);
    return { plan, kinds: new Map(probed(output).streams.map((s) => [s.codec_type, s.codec_name])) };
  };
  for (const sound of [...audio, 'as it is'] as const) {
    const { kinds } = await made(video[0] ?? 'H.264', sound);
    // What can not go in as it is becomes something else, and that is said.
    if (sound !== 'as it is') expect([sound, kinds.get('audio')]).toEqual([sound, CALLED[sound]]);
    else expect(kinds.get('audio')).toBeDefined();
  }
  if (SOUND_ONLY.has(container)) return;
  for (const picture of [...video.slice(1), 'as it is'] as const) {
    const { kinds } = await made(picture, audio[0] ?? 'AAC');
    if (picture !== 'as it is') expect([picture, kinds.get('video')]).toEqual([picture, CALLED[picture]]);
    expect([picture, decodedFrames(output, 'v:0').length]).toEqual([picture, FRAMES]);
  }
});
