import { spawnSync } from 'node:child_process';
import { statSync } from 'node:fs';
import type { CopyFacts } from '@/core/proof';
import type { BrightnessFigures, Container, CopyShape } from '@/core/recipes';
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
  streams?: {
    codec_type?: string;
    codec_name?: string;
    width?: number;
    height?: number;
    pix_fmt?: string;
    field_order?: string;
    sample_aspect_ratio?: string;
    avg_frame_rate?: string;
    channels?: number;
    start_time?: string;
    nb_read_packets?: string;
    duration?: string;
    tags?: Record<string, string>;
    side_data_list?: { side_data_type?: string; type?: string }[];
    disposition?: Record<string, number>;
  }[];
  chapters?: { start_time?: string; tags?: Record<string, string> }[];
  frames?: { side_data_list?: { side_data_type?: string }[] }[];
  format?: { format_name?: string; start_time?: string; duration?: string };
}

/** "00:01:02.345" in milliseconds; null where it is no time. */
function clockMs(text: string | undefined): number | null {
  const [, hours, minutes, seconds] = /^(\d+):(\d+):(\d+(?:\.\d+)?)/.exec(text ?? '') ?? [];
  return hours === undefined ? null : (Number(hours) * 3600 + Number(minutes) * 60 + Number(seconds)) * 1000;
}

/** A still that containers hold as a stream of pictures. */
const isCover = ({ disposition }: NonNullable<Probed['streams']>[number]): boolean => disposition?.['attached_pic'] === 1;

/** When picture and sound are over: a subtitle may stand longer than both, and the file's own length counts it. Milliseconds. */
function endOf({ streams = [], format }: Probed): number {
  // The clock of a transport stream begins anywhere; what of a file of sound comes before it is its encoder's, and not heard.
  const isApart = format?.format_name === 'mpegts' || !streams.some((s) => s.codec_type === 'video' && !isCover(s));
  const zero = isApart ? Number(format?.start_time ?? 0) : 0;
  const ends = streams
    .filter((s) => (s.codec_type === 'video' && !isCover(s)) || s.codec_type === 'audio')
    .map((s) =>
      s.duration === undefined
        ? clockMs(s.tags?.['DURATION'])
        : (Math.max(0, Number(s.start_time ?? 0) - zero) + Number(s.duration)) * 1000,
    );
  const known = ends.filter((end) => end !== null);
  return known.length === ends.length && known.length > 0 ? Math.max(...known) : Number(format?.duration ?? 0) * 1000;
}

const VIDEO_NAMES: Readonly<Record<string, CopyShape['video']['codec']>> = {
  h264: 'H.264',
  hevc: 'HEVC',
  av1: 'AV1',
  vp8: 'VP8',
  vp9: 'VP9',
  ffv1: 'FFV1',
  mpeg1video: 'MPEG-1',
  mpeg2video: 'MPEG-2',
  mpeg4: 'MPEG-4',
  vc1: 'VC-1',
};
const AUDIO_NAMES: Readonly<Record<string, CopyShape['audio'][number]['codec']>> = {
  aac: 'AAC',
  ac3: 'AC-3',
  eac3: 'E-AC-3',
  mp3: 'MP3',
  mp2: 'MPEG audio',
  opus: 'Opus',
  vorbis: 'Vorbis',
  flac: 'FLAC',
  dts: 'DTS',
  truehd: 'TrueHD',
};

/** FFmpeg's names for both views in one picture (H.264 D.2.26, RFC 9559 table 4). */
const PACKED_DATA: ReadonlySet<string> = new Set(['side by side', 'top and bottom']);
const PACKED_MODES: ReadonlySet<string> = new Set(['left_right', 'right_left', 'top_bottom', 'bottom_top']);

/** What a finished copy is, as a prober of another house than its plan's has it. */
function shapeOf({ streams = [], frames = [] }: Probed, container: Container, bytes: number): CopyShape | null {
  const video = streams.find((s) => s.codec_type === 'video' && !isCover(s));
  if (!video) return null;
  const [over = 0, under = 0] = (video.avg_frame_rate ?? '').split('/').map(Number);
  const [wide = 1, high = 1] = (video.sample_aspect_ratio ?? '1:1').split(':').map(Number);
  return {
    container,
    video: {
      codec: VIDEO_NAMES[video.codec_name ?? ''] ?? 'other',
      bitDepth: Number(/p(9|10|12|14|16)(le|be)$/.exec(video.pix_fmt ?? '')?.[1] ?? 8),
      widthPixels: video.width ?? 0,
      heightPixels: video.height ?? 0,
      rate: under > 0 ? over / under : 0,
      interlaced: ['tt', 'bb', 'tb', 'bt'].includes(video.field_order ?? ''),
      squarePixels: wide <= 0 || high <= 0 || Math.abs(wide / high - 1) < 0.02,
      // Containers say it, or the pictures themselves do: of these FFmpeg's prober names no more than that.
      views:
        PACKED_MODES.has(video.tags?.['stereo_mode'] ?? '') ||
        (video.side_data_list ?? []).some(({ type = '' }) => PACKED_DATA.has(type)) ||
        frames.some((f) => f.side_data_list?.some((d) => d.side_data_type === 'Stereo 3D'))
          ? 2
          : 1,
    },
    audio: streams
      .filter((s) => s.codec_type === 'audio')
      .map((s) => ({
        codec: AUDIO_NAMES[s.codec_name ?? ''] ?? (s.codec_name?.startsWith('pcm_') ? 'PCM' : 'unknown'),
        channels: s.channels ?? 0,
      })),
    bytes,
  };
}

/** When a file's picture begins, in milliseconds of its clock. @throws WorkError `encoder-failed`. */
export async function pictureStart(file: string, signal?: AbortSignal): Promise<number> {
  const how = ['-v', 'error', '-select_streams', 'v:0', '-show_entries', 'stream=start_time', '-of', 'csv=p=0'];
  const { out } = await capture('ffprobe', [...how, ...fileInput(file)], signal);
  const start = parseFloat(out);
  return Number.isFinite(start) ? start * 1000 : 0;
}

const share = (text: string | undefined, steps: number): number => {
  const [over = 0, under = 1] = (text ?? '').split('/').map(Number);
  return Math.round((over / under) * steps) || 0;
};

/** What a stream says of the screen that it was graded on, by its first picture; null where it says nothing. @throws WorkError `encoder-failed`. */
export async function brightnessFigures(file: string, signal?: AbortSignal): Promise<BrightnessFigures | null> {
  const how = ['-v', 'error', '-select_streams', 'v:0', '-read_intervals', '%+#1', '-show_frames', '-of', 'json'];
  const { out } = await capture('ffprobe', [...how, ...fileInput(file)], signal);
  const frames = (JSON.parse(out) as { frames?: { side_data_list?: Record<string, string | number>[] }[] }).frames ?? [];
  const data = frames[0]?.side_data_list ?? [];
  const display = data.find((d) => d['side_data_type'] === 'Mastering display metadata');
  const light = data.find((d) => d['side_data_type'] === 'Content light level metadata');
  const step = (name: string, steps: number) => share(String(display?.[name] ?? ''), steps);
  const names = ['green_x', 'green_y', 'blue_x', 'blue_y', 'red_x', 'red_y', 'white_point_x', 'white_point_y'];
  if (!display && !light) return null;
  return {
    display: display
      ? {
          primaries: names.map((name) => step(name, 50_000)),
          least: step('min_luminance', 10_000),
          most: step('max_luminance', 10_000),
        }
      : null,
    light: light ? { content: Number(light['max_content']), picture: Number(light['max_average']) } : null,
  };
}

/** What a finished copy is. @throws WorkError `encoder-failed` where it can not be read at all. */
export async function probeShape(file: string, container: Container, signal?: AbortSignal): Promise<CopyShape | null> {
  const ask = async (what: readonly string[]) =>
    JSON.parse((await capture('ffprobe', ['-v', 'error', ...what, '-of', 'json', ...fileInput(file)], signal)).out) as Probed;
  const { streams = [] } = await ask(['-show_streams']);
  const { frames = [] } = await ask(['-select_streams', 'v:0', '-read_intervals', '%+#1', '-show_frames']);
  return shapeOf({ streams, frames }, container, statSync(file).size);
}

/** Times as they are: rounded to a nominal rate, pictures of film that stand for two fields and for three would seem to come at one moment. */
const EXACTLY = ['-fps_mode', 'passthrough', '-enc_time_base:v', '1/90000'];

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
    ['-nostdin', '-v', 'error', ...fileInput(file), '-map', '0:v?', '-map', '0:a?', ...EXACTLY, '-f', 'null', '-'],
    signal,
  );
  const streams = found.streams ?? [];
  const pictures = streams.filter((s) => s.codec_type === 'video' && !isCover(s));
  const video = pictures[0];
  return {
    durationMs: endOf(found),
    frames: Number(video?.nb_read_packets ?? 0),
    videoStreams: pictures.length,
    audioStreams: streams.filter((s) => s.codec_type === 'audio').length,
    subtitleStreams: streams.filter((s) => s.codec_type === 'subtitle').length,
    chapters: (found.chapters ?? []).map((c) => ({ startMs: Number(c.start_time ?? 0) * 1000, name: c.tags?.['title'] ?? '' })),
    covers: streams.filter(isCover).length,
    decodeErrors: decode.errors,
  };
}
