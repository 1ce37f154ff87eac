import { spawnSync } from 'node:child_process';
import { mkdtempSync, readFileSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { FaultLog } from './faults';
import { Timeline } from './timeline';
import { VideoFramer } from './framers/video-framer';

/** Pictures made by FFmpeg's encoder: what has all its rows, what has none missing, is known before our code sees it. */
const folder = mkdtempSync(join(tmpdir(), 'rows-'));
afterAll(() => {
  rmSync(folder, { recursive: true });
});

function encode(size: string, codec: string, options: readonly string[]): Uint8Array {
  const file = join(folder, 'video.m2v');
  const source = `testsrc2=size=${size}:rate=25:duration=1`;
  const { status, stderr } = spawnSync(
    'ffmpeg',
    ['-v', 'error', '-y', '-f', 'lavfi', '-i', source, '-c:v', codec, '-b:v', '3M', ...options, '-f', 'mpeg2video', file],
    { encoding: 'utf8' },
  );
  if (status !== 0) throw new Error(stderr);
  return readFileSync(file);
}

function faultsOf(data: Uint8Array): { kind: string; count: number }[] {
  const timeline = new Timeline();
  const framer = new VideoFramer(timeline);
  const faults = new FaultLog();
  framer.account.log = { faults, track: 0 };
  framer.beginPiece({ isCut: false });
  const epoch = timeline.begin(0);
  for (let at = 0; at < data.byteLength; at += 1999) {
    framer.append(data, at, Math.min(data.byteLength, at + 1999), at === 0 ? 9000 : -1, epoch);
    framer.scan(epoch);
  }
  framer.finish(epoch);
  return faults.list(timeline, 0).map(({ kind, count }) => ({ kind, count }));
}

/** Places of the slices of one picture, the `n`th of the stream. */
function slicesOf(data: Uint8Array, n: number): number[] {
  const buffer = Buffer.from(data.buffer, data.byteOffset, data.byteLength);
  let picture = -1;
  const found: number[] = [];
  for (let at = buffer.indexOf('000001', 0, 'hex'); at >= 0; at = buffer.indexOf('000001', at + 3, 'hex')) {
    const code = data[at + 3] ?? 0;
    if (code === 0) picture++;
    else if (code < 0xb0 && picture === n) found.push(at);
  }
  return found;
}

const KINDS: readonly (readonly [string, string, readonly string[]])[] = [
  ['progressive', '352x288', []],
  ['interlaced, of a height that fields do not divide', '720x360', ['-flags', '+ildct+ilme']],
];

describe.each(KINDS)('rows of pictures: %s', (_, size, options) => {
  const whole = encode(size, 'mpeg2video', options);

  test('all are there', () => {
    expect(faultsOf(whole)).toEqual([]);
  });

  test.each([
    ['first', 0],
    ['one between', 5],
    ['last', -1],
  ])('the %s of one picture lost is one picture named', (_name, which) => {
    const slices = slicesOf(whole, 7);
    const from = slices.at(which) ?? 0;
    const next = Buffer.from(whole).indexOf('000001', from + 3, 'hex');
    const spoilt = Buffer.concat([whole.subarray(0, from), whole.subarray(next)]);
    expect(faultsOf(spoilt)).toEqual([{ kind: 'rows missing', count: 1 }]);
  });

  test('a row that the picture does not have', () => {
    const spoilt = Uint8Array.from(whole);
    spoilt[(slicesOf(whole, 7).at(3) ?? 0) + 3] = 0x9f;
    expect(faultsOf(spoilt)).toEqual([{ kind: 'rows missing', count: 1 }]);
  });
});

test('MPEG-1 may put many rows in a slice', () => {
  expect(faultsOf(encode('352x288', 'mpeg1video', []))).toEqual([]);
});
