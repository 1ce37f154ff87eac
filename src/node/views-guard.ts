import { PairReader, Rewriter } from '@/core/stereo';
import { KNOWN_PAIR, KNOWN_PICTURES } from './known-pair';
import { runProgram } from './program';

const CODE = Uint8Array.of(0, 0, 1);

/** Units of a stream with start codes of three bytes. */
function unitsOf(stream: Buffer): Buffer[] {
  const units: Buffer[] = [];
  for (let at = stream.indexOf(CODE); at >= 0;) {
    const next = stream.indexOf(CODE, at + 3);
    units.push(stream.subarray(at + 3, next < 0 ? stream.length : next));
    at = next;
  }
  return units;
}

/** The known pair as one stream. */
export function knownStream(): Uint8Array {
  const [reader, rewriter] = [new PairReader(), new Rewriter()];
  const accessUnits: Buffer[][] = [];
  for (const unit of unitsOf(Buffer.from(KNOWN_PAIR, 'base64'))) {
    if (((unit[0] ?? 0) & 31) === 9) accessUnits.push([]);
    accessUnits.at(-1)?.push(unit);
  }
  const out: Uint8Array[] = [];
  for (const access of accessUnits) {
    const { base, dependent } = reader.read(access);
    const made = base && rewriter.accessUnit(base, dependent);
    const units = made?.units ?? new Uint8Array(0);
    for (let at = 0; at + 4 <= units.byteLength;) {
      const size = new DataView(units.buffer, units.byteOffset + at, 4).getUint32(0);
      out.push(CODE, units.slice(at + 4, at + 4 + size));
      at += 4 + size;
    }
  }
  return Buffer.concat(out);
}

/**
 * Decodes a pair of views whose every picture is known, with the FFmpeg that is here.
 * @returns why both views can not be shown here; null where they can. @throws WorkError `encoder-failed` where FFmpeg fails.
 */
export async function whyNotBothViews(signal: AbortSignal, program = 'ffmpeg', stream: Uint8Array = knownStream()): Promise<string | null> {
  let said = '';
  const args = [
    '-nostdin',
    '-v',
    'error',
    '-f',
    'h264',
    '-i',
    'pipe:0',
    '-fps_mode',
    'passthrough',
    '-pix_fmt',
    'yuv420p',
    '-f',
    'framemd5',
    '-',
  ];
  await runProgram(program, args, {
    signal,
    feed: (input) => input.write(stream),
    read: async (stdout) => {
      for await (const chunk of stdout) said += (chunk as Buffer).toString();
    },
  });
  const found = said.split('\n').flatMap((line) => (line === '' || line.startsWith('#') ? [] : [line.split(',').at(-1)?.trim() ?? '']));
  const wrong = KNOWN_PICTURES.filter((sum, i) => sum !== found[i]).length;
  if (wrong === 0 && found.length === KNOWN_PICTURES.length) return null;
  return `this FFmpeg decodes ${wrong} of ${KNOWN_PICTURES.length} pictures of a known stereoscopic film differently from how they were encoded`;
}
