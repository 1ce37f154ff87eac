/** Constant quality of the access copy: visually close to the source at a fifth of its size. */
const CRF = 20;
const PRESET = 'medium';
const AAC_KBPS_PER_CHANNEL = 80;

/** What the encoder must know of the stream it is fed. */
export interface AccessInput {
  /** From the stream's own flags: most frames are not progressive. */
  readonly interlaced: boolean;
  readonly audioChannels: readonly number[];
}

/**
 * Encoder arguments for the access copy: MP4 with H.264 by quality and AAC, fed with the assembled Matroska stream.
 * Frames that their own flags call interlaced are deinterlaced, others left; aspect and chapters come with the stream.
 * Bitmap subtitles can not stand in MP4 and are left out.
 * @param input what FFmpeg reads: a file, or `pipe:0`.
 */
export function accessArguments(input: string, output: string, known: AccessInput): string[] {
  const audio = known.audioChannels.flatMap((channels, i) => [`-b:a:${i}`, `${Math.min(6, channels) * AAC_KBPS_PER_CHANNEL}k`]);
  return [
    '-hide_banner',
    '-nostdin',
    '-y',
    '-loglevel',
    'warning',
    '-progress',
    'pipe:1',
    '-f',
    'matroska',
    '-i',
    input,
    '-map',
    '0:v:0',
    '-map',
    '0:a?',
    '-map_chapters',
    '0',
    '-map_metadata',
    '0',
    ...(known.interlaced ? ['-vf', 'bwdif=mode=send_frame:parity=auto:deint=interlaced'] : []),
    '-fps_mode',
    'passthrough',
    '-c:v',
    'libx264',
    '-crf',
    String(CRF),
    '-preset',
    PRESET,
    '-pix_fmt',
    'yuv420p',
    '-profile:v',
    'high',
    '-c:a',
    'aac',
    ...audio,
    '-movflags',
    '+faststart',
    '-f',
    'mp4',
    output,
  ];
}
