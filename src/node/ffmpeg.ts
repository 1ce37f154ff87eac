import { spawnSync } from 'node:child_process';
import type { CopyFacts } from '@/core/proof';
import { capture } from './program';

/**
 * Containers that FFmpeg may take a file for. Its play lists and streaming manifests are not among them: a file that calls
 * itself a film could otherwise have other files of this machine opened, or addresses in the network.
 */
const CONTAINERS =
  'matroska,webm,mov,mp4,m4a,3gp,3g2,mj2,mpegts,mpeg,mpegvideo,h264,hevc,vc1,avi,mxf,dv,asf,flv,ivf,wav,w64,flac,aiff,au,caf,mp3,aac,ogg,ac3,eac3,dts,dtshd,truehd';

/** A file as FFmpeg's input: taken as this one file and nothing else, whatever its name or content say. */
export const fileInput = (file: string): string[] => ['-protocol_whitelist', 'file', '-format_whitelist', CONTAINERS, '-i', `file:${file}`];

/** Version line of FFmpeg, for the sidecar. */
export function ffmpegVersion(): string {
  return spawnSync('ffmpeg', ['-version'], { encoding: 'utf8' }).stdout?.split('\n')[0]?.split(' ').slice(0, 3).join(' ') ?? 'unknown';
}

interface Probed {
  streams?: { codec_type?: string; nb_read_packets?: string; duration?: string; tags?: Record<string, string> }[];
  chapters?: unknown[];
  format?: { duration?: string };
}

/** "00:01:02.345" in milliseconds; null where it is no time. */
function clockMs(text: string | undefined): number | null {
  const [, hours, minutes, seconds] = /^(\d+):(\d+):(\d+(?:\.\d+)?)/.exec(text ?? '') ?? [];
  return hours === undefined ? null : (Number(hours) * 3600 + Number(minutes) * 60 + Number(seconds)) * 1000;
}

/** When picture and sound are over: a subtitle may stand longer than both, and the file's own length counts it. Milliseconds. */
function endOf({ streams = [], format }: Probed): number {
  const ends = streams
    .filter((s) => s.codec_type === 'video' || s.codec_type === 'audio')
    .map((s) => (s.duration === undefined ? clockMs(s.tags?.['DURATION']) : Number(s.duration) * 1000));
  const known = ends.filter((end) => end !== null);
  return known.length === ends.length && known.length > 0 ? Math.max(...known) : Number(format?.duration ?? 0) * 1000;
}

/**
 * Decodes a whole file and counts what is in it.
 * @throws WorkError `encoder-failed` when FFmpeg can not read it at all.
 */
export async function examineCopy(file: string, signal?: AbortSignal): Promise<CopyFacts> {
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
    durationMs: endOf(found),
    frames: Number(video?.nb_read_packets ?? 0),
    videoStreams: streams.filter((s) => s.codec_type === 'video').length,
    audioStreams: streams.filter((s) => s.codec_type === 'audio').length,
    subtitleStreams: streams.filter((s) => s.codec_type === 'subtitle').length,
    chapters: found.chapters?.length ?? 0,
    decodeErrors: decode.errors,
  };
}
