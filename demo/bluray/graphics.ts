import { writeFile } from 'node:fs/promises';
import { run } from '../run';
import { Bytes } from './bytes';

/** One line of subtitle text. */
export interface Line {
  readonly at: number;
  readonly seconds: number;
  readonly text: string;
  readonly forced?: boolean;
}

const FONT = '/usr/share/fonts/truetype/dejavu/DejaVuSans.ttf';
const ROW = 48;
const SHADES = 8;

/** Draws all lines at once, one below the other, as grey values. */
async function drawLines(lines: readonly Line[], width: number, file: string): Promise<Uint8Array> {
  const { readFile } = await import('node:fs/promises');
  const texts = lines.map(
    (l, i) =>
      `drawtext=fontfile=${FONT}:fontsize=30:fontcolor=white:x=(w-tw)/2:y=${i * ROW + 8}:text='${l.text.replaceAll("'", '’').replaceAll(':', '\\:')}'`,
  );
  const canvas = `color=black:s=${width}x${ROW * lines.length}:d=0.04:r=25,format=gray,${texts.join(',')}`;
  await run('ffmpeg', [
    '-hide_banner',
    '-nostdin',
    '-loglevel',
    'error',
    '-y',
    '-f',
    'lavfi',
    '-i',
    canvas,
    '-frames:v',
    '1',
    '-f',
    'rawvideo',
    '-pix_fmt',
    'gray',
    file,
  ]);
  return readFile(file);
}

/** Run-length coding of one picture, line by line. Spec: BD-ROM part 3, object data segments. */
function encodeRuns(pixels: Uint8Array, width: number): Bytes {
  const out = new Bytes();
  for (let row = 0; row * width < pixels.byteLength; row++) {
    for (let x = 0; x < width;) {
      const colour = pixels[row * width + x] ?? 0;
      let length = 1;
      while (x + length < width && pixels[row * width + x + length] === colour && length < 16383) length++;
      if (colour === 0) {
        if (length < 64) out.u8(0, length);
        else out.u8(0, 0x40 | (length >> 8), length & 0xff);
      } else if (length < 3) for (let i = 0; i < length; i++) out.u8(colour);
      else if (length < 64) out.u8(0, 0x80 | length, colour);
      else out.u8(0, 0xc0 | (length >> 8), length & 0xff, colour);
      x += length;
    }
    out.u8(0, 0);
  }
  return out;
}

function segment(pts90k: number, type: number, content: Bytes): Bytes {
  return new Bytes().text('PG').u32(pts90k, 0).u8(type).behindLength(2, content);
}

/**
 * Writes a stream of presentation graphics as a file of segments with their times, which multiplexers read.
 * @param height of the video that they lie on.
 */
export async function makeGraphics(lines: readonly Line[], width: number, height: number, file: string): Promise<void> {
  const grey = await drawLines(lines, width, `${file}.gray`);
  const out: Bytes[] = [];
  const composition = (number: number, forced: boolean | null, y: number) => {
    const pcs = new Bytes()
      .u16(width, height)
      .u8(0x10)
      .u16(number)
      .u8(forced === null ? 0 : 0x80, 0, 0, forced === null ? 0 : 1);
    return forced === null
      ? pcs
      : pcs
          .u16(0)
          .u8(0, forced ? 0x40 : 0)
          .u16(0, y);
  };
  const window = (y: number) => new Bytes().u8(1, 0).u16(0, y, width, ROW);
  const palette = new Bytes().u8(0, 0);
  for (let i = 0; i < SHADES; i++) palette.u8(i, Math.round(16 + (219 * i) / (SHADES - 1)), 128, 128, i === 0 ? 0 : 255);
  let number = 0;
  // Multiplexers move a file so that it begins at zero: an empty composition stands there.
  out.push(segment(0, 0x16, composition(number++, null, 0)), segment(0, 0x17, window(0)), segment(0, 0x80, new Bytes()));
  lines.forEach((line, i) => {
    const y = height - ROW - 24;
    const pixels = grey.subarray(i * ROW * width, (i + 1) * ROW * width).map((v) => Math.floor((v * SHADES) / 256));
    const object = encodeRuns(pixels, width);
    const from = Math.round(line.at * 90_000);
    const to = Math.round((line.at + line.seconds) * 90_000);
    const ods = new Bytes()
      .u16(0)
      .u8(0, 0xc0)
      .u8(((object.length + 4) >> 16) & 0xff, ((object.length + 4) >> 8) & 0xff, (object.length + 4) & 0xff);
    ods.u16(width, ROW).add(object);
    out.push(segment(from, 0x16, composition(number++, line.forced ?? false, y)), segment(from, 0x17, window(y)));
    out.push(segment(from, 0x14, palette), segment(from, 0x15, ods), segment(from, 0x80, new Bytes()));
    out.push(segment(to, 0x16, composition(number++, null, y)), segment(to, 0x17, window(y)), segment(to, 0x80, new Bytes()));
  });
  await writeFile(file, Buffer.concat(out.map((b) => b.data())));
}
