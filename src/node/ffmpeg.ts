import { spawn, spawnSync, type ChildProcessWithoutNullStreams } from 'node:child_process';
import type { AccessFacts } from '@/core/proof';
import { WorkError } from '@/contract';

let guarded: boolean | null = null;

/** A program that dies with this process, where the system can arrange that: an encoder must not outlive its runner. */
export function spawnGuarded(program: string, args: readonly string[]): ChildProcessWithoutNullStreams {
  guarded ??= spawnSync('setpriv', ['--version']).status === 0;
  return guarded ? spawn('setpriv', ['--pdeathsig', 'KILL', '--', program, ...args]) : spawn(program, args);
}

/**
 * Containers that FFmpeg may take a file for. Its play lists and streaming manifests are not among them: a file that calls
 * itself a film could otherwise have other files of this machine opened, or addresses in the network.
 */
const CONTAINERS =
  'matroska,webm,mov,mp4,m4a,3gp,3g2,mj2,mpegts,mpeg,mpegvideo,h264,hevc,vc1,avi,mxf,dv,asf,flv,ivf,wav,w64,flac,aiff,au,caf,mp3,aac,ogg,ac3,eac3,dts,dtshd,truehd';

/** A file as FFmpeg's input: taken as this one file and nothing else, whatever its name or content say. */
export const fileInput = (file: string): string[] => ['-protocol_whitelist', 'file', '-format_whitelist', CONTAINERS, '-i', `file:${file}`];

const KEPT_LINES = 200;

/** Collects the last lines of what a program says. */
export function collectLines(stream: NodeJS.ReadableStream, lines: string[], onLine?: (line: string) => void): void {
  let rest = '';
  stream.on('data', (chunk: Buffer) => {
    const parts = (rest + chunk.toString('utf8')).split(/[\r\n]+/);
    rest = (parts.pop() ?? '').slice(-2000);
    for (const line of parts) {
      if (line.trim() === '') continue;
      if (lines.length >= KEPT_LINES) lines.shift();
      lines.push(line.slice(0, 1000));
      onLine?.(line);
    }
  });
  stream.on('end', () => {
    if (rest.trim()) lines.push(rest.trim());
  });
}

/** Waits for a program. @throws WorkError `encoder-failed` with its last words; the abort signal's reason when stopped. */
export function finished(
  child: ChildProcessWithoutNullStreams,
  errors: readonly string[],
  what: string,
  signal?: AbortSignal,
): Promise<void> {
  return new Promise((resolve, reject) => {
    const stop = () => child.kill('SIGKILL');
    signal?.addEventListener('abort', stop, { once: true });
    child.on('error', (error) => {
      reject(new WorkError('encoder-failed', `${what} could not be started: ${error.message}`, { cause: error }));
    });
    child.on('close', (code) => {
      signal?.removeEventListener('abort', stop);
      if (code === 0) resolve();
      else if (signal?.aborted) reject(new WorkError('encoder-failed', `${what} was stopped`));
      else if (errors.some((line) => line.includes(NO_SPACE)))
        reject(new WorkError('storage-full', 'The storage was full while the copy was encoded'));
      else reject(new WorkError('encoder-failed', `${what} ended with ${code}: ${errors.slice(-3).join(' | ') || 'no message'}`));
    });
  });
}

/** strerror(ENOSPC), as FFmpeg passes it on. */
const NO_SPACE = 'No space left on device';

/** Version line of FFmpeg, for the sidecar. */
export function ffmpegVersion(): string {
  return spawnSync('ffmpeg', ['-version'], { encoding: 'utf8' }).stdout?.split('\n')[0]?.split(' ').slice(0, 3).join(' ') ?? 'unknown';
}

/** Runs a program and gives what it prints, at the most 4 MB. @throws WorkError `encoder-failed`. */
export async function capture(program: string, args: readonly string[], signal?: AbortSignal): Promise<{ out: string; errors: string[] }> {
  const child = spawnGuarded(program, args);
  child.stdin.end();
  const errors: string[] = [];
  let out = '';
  child.stdout.on('data', (chunk: Buffer) => {
    if (out.length < 4_000_000) out += chunk.toString('utf8');
  });
  collectLines(child.stderr, errors);
  await finished(child, errors, program, signal);
  return { out, errors };
}

interface Probed {
  streams?: { codec_type?: string; nb_read_packets?: string }[];
  chapters?: unknown[];
  format?: { duration?: string };
}

/**
 * Decodes a whole file and counts what is in it.
 * @throws WorkError `encoder-failed` when FFmpeg can not read it at all.
 */
export async function examineAccessCopy(file: string, signal?: AbortSignal): Promise<AccessFacts> {
  const probe = await capture(
    'ffprobe',
    ['-v', 'error', '-count_packets', '-show_streams', '-show_chapters', '-show_format', '-of', 'json', ...fileInput(file)],
    signal,
  );
  const found = JSON.parse(probe.out) as Probed;
  const decode = await capture(
    'ffmpeg',
    ['-nostdin', '-v', 'error', ...fileInput(file), '-map', '0:v', '-map', '0:a?', '-fps_mode', 'passthrough', '-f', 'null', '-'],
    signal,
  );
  const streams = found.streams ?? [];
  const video = streams.find((s) => s.codec_type === 'video');
  return {
    durationMs: Number(found.format?.duration ?? 0) * 1000,
    frames: Number(video?.nb_read_packets ?? 0),
    videoStreams: streams.filter((s) => s.codec_type === 'video').length,
    audioStreams: streams.filter((s) => s.codec_type === 'audio').length,
    chapters: found.chapters?.length ?? 0,
    decodeErrors: decode.errors,
  };
}
