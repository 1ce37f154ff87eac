import { concatBytes } from '@/core/bytes';
import { GROUP, groupsOf, made, once, soundOf, type Group } from '../streams';
import type { BluraySoundCodec, Picture } from './plan';

/** Groups of pictures, frames of sound and units of LPCM as a Blu-ray carries them. Encoded once. */

const GROUPS = 40;
const [IDR, DELIMITER] = [5, 9];

/** What a player shows of H.264 stands in units, ITU-T H.264 7.4.1.2.4: a delimiter begins each picture of a Blu-ray. */
function h264Groups(picture: Picture): readonly Group[] {
  const { widthPixels, heightPixels, rate } = picture;
  const data = made(
    `-f lavfi -i testsrc2=s=${widthPixels}x${heightPixels}:r=${rate.join('/')} -frames:v ${GROUP * GROUPS} -c:v libx264 -threads 1 -preset veryfast
     -crf 42 -g ${GROUP} -keyint_min ${GROUP} -sc_threshold 0 -bf 2 -pix_fmt yuv420p -flags +bitexact
     -x264-params bluray-compat=1:aud=1:open-gop=0:nal-hrd=vbr:vbv-maxrate=8000:vbv-bufsize=4000:b-adapt=0:b-pyramid=none:slices=4 -f h264`
      .split(/\s+/)
      .filter(Boolean),
    'h264',
  );
  const starts = unitStarts(data).filter(({ type }) => type === DELIMITER);
  const groups: { bytes: Uint8Array; shownAt: number; isKey: boolean }[][] = [];
  let decoded = 0;
  starts.forEach(({ at }, i) => {
    const bytes = data.subarray(at, starts[i + 1]?.at ?? data.byteLength);
    const isKey = unitStarts(bytes).some(({ type }) => type === IDR);
    if (isKey) {
      groups.push([]);
      decoded = 0;
    }
    groups.at(-1)?.push({ bytes, shownAt: shownAt(decoded++), isKey });
  });
  if (groups.some((list) => list.length !== GROUP)) throw new Error('groups of pictures have other lengths than they should');
  return groups.map((list) => ({ pictures: list }));
}

/** Two pictures stand between each two that others are predicted from, and are decoded behind the second. */
function shownAt(decoded: number): number {
  if (decoded === 0) return 0;
  const block = Math.floor((decoded - 1) / 3);
  const place = (decoded - 1) % 3;
  return place === 0 ? block * 3 + 3 : block * 3 + place;
}

/** Start codes of three bytes and the zero before them, where there is one, and the kind of unit. ITU-T H.264 B.1 */
function unitStarts(data: Uint8Array): { at: number; unit: number; type: number }[] {
  const found: { at: number; unit: number; type: number }[] = [];
  for (let i = 0; i + 3 < data.byteLength; i++) {
    if (data[i] !== 0 || data[i + 1] !== 0 || data[i + 2] !== 1) continue;
    found.push({ at: i > 0 && data[i - 1] === 0 ? i - 1 : i, unit: i + 3, type: (data[i + 3] as number) & 31 });
    i += 3;
  }
  return found;
}

/** Units behind their lengths of four bytes, as Matroska has them. ISO/IEC 14496-15 5.3.4.2.1 */
export function prefixed(bytes: Uint8Array): Uint8Array {
  const units = unitStarts(bytes);
  return concatBytes(
    units.flatMap(({ unit }, i) => {
      const own = bytes.subarray(unit, units[i + 1]?.at ?? bytes.byteLength);
      return [Uint8Array.of(own.byteLength >>> 24, own.byteLength >>> 16, own.byteLength >>> 8, own.byteLength), own];
    }),
  );
}

/** A picture with zeros in the middle of its largest unit. */
export function emptied(bytes: Uint8Array): Uint8Array {
  const units = unitStarts(bytes).map(({ unit }, i, all) => ({ unit, length: (all[i + 1]?.at ?? bytes.byteLength) - unit }));
  const { unit, length } = units.reduce((a, b) => (b.length > a.length ? b : a));
  const middle = unit + Math.floor(length / 2);
  if (length < 4 * EMPTIED_BYTES) throw new Error('a key picture is smaller than it should be');
  return bytes.map((b, i) => (i >= middle && i < middle + EMPTIED_BYTES ? 0 : b));
}

const EMPTIED_BYTES = 184;

/** In a look of Blu-ray every group is closed. */
export function pictureGroups(picture: Picture): readonly Group[] {
  return once(`bluray ${JSON.stringify(picture)}`, () => {
    if (picture.codec === 'H.264') return h264Groups(picture);
    const standard = picture.rate[0] === 25 ? ('PAL' as const) : ('NTSC' as const);
    const { widthPixels, heightPixels } = picture;
    return groupsOf({ standard, widthPixels, heightPixels, aspect: '16:9' });
  });
}

/** 5 ms of LPCM, BD-ROM part 3: three units of a DVD's. */
const UNITS = 3;

export interface ClipSound {
  readonly frame90k: number;
  /** As a container holds them: without the head that LPCM has on a Blu-ray. */
  readonly frames: readonly Uint8Array[];
}

/** An access unit of TrueHD is 40 samples; its length stands in its first two bytes, in units of 16 bits. */
function trueHd(seed: number, channels: number): ClipSound {
  const noise = `anoisesrc=d=20:c=pink:r=48000:a=0.2:seed=${seed * 10}`;
  const data = made(`-f lavfi -i ${noise} -ac ${channels} -c:a truehd -strict -2 -flags +bitexact -f truehd`.split(/\s+/), 'thd');
  const frames: Uint8Array[] = [];
  for (let at = 0; at + 4 < data.byteLength;) {
    const size = ((((data[at] as number) & 15) << 8) | (data[at + 1] as number)) * 2;
    if (size === 0 || at + size > data.byteLength) break;
    frames.push(data.subarray(at, at + size));
    at += size;
  }
  return { frame90k: 75, frames };
}

/** An access unit of TrueHD that decoding can begin with. */
export const hasMajorSync = (bytes: Uint8Array): boolean =>
  bytes[4] === 0xf8 && bytes[5] === 0x72 && bytes[6] === 0x6f && bytes[7] === 0xba;

export function clipSound(codec: BluraySoundCodec, channels: number, seed: number): ClipSound {
  return once(`clip sound ${codec} ${channels} ${seed}`, () => {
    if (codec === 'TrueHD') return trueHd(seed, channels);
    const { frame90k, frames } = soundOf(codec, channels, seed);
    if (codec !== 'LPCM') return { frame90k, frames };
    const joined = Array.from({ length: Math.floor(frames.length / UNITS) }, (_, i) =>
      concatBytes(frames.slice(i * UNITS, (i + 1) * UNITS)),
    );
    return { frame90k: frame90k * UNITS, frames: joined };
  });
}
