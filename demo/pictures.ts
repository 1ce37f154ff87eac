import { mkdir, rename, writeFile } from 'node:fs/promises';
import path from 'node:path';
import { run } from './run';
import type { DemoDisc, Work, WorkSubtitle } from './scenario';

/** Frame rate, size and pixel shape of the two television standards on a DVD. */
export const STANDARDS = {
  pal: { rate: '25', width: 720, height: 576 },
  ntsc: { rate: '30000/1001', width: 720, height: 480 },
} as const;

const quiet = ['-hide_banner', '-nostdin', '-loglevel', 'error', '-y'];

/** Sea, sky and a lamp, drawn once per chapter by formula; `seed` shifts hour and colour. */
function seascape(seed: number): string {
  const dusk = (seed * 37) % 100;
  const horizon = `(0.52+0.03*${String(seed % 3)})*H`;
  const tower = `lt(abs(X-W*${String(0.3 + 0.1 * (seed % 5))}),14+Y/60)*gt(Y,H*0.2)*lt(Y,${horizon}+30)`;
  return [
    `r='if(${tower},200,if(lt(Y,${horizon}),${String(60 + dusk)}+Y/5,20+${String(dusk / 3)}+8*sin(X/31+Y/3)))'`,
    `g='if(${tower},190,if(lt(Y,${horizon}),90+Y/6,60+Y/14+10*sin(X/23+Y/4)))'`,
    `b='if(${tower},170,if(lt(Y,${horizon}),150-Y/8,90+12*sin(X/17+Y/2)))'`,
  ].join(':');
}

/** Generates the program stream of one work, as a DVD author would be given it. */
export async function makeStream(work: Work, folder: string): Promise<string> {
  const out = path.join(folder, `${work.id}.mpg`);
  const { rate, width, height } = STANDARDS[work.standard];
  const fps = work.standard === 'pal' ? 25 : work.film ? 24000 / 1001 : 30000 / 1001;
  const framesIn = (seconds: number) => Math.round(seconds * fps);
  const total = work.chapters.reduce((sum, seconds) => sum + framesIn(seconds), 0) / fps;
  const stills = await Promise.all(
    work.chapters.map(async (_, i) => {
      const png = path.join(folder, `${work.id}-${String(i)}.png`);
      const seed = i + work.id.length + work.id.charCodeAt(work.id.length - 1);
      await run('ffmpeg', [
        ...quiet,
        '-f',
        'lavfi',
        '-i',
        `color=black:s=1100x${String(height)}:d=0.04:r=25,format=gbrp,geq=${seascape(seed)}`,
        '-frames:v',
        '1',
        png,
      ]);
      return png;
    }),
  );
  const codedRate = work.film ? '24000/1001' : rate;
  const inputs = stills.flatMap((png) => ['-r', codedRate, '-i', png]);
  const panes = stills.map(
    (_, i) =>
      `[${String(i)}:v]format=yuv420p,loop=loop=-1:size=1,setpts=N/(${codedRate})/TB,trim=end_frame=${String(framesIn(work.chapters[i] ?? 0))},crop=${String(width)}:${String(height)}:'(iw-ow)/2*(1+sin(n/90))':0,setsar=1[p${String(i)}]`,
  );
  const font = '/usr/share/fonts/truetype/dejavu/DejaVuSans.ttf';
  const label = work.name.replaceAll("'", '');
  const picture = [
    ...panes,
    `${stills.map((_, i) => `[p${String(i)}]`).join('')}concat=n=${String(stills.length)}:v=1:a=0[sea]`,
    `color=c=0x2b1d14:s=46x14:r=${codedRate}[boat];[sea][boat]overlay=x='mod(n*3,W)':y=${String(Math.round(height * 0.56))}:shortest=1,` +
      `drawtext=fontfile=${font}:text='${label}  %{n}':x=40:y=h-52:fontsize=22:fontcolor=white@0.8,noise=alls=3:allf=t[v]`,
  ];
  const sound = work.audio.map((track, i) => {
    const layout = track.channels === 6 ? '5.1' : 'stereo';
    const voices = Array.from(
      { length: track.channels },
      (_, c) => `0.12*sin(2*PI*${String(track.tone * (1 + c * 0.25))}*t)*(0.6+0.4*sin(2*PI*t/${String(3 + c)}))`,
    );
    return `aevalsrc='${voices.join('|')}':c=${layout}:s=48000:d=${String(total)}[a${String(i)}]`;
  });
  const encoders = work.audio.flatMap((track, i) => [
    `-c:a:${String(i)}`,
    track.codec,
    ...(track.codec === 'pcm_dvd' ? [] : [`-b:a:${String(i)}`, `${String(track.kbps)}k`]),
  ]);
  const interlaced = !work.film && work.standard === 'pal' ? ['-flags', '+ildct+ilme', '-top', '1'] : [];
  const marks = work.chapters.slice(1).map((_, i) => work.chapters.slice(0, i + 1).reduce((a, b) => a + b, 0));
  const partial = `${out}.partial`;
  await run('ffmpeg', [
    ...quiet,
    ...inputs,
    '-filter_complex',
    [...picture, ...sound].join(';'),
    '-map',
    '[v]',
    ...work.audio.flatMap((_, i) => ['-map', `[a${String(i)}]`]),
    '-c:v',
    'mpeg2video',
    '-r',
    codedRate,
    '-b:v',
    `${String(work.videoKbps)}k`,
    '-maxrate',
    '7000k',
    '-bufsize',
    '1835008',
    '-g',
    work.standard === 'pal' ? '12' : '15',
    '-bf',
    '2',
    '-pix_fmt',
    'yuv420p',
    '-aspect',
    work.wide ? '16:9' : '4:3',
    ...interlaced,
    ...(marks.length ? ['-force_key_frames', marks.join(',')] : []),
    ...encoders,
    '-ar',
    '48000',
    '-muxrate',
    '10080000',
    '-packetsize',
    '2048',
    '-f',
    'dvd',
    partial,
  ]);
  await rename(partial, out);
  return out;
}

/** Subtitle text as two-colour pictures, then multiplexed into the stream by spumux. */
export async function addSubtitles(stream: string, work: Work, track: WorkSubtitle, index: number, folder: string): Promise<string> {
  const { width, height } = STANDARDS[work.standard];
  const base = `${work.id}-sub${String(index)}`;
  const font = '/usr/share/fonts/truetype/dejavu/DejaVuSans-Bold.ttf';
  const draws = track.lines.map((line, i) => {
    const textFile = path.join(folder, `${base}-${String(i)}.txt`);
    return {
      textFile,
      line,
      draw: `drawtext=fontfile=${font}:textfile=${textFile}:x=(w-tw)/2:y=h-90:fontsize=30:fontcolor=white:enable='eq(n,${String(i)})'`,
    };
  });
  for (const { textFile, line } of draws) await writeFile(textFile, line.text);
  await run('ffmpeg', [
    ...quiet,
    '-f',
    'lavfi',
    '-i',
    `color=black:s=${String(width)}x${String(height)}:r=1:d=${String(track.lines.length)}`,
    '-vf',
    `${draws.map((d) => d.draw).join(',')},format=gray,lutyuv=y='if(gt(val,110),255,0)',format=monob`,
    path.join(folder, `${base}-%d.png`),
  ]);
  const stamp = (seconds: number) => `0:${String(Math.floor(seconds / 60)).padStart(2, '0')}:${(seconds % 60).toFixed(2).padStart(5, '0')}`;
  const spus = track.lines.map(
    (line, i) =>
      `<spu start="${stamp(line.at)}" end="${stamp(line.at + line.seconds)}" image="${base}-${String(i + 1)}.png" transparent="000000"${line.forced ? ' force="yes"' : ''} />`,
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
  const font = '/usr/share/fonts/truetype/dejavu/DejaVuSans.ttf';
  await mkdir(folder, { recursive: true });
  const y = (i: number) => 120 + i * 52;
  const labels = disc.menu
    .map((b, i) => `drawtext=fontfile=${font}:text='${b.label}':x=120:y=${String(y(i))}:fontsize=28:fontcolor=0xe8e6df`)
    .join(',');
  const plain = path.join(folder, `${disc.id}-menu.mpg`);
  await run('ffmpeg', [
    ...quiet,
    '-f',
    'lavfi',
    '-i',
    `color=0x123033:s=${String(width)}x${String(height)}:r=${rate}:d=2`,
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
  const boxes = disc.menu.map((_, i) => `drawbox=x=96:y=${String(y(i))}:w=12:h=28:c=white:t=fill`).join(',');
  const image = path.join(folder, `${disc.id}-buttons.png`);
  await run('ffmpeg', [
    ...quiet,
    '-f',
    'lavfi',
    '-i',
    `color=black:s=${String(width)}x${String(height)}:d=1:r=1`,
    '-vf',
    `${boxes},format=monob`,
    '-frames:v',
    '1',
    image,
  ]);
  const buttons = disc.menu
    .map((_, i) => `<button name="b${String(i + 1)}" x0="90" y0="${String(y(i) - 6)}" x1="600" y1="${String(y(i) + 40)}" />`)
    .join('');
  const xml = path.join(folder, `${disc.id}-menu.xml`);
  await writeFile(
    xml,
    `<subpictures><stream><spu start="0" end="0" force="yes" highlight="${image}" select="${image}" transparent="000000">${buttons}</spu></stream></subpictures>`,
  );
  const out = path.join(folder, `${disc.id}-menu-buttons.mpg`);
  await run('spumux', [xml], { stdin: plain, stdout: out, env: { VIDEO_FORMAT: disc.standard.toUpperCase() } });
  return out;
}
