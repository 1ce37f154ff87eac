import { spawnSync } from 'node:child_process';

function run(program: string, args: readonly string[]): { out: string; messages: string } {
  const { status, stdout, stderr, error } = spawnSync(program, args, { encoding: 'utf8', maxBuffer: 256 * 1024 * 1024 });
  if (error || status !== 0) throw new Error(`${program} ${args.join(' ')}\n${error?.message ?? stderr.slice(-2000)}`);
  return { out: stdout, messages: stderr };
}

/** Input options under which FFmpeg sees every stream of a short program stream. */
const WHOLE = ['-probesize', '50M', '-analyzeduration', '50M'];

/** Hashes of the frames of one stream as the container holds them. */
export const heldFrames = (file: string, stream: string): string[] => decodedFrames(file, stream, ['-c', 'copy']);

/** Hashes of the decoded frames or sample blocks of one stream, in order of display. */
export function decodedFrames(file: string, stream: string, codec: readonly string[] = []): string[] {
  const { out } = run('ffmpeg', [
    '-v',
    'error',
    ...WHOLE,
    '-i',
    file,
    '-map',
    `0:${stream}`,
    '-fps_mode',
    'passthrough',
    ...codec,
    '-f',
    'framemd5',
    '-',
  ]);
  return out.split('\n').flatMap((line) => (line.startsWith('#') || line === '' ? [] : [(line.split(',')[5] ?? '').trim()]));
}

/** Decoded samples of one audio stream, 32 bits each. */
export function decodedSamples(file: string, stream: string): Buffer {
  const result = spawnSync('ffmpeg', ['-v', 'error', ...WHOLE, '-i', file, '-map', `0:${stream}`, '-f', 's32le', '-'], {
    maxBuffer: 512 * 1024 * 1024,
  });
  if (result.status !== 0) throw new Error(result.stderr.toString());
  return result.stdout;
}

/** One stream as FFmpeg takes it out of a file, in a format of its own; `s24le` for samples. */
export function elementary(file: string, map: string, format: string): Buffer {
  const how = format === 's24le' ? ['-c:a', 'pcm_s24le'] : ['-c', 'copy'];
  const { stdout } = spawnSync('ffmpeg', ['-v', 'error', '-i', file, '-map', `0:${map}`, ...how, '-f', format, '-'], {
    maxBuffer: 2 ** 28,
  });
  return stdout;
}

/** Everything that FFmpeg has to say against a file when it reads and decodes it whole. */
export function complaints(file: string): string[] {
  const decode = run('ffmpeg', ['-v', 'warning', '-nostdin', '-i', file, '-map', '0', '-map', '-0:s', '-f', 'null', '-']);
  const copy = run('ffmpeg', ['-v', 'warning', '-nostdin', '-i', file, '-map', '0', '-c', 'copy', '-f', 'null', '-']);
  // Plain PCM names its channels by number only; FFmpeg says so of every such file.
  return [...decode.messages.split('\n'), ...copy.messages.split('\n')].filter(
    (line) => line !== '' && !line.startsWith('Guessed Channel Layout'),
  );
}

export interface Probed {
  readonly streams: readonly {
    readonly index: number;
    readonly codec_type: string;
    readonly codec_name: string;
    readonly r_frame_rate: string;
    readonly display_aspect_ratio?: string;
    readonly field_order?: string;
    readonly channels?: number;
    readonly sample_rate?: string;
    readonly start_time?: string;
    readonly disposition: Readonly<Record<string, number>>;
    readonly tags?: Readonly<Record<string, string>>;
  }[];
  readonly chapters: readonly {
    readonly start_time: string;
    readonly end_time: string;
    readonly tags?: Readonly<Record<string, string>>;
  }[];
  readonly format: { readonly duration: string; readonly tags?: Readonly<Record<string, string>> };
}

export const probed = (file: string): Probed =>
  JSON.parse(run('ffprobe', ['-v', 'error', '-show_streams', '-show_chapters', '-show_format', '-of', 'json', file]).out) as Probed;

export interface PacketTime {
  readonly pts: number | null;
  readonly size: number;
}

/** Presentation times in seconds of a stream's packets, in file order. */
export function packetTimes(file: string, stream: string): PacketTime[] {
  const { out } = run('ffprobe', [
    '-v',
    'error',
    ...WHOLE,
    '-select_streams',
    stream,
    '-show_entries',
    'packet=pts_time,size',
    '-of',
    'csv=p=0',
    file,
  ]);
  return out
    .split('\n')
    .filter(Boolean)
    .map((line) => {
      const [pts = '', size = '0'] = line.split(',');
      return { pts: pts === 'N/A' || pts === '' ? null : Number(pts), size: Number(size) };
    });
}

/** How alike two files look, picture by picture in their order, whatever their times: SSIM of the luma, by FFmpeg. */
export function likeness(a: string, b: string, before = ''): number[] {
  const numbered = 'settb=1/25,setpts=N';
  const graph = `[0:v]${numbered}${before}[x];[1:v]${numbered}[y];[x][y]ssim,metadata=mode=print:key=lavfi.ssim.Y:file=-`;
  const { out } = run('ffmpeg', ['-v', 'error', '-nostdin', '-i', a, '-i', b, '-lavfi', graph, '-f', 'null', '-']);
  return [...out.matchAll(/ssim\.Y=([\d.]+)/g)].map((m) => Number(m[1]));
}

/** When every picture or block of sound of a stream is shown, as FFmpeg's prober has it. Microseconds. */
export function shownAt(file: string, stream: string): number[] {
  const how = ['-v', 'error', '-select_streams', stream, '-show_entries', 'frame=pts_time', '-of', 'csv=p=0'];
  const { out } = run('ffprobe', [...how, file]);
  return out.split('\n').flatMap((line) => (line === '' ? [] : [Math.round(parseFloat(line) * 1e6)]));
}

/** Elements of RFC 9559 that the conformance checker of this Debian is too old to know the place of. */
const NEWER = /LanguageIETF|55A[B-F]|15A[B-F]/;
/** No element at all: it takes sizes inside of coded pictures for such. */
const NAMELESS = /^ *--\s+\[: /;

/** What an independent conformance checker of Matroska and FFV1 has against a file: check words, places and values of elements, each fault in its words. */
export function nonConforming(file: string): string[] {
  const { stdout } = spawnSync('mediaconch', ['-mc', file], { encoding: 'utf8', maxBuffer: 2 ** 26 });
  if (!/^(pass|fail)!/.test(stdout)) throw new Error(`no verdict on ${file}: ${stdout.slice(0, 500)}`);
  const lines = stdout.split('\n');
  return lines.flatMap((line, i) =>
    line.includes('[fail:') && !NEWER.test(`${line}${lines[i + 1] ?? ''}`) && !NAMELESS.test(lines[i + 1] ?? '')
      ? [`${line.trim()} ${(lines[i + 1] ?? '').trim()}`]
      : [],
  );
}
