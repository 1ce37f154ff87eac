import { chmodSync, readFileSync, writeFileSync } from 'node:fs';
import path from 'node:path';
import { HARDWARE_NAMES } from '@/core/recipes';
import { temporaryFolder } from '@/test-support/discs';
import { tryEncoders } from './encoders';

const folder = temporaryFolder();
const never = new AbortController().signal;
// Weights come with no package, and graphics hardware not with every machine.
const failing = async (...how: Parameters<typeof tryEncoders>) =>
  (await tryEncoders(...how))
    .filter((e) => !e.works && e.name !== 'thorough deinterlacing' && !HARDWARE_NAMES.some((n) => n === e.name))
    .map((e) => e.name);

test('on this machine every encoder works; the outcome is kept for this FFmpeg only', async () => {
  const file = path.join(folder, 'a.json');
  const encoders = await tryEncoders(file, 'ffmpeg one', never);
  expect(await failing(file, 'ffmpeg one', never)).toEqual([]);
  expect(encoders.map((e) => e.name)).toEqual(expect.arrayContaining(['H.264', 'HEVC, 10 bit', 'AV1', 'VP9', 'FFV1', 'AAC', 'Opus']));
  writeFileSync(file, readFileSync(file, 'utf8').replace('"works":true', '"works":false'));
  expect(await failing(file, 'ffmpeg one', never)).toHaveLength(1);
  expect(await failing(file, 'ffmpeg two', never)).toEqual([]);
});

test('one that is listed and fails is told apart, with the reason in its own words', async () => {
  // A program of this name that can do all but one thing stands before the real one.
  const wrapper = path.join(folder, 'ffmpeg');
  writeFileSync(wrapper, `#!/bin/sh\ncase "$*" in *libx265*) echo "no libx265 here" >&2; exit 1;; esac\nexec ffmpeg "$@"\n`);
  chmodSync(wrapper, 0o755);
  const kept = path.join(folder, 'b.json');
  expect(await failing(kept, 'ffmpeg', never, wrapper)).toEqual(['HEVC', 'HEVC, 10 bit']);
  const encoders = await tryEncoders(kept, 'ffmpeg', never, wrapper);
  expect(encoders.find((e) => e.name === 'HEVC')?.reason).toContain('no libx265 here');
});

test('an FFmpeg that decodes a known stereoscopic film otherwise is told so; with it both views are not shown', async () => {
  const wrapper = path.join(folder, 'other-ffmpeg');
  // One that minds two pictures of one order leaves out every second.
  writeFileSync(wrapper, `#!/bin/sh\ncase "$*" in *framemd5*) ffmpeg "$@" | awk '/^#/ || NR % 2';; *) exec ffmpeg "$@";; esac\n`);
  chmodSync(wrapper, 0o755);
  const kept = path.join(folder, 'c.json');
  expect(await failing(kept, 'ffmpeg', never, wrapper)).toEqual(['both views']);
  expect((await tryEncoders(kept, 'ffmpeg', never, wrapper)).find((e) => e.name === 'both views')?.reason).toMatch(/\d+ of 26 pictures/);
});
