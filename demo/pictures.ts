import { mkdir, rename, writeFile } from 'node:fs/promises';
import path from 'node:path';
import { fixture } from '@/test-support/fixtures';
import { inParallel, run } from './run';
import { cameraOf, sceneOf, stillOf } from './scenes';
import type { DemoDisc, Work, WorkAudio, WorkSubtitle } from './scenario';

/** Frame rate, size and pixel shape of the two television standards on a DVD. */
export const STANDARDS = {
  pal: { rate: '25', width: 720, height: 576 },
  ntsc: { rate: '30000/1001', width: 720, height: 480 },
} as const;

const FONT = '/usr/share/fonts/truetype/dejavu/DejaVuSans.ttf';
const quiet = ['-hide_banner', '-nostdin', '-loglevel', 'error', '-y'];

/** Sea, sky and a lamp, drawn once per chapter by formula; `seed` shifts hour and colour. */
export function seascape(seed: number): string {
  const dusk = (seed * 37) % 100;
  const horizon = `(0.52+0.03*${seed % 3})*H`;
  const tower = `lt(abs(X-W*${0.3 + 0.1 * (seed % 5)}),14+Y/60)*gt(Y,H*0.2)*lt(Y,${horizon}+30)`;
  return [
    `r='if(${tower},200,if(lt(Y,${horizon}),${60 + dusk}+Y/5,20+${dusk / 3}+8*sin(X/31+Y/3)))'`,
    `g='if(${tower},190,if(lt(Y,${horizon}),90+Y/6,60+Y/14+10*sin(X/23+Y/4)))'`,
    `b='if(${tower},170,if(lt(Y,${horizon}),150-Y/8,90+12*sin(X/17+Y/2)))'`,
  ].join(':');
}

/** Literal arguments, written as one would type them. */
const words = (text: string): string[] => text.split(' ').filter(Boolean);

/** One shot: a still that is wider than the picture, and what is done to it while the camera travels over it. */
interface Shot {
  readonly frames: number;
  /** Source of the still, for FFmpeg's `lavfi`. */
  readonly still: string;
  /** Filters of the moving picture, frame by frame. */
  readonly filters: string;
}

/** A shot is about this long: films are cut. */
const SHOT_SECONDS = 7;
/** Frames over which a chapter comes out of black, and goes back. */
const FADE_FRAMES = 10;
const CARD_SECONDS = 2.6;
const STILL_WIDTH = 1000;

/** A number of its own for each film. */
const numberOf = (id: string): number => Array.from(id).reduce((sum, c) => (sum * 31 + c.charCodeAt(0)) % 9973, 7);

/** What is written over a picture, as FFmpeg's filter takes it. */
const written = (text: string): string => text.replaceAll("'", '’').replaceAll(':', '\\:');

/** The shots of a film: cut inside its chapters, which come out of black and begin with a card. */
function scenes(work: Work, framesOf: readonly number[]): Shot[] {
  const { rate, width, height } = STANDARDS[work.standard];
  const perSecond = work.standard === 'pal' ? 25 : 30;
  let seed = numberOf(work.id);
  return framesOf.flatMap((frames, chapter) => {
    const count = Math.max(1, Math.round(frames / perSecond / SHOT_SECONDS));
    return Array.from({ length: count }, (_, i): Shot => {
      seed++;
      const length = Math.floor((frames * (i + 1)) / count) - Math.floor((frames * i) / count);
      const title = chapter === 0 ? work.name : `${chapter + 1}`;
      const card = `drawtext=fontfile=${FONT}:text='${written(title)}':x=(w-tw)/2:y=h*0.42:fontsize=${chapter === 0 ? 40 : 64}:fontcolor=white:shadowx=2:shadowy=2:enable='lt(t,${CARD_SECONDS})'`;
      const filters = [
        cameraOf(seed, width, height),
        'setsar=1',
        sceneOf(seed).move(seed, width, height),
        ...(i === 0 ? [card, `fade=in:0:${FADE_FRAMES}`] : []),
        ...(i === count - 1 ? [`fade=out:${Math.max(0, length - FADE_FRAMES)}:${FADE_FRAMES}`] : []),
      ];
      return { frames: length, still: stillOf(seed, STILL_WIDTH, height), filters: `setpts=N/(${rate})/TB,${filters.join(',')}` };
    });
  });
}

/** For short films of tests, whose streams are known by their sizes: one view of the sea a chapter. */
function views(work: Work, framesOf: readonly number[]): Shot[] {
  const { rate, width, height } = STANDARDS[work.standard];
  return framesOf.map((frames, i) => {
    const seed = i + work.id.length + work.id.charCodeAt(work.id.length - 1);
    return {
      frames,
      still: `color=black:s=1100x${height}:d=0.04:r=25,format=gbrp,geq=${seascape(seed)}`,
      filters: `setpts=N/(${rate})/TB,crop=${width}:${height}:'(iw-ow)/2*(1+sin(n/90))':0,setsar=1`,
    };
  });
}

const makeStills = (shots: readonly Shot[]): Promise<string[]> =>
  inParallel(
    2,
    shots.map(
      ({ still }) =>
        () =>
          fixture(['still', still], 'png', (file) => run('ffmpeg', [...quiet, '-f', 'lavfi', '-i', still, '-frames:v', '1', file])),
    ),
  );

/** The filter graph of the picture: the shots one after the other, and a frame counter. Ends in `[v]`. */
function pictureGraph(work: Work, shots: readonly Shot[]): string[] {
  const { rate, height } = STANDARDS[work.standard];
  const panes = shots.map(
    ({ frames, filters }, i) => `[${i}:v]format=yuv420p,loop=loop=-1:size=1,trim=end_frame=${frames},${filters}[p${i}]`,
  );
  const label = `drawtext=fontfile=${FONT}:text='${work.name.replaceAll("'", '')}  %{n}':x=40:y=h-52:fontsize=22:fontcolor=white@0.8`;
  const joined = `${shots.map((_, i) => `[p${i}]`).join('')}concat=n=${shots.length}:v=1:a=0`;
  if (work.isCut) return [...panes, `${joined},${label}[v]`];
  return [
    ...panes,
    `${joined}[sea]`,
    `color=c=0x2b1d14:s=46x14:r=${rate}[boat]`,
    `[sea][boat]overlay=x='mod(n*3,W)':y=${Math.round(height * 0.56)}:shortest=1,${label},noise=c0s=4:c0f=t[v]`,
  ];
}

/** Sound of one track: a tone per channel that swells and fades, each at its own pace. Ends in `[a0]`, `[a1]` and so on. */
function soundGraph(track: WorkAudio, index: number, seconds: number): string {
  const voices = Array.from({ length: track.channels }, (_, c) => {
    const tone = `sine=f=${(track.tone * (1 + c * 0.25)).toFixed(2)}:r=48000:d=${seconds}`;
    return `${tone},tremolo=f=${(1 / (3 + c)).toFixed(3)}:d=0.7[a${index}c${c}]`;
  });
  const inputs = voices.map((_, c) => `[a${index}c${c}]`).join('');
  return `${voices.join(';')};${inputs}join=inputs=${track.channels}:channel_layout=${track.channels === 6 ? '5.1' : 'stereo'}[a${index}]`;
}

const ENCODER: Readonly<Record<WorkAudio['codec'], string>> = { ac3: 'ac3', dts: 'dca', mp2: 'mp2', pcm16: 'pcm_dvd', pcm24: 'pcm_dvd' };

function soundEncoder(track: WorkAudio, index: number): string[] {
  const at = `:a:${index}`;
  const depth = track.codec === 'pcm16' ? 's16' : track.codec === 'pcm24' ? 's32' : null;
  return [`-c${at}`, ENCODER[track.codec], ...(depth ? [`-sample_fmt${at}`, depth] : [`-b${at}`, `${track.kbps}k`])];
}

/** Generates the program stream of one work, as a DVD author would be given it. */
export async function makeStream(work: Work, folder: string): Promise<string> {
  const out = path.join(folder, `${work.id}.mpg`);
  const { rate } = STANDARDS[work.standard];
  const pal = work.standard === 'pal';
  const fps = pal ? 25 : 30000 / 1001;
  const framesOf = work.chapters.map((seconds) => Math.round(seconds * fps));
  const seconds = framesOf.reduce((a, b) => a + b, 0) / fps;
  const shots = work.isCut ? scenes(work, framesOf) : views(work, framesOf);
  const stills = await makeStills(shots);
  const sound = work.audio.map((track, i) => soundGraph(track, i, seconds));
  const marks = framesOf.slice(1).map((_, i) => framesOf.slice(0, i + 1).reduce((a, b) => a + b, 0) / fps);
  const partial = `${out}.partial`;
  await run('ffmpeg', [
    ...quiet,
    ...stills.flatMap((png) => ['-r', rate, '-i', png]),
    '-filter_complex',
    [...pictureGraph(work, shots), ...sound].join(';'),
    ...words(`-map [v] ${work.audio.map((_, i) => `-map [a${i}]`).join(' ')}`),
    ...words(`-c:v mpeg2video -r ${rate} -b:v ${work.videoKbps}k -maxrate 7000k -bufsize 1835008`),
    ...words(`-g ${pal ? '12 -flags +ildct+ilme -top 1' : '15'} -bf 2 -pix_fmt yuv420p -aspect ${work.wide ? '16:9' : '4:3'}`),
    ...(marks.length ? ['-force_key_frames', marks.join(',')] : []),
    ...work.audio.flatMap(soundEncoder),
    ...words('-strict -2 -ar 48000 -muxrate 10080000 -packetsize 2048 -f dvd'),
    partial,
  ]);
  await rename(partial, out);
  return out;
}

/** Subtitle text as two-colour pictures, then multiplexed into the stream by spumux. */
export async function addSubtitles(stream: string, work: Work, track: WorkSubtitle, index: number, folder: string): Promise<string> {
  const { width, height } = STANDARDS[work.standard];
  const base = `${work.id}-sub${index}`;
  const font = '/usr/share/fonts/truetype/dejavu/DejaVuSans-Bold.ttf';
  const draws = track.lines.map((line, i) => {
    const textFile = path.join(folder, `${base}-${i}.txt`);
    return {
      textFile,
      line,
      draw: `drawtext=fontfile=${font}:textfile=${textFile}:x=(w-tw)/2:y=h-90:fontsize=30:fontcolor=white:enable='eq(n,${i})'`,
    };
  });
  for (const { textFile, line } of draws) await writeFile(textFile, line.text);
  await run('ffmpeg', [
    ...quiet,
    '-f',
    'lavfi',
    '-i',
    `color=black:s=${width}x${height}:r=1:d=${track.lines.length}`,
    '-vf',
    `${draws.map((d) => d.draw).join(',')},format=gray,lutyuv=y='if(gt(val,110),255,0)',format=monob`,
    path.join(folder, `${base}-%d.png`),
  ]);
  const stamp = (seconds: number) => `0:${String(Math.floor(seconds / 60)).padStart(2, '0')}:${(seconds % 60).toFixed(2).padStart(5, '0')}`;
  const spus = track.lines.map(
    (line, i) =>
      `<spu start="${stamp(line.at)}" end="${stamp(line.at + line.seconds)}" image="${base}-${i + 1}.png" transparent="000000"${line.forced ? ' force="yes"' : ''} />`,
  );
  const xml = path.join(folder, `${base}.xml`);
  await writeFile(xml, `<subpictures><stream>${spus.join('')}</stream></subpictures>`);
  const out = path.join(folder, `${base}.mpg`);
  await run('spumux', ['-s', String(index), '-m', 'dvd', xml], {
    cwd: folder,
    stdin: stream,
    stdout: out,
    env: { VIDEO_FORMAT: work.standard.toUpperCase() },
  });
  return out;
}

/** A still menu with one highlighted button per line. */
export async function makeMenu(disc: DemoDisc, folder: string): Promise<string> {
  const { rate, width, height } = STANDARDS[disc.standard];
  await mkdir(folder, { recursive: true });
  const y = (i: number) => 120 + i * 52;
  const labels = disc.menu
    .map((b, i) => `drawtext=fontfile=${FONT}:text='${b.label}':x=120:y=${y(i)}:fontsize=28:fontcolor=0xe8e6df`)
    .join(',');
  const plain = path.join(folder, `${disc.id}-menu.mpg`);
  await run('ffmpeg', [
    ...quiet,
    '-f',
    'lavfi',
    '-i',
    `color=0x123033:s=${width}x${height}:r=${rate}:d=2`,
    '-f',
    'lavfi',
    '-i',
    'aevalsrc=0|0:c=stereo:s=48000:d=2',
    '-vf',
    labels,
    '-c:v',
    'mpeg2video',
    '-b:v',
    '2000k',
    '-maxrate',
    '6000k',
    '-bufsize',
    '1835008',
    '-g',
    '12',
    '-aspect',
    disc.wide ? '16:9' : '4:3',
    '-c:a',
    'ac3',
    '-b:a',
    '192k',
    '-f',
    'dvd',
    '-packetsize',
    '2048',
    '-muxrate',
    '10080000',
    plain,
  ]);
  const boxes = disc.menu.map((_, i) => `drawbox=x=96:y=${y(i)}:w=12:h=28:c=white:t=fill`).join(',');
  const image = path.join(folder, `${disc.id}-buttons.png`);
  await run('ffmpeg', [
    ...quiet,
    '-f',
    'lavfi',
    '-i',
    `color=black:s=${width}x${height}:d=1:r=1`,
    '-vf',
    `${boxes},format=monob`,
    '-frames:v',
    '1',
    image,
  ]);
  const buttons = disc.menu.map((_, i) => `<button name="b${i + 1}" x0="90" y0="${y(i) - 6}" x1="600" y1="${y(i) + 40}" />`).join('');
  const xml = path.join(folder, `${disc.id}-menu.xml`);
  await writeFile(
    xml,
    `<subpictures><stream><spu start="0" end="0" force="yes" highlight="${image}" select="${image}" transparent="000000">${buttons}</spu></stream></subpictures>`,
  );
  const out = path.join(folder, `${disc.id}-menu-buttons.mpg`);
  await run('spumux', [xml], { stdin: plain, stdout: out, env: { VIDEO_FORMAT: disc.standard.toUpperCase() } });
  return out;
}
