import { readFile, writeFile } from 'node:fs/promises';
import path from 'node:path';
import { run } from '../run';
import { seascape } from '../pictures';
import { cameraOf, sceneOf, stillOf } from '../scenes';
import { divideClip, truthOf, type Division, type Truth } from './divide';
import { makeGraphics, type Line } from './graphics';
import { packetize } from './packetize';
import { mergeStreams, scanClip, type ClipFacts } from './scan';
import { pesOf } from './pes-packets';
import type { AuthoredStream } from './structures';
import { Frames, encodeSecondView, type EncodedView } from './view-encoder';

export type ClipAudio =
  | { readonly codec: 'truehd' | 'ac3' | 'eac3' | 'dts'; readonly channels: 2 | 6; readonly language: string; readonly tone: number }
  | { readonly codec: 'pcm'; readonly channels: 2 | 6 | 8; readonly bits: 16 | 24; readonly language: string; readonly tone: number };

/** One clip of a Blu-ray to be made. */
export interface ClipPlan {
  /** Five digits. */
  readonly name: string;
  readonly title: string;
  readonly seconds: number;
  readonly width: number;
  readonly height: number;
  readonly video: 'h264' | 'h264closed' | 'h264i' | 'hevc' | 'mpeg2';
  readonly seed: number;
  /** A scene of the harbour; otherwise one view of the sea. */
  readonly isScene?: boolean;
  /** Where the clip's clock begins, seconds: every clip has its own. */
  readonly clock: number;
  readonly audio: readonly ClipAudio[];
  readonly subtitles: readonly { readonly language: string; readonly lines: readonly Line[] }[];
  /** A second, smaller picture in the same clip, from another still. */
  readonly second?: { readonly seed: number; readonly width: number; readonly height: number };
  /** Clip that is to carry the second view. */
  readonly secondView?: string;
  /** Made in one and then cut in two; what it held before is kept beside the disc. */
  readonly divided?: Division;
}

export interface MadeClip {
  readonly name: string;
  readonly file: string;
  readonly streams: readonly AuthoredStream[];
  readonly facts: ClipFacts;
  /** Of a clip that was divided: what it held in one. */
  readonly truth?: Truth;
  /** Of a clip with a second view: what both views' pictures are. */
  readonly views?: EncodedView['pictures'];
}

const VIDEO_PID = 0x1011;
const SECOND_VIEW_PID = 0x1012;
const SECOND_PICTURE_PID = 0x1b00;
const FONT = '/usr/share/fonts/truetype/dejavu/DejaVuSans.ttf';
const quiet = ['-hide_banner', '-nostdin', '-loglevel', 'error', '-y'];

/** A film in H.264, with groups of pictures as `params` say. */
const h264Film = (params: string) => ({
  coding: 0x1b,
  rate: '24000/1001',
  frame90k: 3753.75,
  args: ['-c:v', 'libx264', '-preset', 'ultrafast', '-x264-params', params, '-crf', '25', '-pix_fmt', 'yuv420p'],
});

const VIDEO = {
  h264: h264Film('aud=1:bframes=2:keyint=24:min-keyint=12:slices=4:open-gop=1'),
  h264closed: h264Film('aud=1:bframes=2:keyint=24:min-keyint=24:scenecut=0:slices=4:open-gop=0'),
  h264i: {
    coding: 0x1b,
    rate: '25',
    frame90k: 3600,
    args: [
      '-c:v',
      'libx264',
      '-preset',
      'veryfast',
      '-x264-params',
      'aud=1:bframes=2:keyint=25:slices=4:tff=1',
      '-flags',
      '+ilme+ildct',
      '-crf',
      '24',
      '-pix_fmt',
      'yuv420p',
    ],
  },
  hevc: {
    coding: 0x24,
    rate: '24000/1001',
    frame90k: 3753.75,
    args: [
      '-c:v',
      'libx265',
      '-preset',
      'ultrafast',
      '-x265-params',
      'log-level=error:aud=1:keyint=24:hdr10=1:repeat-headers=1:colorprim=bt2020:transfer=smpte2084:colormatrix=bt2020nc:master-display=G(13250,34500)B(7500,3000)R(34000,16000)WP(15635,16450)L(10000000,50):max-cll=1000,400',
      '-pix_fmt',
      'yuv420p10le',
    ],
  },
  mpeg2: {
    coding: 0x02,
    rate: '25',
    frame90k: 3600,
    args: ['-c:v', 'mpeg2video', '-b:v', '4M', '-g', '15', '-bf', '2', '-pix_fmt', 'yuv420p'],
  },
} as const;

const RATE_CODE: Readonly<Record<string, number>> = { '24000/1001': 1, '25': 3 };
const formatCode = (plan: ClipPlan) =>
  (plan.video === 'hevc'
    ? 8
    : plan.height === 1080
      ? plan.video === 'h264i'
        ? 4
        : 6
      : plan.video === 'h264i'
        ? 4
        : plan.height > 480
          ? 5
          : 6) << 4;

export function audioArguments(audio: ClipAudio, index: number): string[] {
  const codec = {
    truehd: ['truehd', '-strict', '-2'],
    ac3: ['ac3', '-b:a:' + String(index), audio.channels === 6 ? '448k' : '192k'],
    eac3: ['eac3', '-b:a:' + String(index), '256k'],
    dts: ['dca', '-strict', '-2', '-b:a:' + String(index), '768k'],
    pcm: ['pcm_bluray'],
  }[audio.codec];
  const format = audio.codec === 'pcm' ? (audio.bits === 24 ? 's32' : 's16') : audio.codec === 'truehd' ? 's32' : null;
  return [`-c:a:${index}`, ...codec, ...(format ? [`-sample_fmt:a:${index}`, format] : [])];
}

/** A tone that has another loudness in each channel, so that channels that change places are noticed. */
export function soundSource(audio: ClipAudio, seconds: number): string {
  const layout = { 2: 'stereo', 6: '5.1', 8: '7.1' }[audio.channels];
  const gains = Array.from({ length: audio.channels }, (_, c) => `c${c}=${(0.95 - 0.1 * c).toFixed(2)}*c0`);
  return `sine=f=${audio.tone}:b=8:r=48000:d=${seconds},pan=${layout}|${gains.join('|')}`;
}

export const AUDIO_CODING = { truehd: 0x83, ac3: 0x81, eac3: 0x84, dts: 0x82, pcm: 0x80 } as const;

function pictureGraph(plan: ClipPlan, eye: number, input = 0): string {
  const { rate } = VIDEO[plan.video];
  const interlaced = plan.video === 'h264i' || plan.video === 'mpeg2';
  const source = interlaced ? '50' : rate;
  const frames = Math.round(plan.seconds * (Number(source.split('/')[0]) / Number(source.split('/')[1] ?? 1)));
  const label = plan.title.replaceAll("'", '’').replaceAll(':', '\\:');
  const size = Math.round(plan.height / 22);
  const begun = `[${input}:v]format=yuv420p,loop=loop=-1:size=1,setpts=N/(${source})/TB,trim=end_frame=${frames}`;
  if (plan.isScene) {
    const { width, height, seed } = plan;
    const named = `drawtext=fontfile=${FONT}:text='${label}  %{n}':x=${2 * size - eye * 14}:y=h-${2 * size}:fontsize=${size}:fontcolor=white@0.85`;
    const camera = eye === 0 ? cameraOf(seed, width, height) : cameraOf(seed, width, height).replace("':0", "-8':0");
    return [begun, camera, 'setsar=1', sceneOf(seed).move(seed, width, height), named, ...(interlaced ? ['interlace=scan=tff'] : [])].join(
      ',',
    );
  }
  return [
    begun,
    `crop=${plan.width}:${plan.height}:'(iw-ow)/2*(1+sin(n/110))-${eye * 8}':0,setsar=1`,
    `drawbox=x='mod(t*60+${plan.width}-${eye * 12},${plan.width})':y=${Math.round(plan.height * 0.55)}:w=${Math.round(plan.width / 18)}:h=${Math.round(plan.height / 40)}:color=0x2b1d14:t=fill`,
    `drawtext=fontfile=${FONT}:text='${label}  %{n}':x=${2 * size - eye * 14}:y=h-${2 * size}:fontsize=${size}:fontcolor=white@0.85`,
    ...(interlaced ? ['interlace=scan=tff'] : []),
  ].join(',');
}

async function makeStill(plan: Pick<ClipPlan, 'name' | 'width' | 'height' | 'seed' | 'isScene'>, folder: string): Promise<string> {
  const png = path.join(folder, `still-${plan.name}-${plan.seed}.png`);
  const wide = Math.round((plan.width * 1.25) / 2);
  const scene = plan.isScene
    ? stillOf(plan.seed, 2 * wide, plan.height)
    : `color=black:s=${wide}x${plan.height / 2}:d=0.04:r=25,format=gbrp,geq=${seascape(plan.seed)},scale=iw*2:ih*2`;
  await run('ffmpeg', [...quiet, '-f', 'lavfi', '-i', scene, '-frames:v', '1', png]);
  return png;
}

/** Makes a clip, and that of its second view where it has one: pictures, sound and subtitles in source packets. */
export async function makeClip(plan: ClipPlan, folder: string): Promise<MadeClip[]> {
  const still = await makeStill(plan, folder);
  const { coding, frame90k, args } = VIDEO[plan.video];
  const sups = await Promise.all(
    plan.subtitles.map(async ({ lines }, i) => {
      const file = path.join(folder, `${plan.name}-${i}.sup`);
      await makeGraphics(lines, plan.width, plan.height, file);
      return file;
    }),
  );
  // A TrueHD track brings an AC-3 core of its own, which is put into the same stream afterwards.
  const sound = plan.audio.flatMap((a): ClipAudio[] =>
    a.codec === 'truehd' ? [a, { codec: 'ac3', channels: a.channels, language: a.language, tone: a.tone }] : [a],
  );
  const { second } = plan;
  const secondStill = second ? await makeStill({ ...second, name: plan.name }, folder) : null;
  const file = path.join(folder, `${plan.name}.m2ts`);
  const lastInput = 1 + sound.length + sups.length;
  const graph = second
    ? `${pictureGraph(plan, 0)}[v];${pictureGraph({ ...plan, ...second, title: `${plan.title} again` }, 0, lastInput)}[w]`
    : `${pictureGraph(plan, 0)}[v]`;
  await run('ffmpeg', [
    ...quiet,
    ...['-i', still],
    ...sound.flatMap((a) => ['-f', 'lavfi', '-i', soundSource(a, plan.seconds)]),
    ...sups.flatMap((f) => ['-i', f]),
    ...(secondStill ? ['-i', secondStill] : []),
    ...['-filter_complex', graph, '-map', '[v]', ...(second ? ['-map', '[w]'] : [])],
    ...[...sound, ...sups].flatMap((_, i) => ['-map', String(i + 1)]),
    ...args,
    ...sound.flatMap(audioArguments),
    ...['-c:s', 'copy', '-r', VIDEO[plan.video].rate, '-muxdelay', '0', '-output_ts_offset', String(plan.clock)],
    ...(second ? ['-streamid', `1:${SECOND_PICTURE_PID}`] : []),
    ...['-f', 'mpegts', '-mpegts_m2ts_mode', '1', file],
  ]);
  const data = new Uint8Array(await readFile(file));
  const kinds = plan.audio.flatMap((a) => (a.codec === 'truehd' ? ['truehd', 'ac3'] : [a.codec]));
  const truth = plan.divided ? await truthOf(file, kinds) : null;
  const format = formatCode(plan) | (RATE_CODE[VIDEO[plan.video].rate] ?? 1);
  const streams: AuthoredStream[] = [
    {
      pid: VIDEO_PID,
      coding,
      format,
      ...(plan.video === 'hevc' ? { range: 1 } : {}),
    },
  ];
  if (second) streams.push({ pid: SECOND_PICTURE_PID, coding, format, beside: true });
  let pid = 0x1100;
  for (const audio of plan.audio) {
    streams.push({ pid, coding: AUDIO_CODING[audio.codec], format: (audio.channels === 2 ? 0x30 : 0x60) | 1, language: audio.language });
    if (audio.codec === 'truehd') mergeStreams(data, pid + 1, pid);
    pid += audio.codec === 'truehd' ? 2 : 1;
  }
  plan.subtitles.forEach(({ language }, i) => streams.push({ pid: 0x1200 + i, coding: 0x90, language }));
  await writeFile(file, data);
  const made: MadeClip[] = [{ name: plan.name, file, streams, facts: scanClip(data, VIDEO_PID, frame90k) }];
  if (plan.divided && truth) {
    const whole: MadeClip = { name: plan.name, file, streams, facts: scanClip(data, VIDEO_PID, frame90k) };
    return (await divideClip(whole, plan.divided, VIDEO_PID, frame90k)).map((half) => ({ ...half, truth }));
  }
  if (plan.secondView !== undefined) {
    const wanted = new Frames(['-i', still, '-filter_complex', `${pictureGraph(plan, 1)}[v]`, '-map', '[v]'], plan);
    const decoded = new Frames(['-i', file, '-map', '0:v:0'], plan);
    const encoded = await encodeSecondView(pesOf(data, VIDEO_PID), decoded, wanted, plan);
    const view = packetize(SECOND_VIEW_PID, encoded.packets);
    const viewFile = path.join(folder, `${plan.secondView}.m2ts`);
    await writeFile(viewFile, view);
    made.push({
      name: plan.secondView,
      file: viewFile,
      streams: [{ pid: SECOND_VIEW_PID, coding: 0x20, format: formatCode(plan) | 1 }],
      facts: scanClip(view, SECOND_VIEW_PID, frame90k),
      views: encoded.pictures,
    });
  }
  return made;
}
