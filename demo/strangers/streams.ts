import { spawnSync } from 'node:child_process';
import { createHash } from 'node:crypto';
import { readFileSync } from 'node:fs';
import { fixtureNow } from '@/test-support/fixtures';

/**
 * Streams that were encoded once and are multiplexed anew for every disc: pictures and frames of sound that are all different, so that
 * each is known by its bytes wherever it turns up.
 */

/** A group of pictures that needs nothing from before it: pictures in the order of their decoding, each with its place in time. */
export interface Group {
  readonly pictures: readonly { readonly bytes: Uint8Array; readonly shownAt: number; readonly isKey: boolean }[];
}

export interface Look {
  readonly standard: 'PAL' | 'NTSC';
  readonly widthPixels: number;
  readonly heightPixels: number;
  readonly aspect: '4:3' | '16:9';
}

export type SoundCodec = 'AC-3' | 'MPEG audio' | 'DTS' | 'LPCM';

export interface Sound {
  readonly codec: SoundCodec;
  readonly channels: number;
  /** 90 kHz; whole for all of them but DTS: 512 samples are 960 ticks. */
  readonly frame90k: number;
  readonly frames: readonly Uint8Array[];
}

/** Pictures of a group: one that stands for itself, and four that are predicted, with two between. */
export const GROUP = 13;
const GROUPS = 60;
const SOUND_SECONDS = 48;

function ffmpeg(args: readonly string[]): void {
  const { status, stderr } = spawnSync('ffmpeg', ['-v', 'error', '-nostdin', '-y', ...args], { encoding: 'utf8' });
  if (status !== 0) throw new Error(`ffmpeg ${args.join(' ')}: ${stderr}`);
}

/** A stream that is encoded once. */
export const made = (args: readonly string[], extension: string): Uint8Array =>
  new Uint8Array(readFileSync(fixtureNow(['strangers', args], extension, (file) => ffmpeg([...args, file]))));

const kept = new Map<string, unknown>();
/** What is taken apart once. */
export function once<T>(key: string, make: () => T): T {
  if (!kept.has(key)) kept.set(key, make());
  return kept.get(key) as T;
}

/** Places of start codes with one of the given last bytes. ISO/IEC 13818-2 6.2.1. */
function startCodes(data: Uint8Array, codes: readonly number[]): { at: number; code: number }[] {
  const found: { at: number; code: number }[] = [];
  for (let i = 0; i + 3 < data.byteLength; i++) {
    if (data[i] !== 0 || data[i + 1] !== 0 || data[i + 2] !== 1) continue;
    const code = data[i + 3] as number;
    if (codes.includes(code)) found.push({ at: i, code });
    i += 3;
  }
  return found;
}

/** Groups of pictures of a look. */
export function groupsOf(look: Look): readonly Group[] {
  return once(`groups ${JSON.stringify(look)}`, () => {
    const rate = look.standard === 'PAL' ? '25' : '30000/1001';
    const size = `${look.widthPixels}x${look.heightPixels}`;
    const bits = look.widthPixels > 400 ? '1400k' : '400k';
    const data = made(
      `-f lavfi -i testsrc2=s=${size}:r=${rate},noise=alls=6:allf=t:all_seed=7 -frames:v ${GROUP * GROUPS} -c:v mpeg2video -threads 1
       -aspect ${look.aspect} -g ${GROUP} -bf 2 -sc_threshold 1000000000 -flags +cgop+bitexact -b:v ${bits} -maxrate 4M -bufsize 1835k -f mpeg2video`
        .split(/\s+/)
        .filter(Boolean),
      'm2v',
    );
    const [PICTURE, SEQUENCE, GROUP_HEAD] = [0x00, 0xb3, 0xb8];
    const marks = startCodes(data, [PICTURE, SEQUENCE, GROUP_HEAD]);
    const groups: { bytes: Uint8Array; shownAt: number; isKey: boolean }[][] = [];
    // A picture begins where its first header does: sequence, group or its own.
    let from: number | null = null;
    const pictures: { from: number; head: number; isKey: boolean }[] = [];
    for (const { at, code } of marks) {
      from ??= at;
      if (code !== PICTURE) continue;
      pictures.push({ from, head: at, isKey: from !== at });
      from = null;
    }
    pictures.forEach(({ from: begin, head, isKey }, i) => {
      const end = pictures[i + 1]?.from ?? data.byteLength;
      const shownAt = ((data[head + 4] as number) << 2) | ((data[head + 5] as number) >> 6);
      if (isKey) groups.push([]);
      groups.at(-1)?.push({ bytes: data.subarray(begin, end), shownAt, isKey });
    });
    if (groups.slice(0, -1).some((list) => list.length !== GROUP))
      throw new Error('groups of pictures have other lengths than they should');
    return groups.slice(0, -1).map((list) => ({ pictures: list })); // the last has the end code of the sequence
  });
}

/** How a frame of framed sound says its length. */
const CODECS = {
  'AC-3': { args: '-c:a ac3', frame90k: 2880, bits: (channels: number) => (channels > 2 ? 384 : 192), suffix: 'ac3' },
  'MPEG audio': { args: '-c:a mp2', frame90k: 2160, bits: () => 192, suffix: 'mp2' },
  DTS: { args: '-strict -2 -c:a dca', frame90k: 960, bits: () => 768, suffix: 'dts' },
} as const;

/** LPCM of DVD: 16 bits, 48 kHz; 80 samples are one unit. DVD-Video: audio frame of LPCM. */
export const LPCM_UNIT_90K = 150;

function lpcm(seed: number, channels: number): Sound {
  const bytes = new Uint8Array(80 * channels * 2);
  const frames = Array.from({ length: SOUND_SECONDS * 600 }, (_, i) => {
    // Noise that nobody else has: a digest of where it stands.
    let noise = createHash('sha512').update(`${seed} ${i}`).digest();
    const unit = bytes.slice();
    for (let at = 0; at < unit.byteLength; at += noise.byteLength) {
      noise = createHash('sha512').update(noise).digest();
      unit.set(noise.subarray(0, Math.min(noise.byteLength, unit.byteLength - at)), at);
    }
    return unit;
  });
  return { codec: 'LPCM', channels, frame90k: LPCM_UNIT_90K, frames };
}

/** Frames of a sound. @param seed another one is other sound. */
export function soundOf(codec: SoundCodec, channels: number, seed: number): Sound {
  return once(`sound ${codec} ${channels} ${seed}`, () => {
    if (codec === 'LPCM') return lpcm(seed, channels);
    const { args, frame90k, bits, suffix } = CODECS[codec];
    const noise = `anoisesrc=d=${SOUND_SECONDS}:c=pink:r=48000:a=0.2:seed=${seed * 10}`;
    const data = made(
      `-f lavfi -i ${noise} -ac ${channels} ${args} -b:a ${bits(channels)}k -flags +bitexact`.split(/\s+/).concat('-f', suffix),
      suffix,
    );
    const frames: Uint8Array[] = [];
    for (let at = 0; at + 16 < data.byteLength;) {
      const size = frameBytes(codec, data, at);
      if (size === 0 || at + size > data.byteLength) break;
      frames.push(data.subarray(at, at + size));
      at += size;
    }
    return { codec, channels, frame90k, frames };
  });
}

/** AC-3: ATSC A/52 table 5.18 at 48 kHz; MPEG: ISO/IEC 11172-3 2.4.3.1; DTS: ETSI TS 102 114 5.3.1, FSIZE. */
function frameBytes(codec: SoundCodec, data: Uint8Array, at: number): number {
  const b = (i: number) => data[at + i] ?? 0;
  if (codec === 'AC-3') {
    const rates = [32, 40, 48, 56, 64, 80, 96, 112, 128, 160, 192, 224, 256, 320, 384, 448, 512, 576, 640];
    return (rates[(b(4) & 63) >> 1] ?? 0) * 4;
  }
  if (codec === 'MPEG audio') {
    const rates = [0, 32, 48, 56, 64, 80, 96, 112, 128, 160, 192, 224, 256, 320, 384];
    return (rates[b(2) >> 4] ?? 0) * 3; // 144 × rate ÷ 48,000, without padding at this rate
  }
  return (((b(5) & 3) << 12) | (b(6) << 4) | (b(7) >> 4)) + 1;
}
