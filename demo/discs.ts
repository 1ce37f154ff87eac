import { mkdir, readFile, rename, rm, stat, truncate, writeFile } from 'node:fs/promises';
import path from 'node:path';
import { fixture } from '@/test-support/fixtures';
import type { Building } from './building';
import { addSubtitles, makeMenu, makeStream } from './pictures';
import { inParallel, run } from './run';
import type { Archive, DemoDisc, Work } from './scenario';

/** Raise when the way of authoring changes, so that cached discs are made anew. */
const AUTHORING_VERSION = 3;

/** Makes the finished program stream of a work: pictures, sound, subtitles. */
async function buildWork(work: Work, folder: string): Promise<string> {
  let stream = await makeStream(work, folder);
  for (const [index, track] of work.subtitles.entries()) stream = await addSubtitles(stream, work, track, index, folder);
  return stream;
}

const clock = (seconds: number) =>
  `${Math.floor(seconds / 3600)}:${String(Math.floor(seconds / 60) % 60).padStart(2, '0')}:${(seconds % 60).toFixed(3).padStart(6, '0')}`;

function titleXml(works: readonly Work[], streams: ReadonlyMap<string, string>): string {
  const vobs = works.map((work) => {
    const starts = work.chapters.map((_, i) => clock(work.chapters.slice(0, i).reduce((a, b) => a + b, 0)));
    return `<vob file="${streams.get(work.id) ?? ''}" chapters="${starts.join(',')}" />`;
  });
  return `<pgc>${vobs.join('')}<post>call vmgm menu;</post></pgc>`;
}

function titleSetXml(disc: DemoDisc, works: readonly (readonly Work[])[], streams: ReadonlyMap<string, string>): string {
  const first = works[0]?.[0];
  if (!first) throw new Error('a title set without a work');
  const video = `<video format="${disc.standard}" aspect="${disc.wide ? '16:9' : '4:3'}"${disc.wide ? ' widescreen="nopanscan"' : ''} />`;
  const audio = first.audio.map((a) => `<audio lang="${a.language}" content="${a.content}" />`).join('');
  const subs = first.subtitles.map((s) => `<subpicture lang="${s.language}" content="${s.content}" />`).join('');
  return `<titleset><titles>${video}${audio}${subs}${works.map((w) => titleXml(w, streams)).join('')}</titles></titleset>`;
}

/** Sets PES_scrambling_control (ISO/IEC 13818-1 2.4.3.7) in every video packet of a title set. */
async function flagScrambled(vob: string): Promise<void> {
  const data = await readFile(vob);
  for (let at = 0; at + 2048 <= data.byteLength; at += 2048) {
    if (data.readUInt32BE(at + 14) === 0x1e0) data[at + 20] = (data[at + 20] ?? 0) | 0x30;
  }
  await writeFile(vob, data);
}

/** Authors one disc: a VIDEO_TS folder and, from it, a bridge image (ISO 9660 with UDF 1.02). */
export async function authorDisc(
  disc: DemoDisc,
  works: readonly Work[],
  streams: ReadonlyMap<string, string>,
  work: string,
  image: string,
): Promise<void> {
  const find = (id: string): Work => {
    const found = works.find((w) => w.id === id);
    if (!found) throw new Error(`disc ${disc.id} names a work ${id} that there is not`);
    return found;
  };
  const titleSets = disc.titleSets.map((titles) =>
    titleSetXml(
      disc,
      titles.map((ids) => ids.map(find)),
      streams,
    ),
  );
  const menu = await makeMenu(disc, work);
  const firstPlay = disc.firstPlay ? `jump title ${disc.firstPlay};` : 'jump vmgm menu 1;';
  const buttons = disc.menu.map((b, i) => `<button name="b${i + 1}">jump title ${b.title};</button>`).join('');
  const xml = path.join(work, `${disc.id}.xml`);
  const folder = path.join(work, `${disc.id}-disc`);
  await rm(folder, { recursive: true, force: true });
  await writeFile(
    xml,
    `<dvdauthor dest="${folder}"><vmgm><fpc>${firstPlay}</fpc><menus><video format="${disc.standard}" aspect="${disc.wide ? '16:9' : '4:3'}"${disc.wide ? ' widescreen="nopanscan"' : ''} />` +
      `<subpicture lang="en" />` +
      `<pgc entry="title" pause="inf">${buttons}<vob file="${menu}" pause="inf" /></pgc></menus></vmgm>${titleSets.join('')}</dvdauthor>`,
  );
  await run('dvdauthor', ['-x', xml], { env: { VIDEO_FORMAT: disc.standard.toUpperCase() } });
  if (disc.flaggedScrambled) await flagScrambled(path.join(folder, 'VIDEO_TS', 'VTS_01_1.VOB'));
  await mkdir(path.join(folder, 'AUDIO_TS'), { recursive: true });
  await run('genisoimage', ['-quiet', '-dvd-video', '-udf', '-V', disc.label, '-o', image, folder]);
  if (disc.brokenOff !== undefined) await truncate(image, 2048 * Math.floor((disc.brokenOff * (await stat(image)).size) / 2048));
}

const lengthOf = (work: Work) => work.chapters.reduce((a, b) => a + b, 0);

/** A program stream is made once, whatever discs it stands on: while one makes it the others wait. */
const underWay = new Map<string, Promise<string>>();
function streamOf(work: Work, folder: string): Promise<string> {
  const known = underWay.get(work.id);
  if (known) return known;
  const made = fixture(['program stream', AUTHORING_VERSION, work], 'mpg', async (file) => {
    await rename(await buildWork(work, folder), file);
  });
  underWay.set(work.id, made);
  return made;
}

/** DVDs of an archive, each a thing to be made by itself. @param cache the folder that they stand in. */
export function dvdBuildings({ works, discs }: Archive, cache: string): Building[] {
  return discs.map((disc) => {
    const own = works.filter((w) => disc.titleSets.some((titles) => titles.some((ids) => ids.includes(w.id))));
    const target = path.join(cache, 'discs', `${disc.label}.iso`);
    return {
      id: disc.id,
      name: disc.label,
      target,
      how: [AUTHORING_VERSION, own, disc],
      work: own.reduce((sum, w) => sum + lengthOf(w), 0),
      make: async (image, folder) => {
        const made = await inParallel(
          2,
          [...own]
            .sort((a, b) => lengthOf(b) - lengthOf(a))
            .map((w) => async () => {
              const own = path.join(folder, w.id);
              await mkdir(own, { recursive: true });
              return [w.id, await streamOf(w, own)] as const;
            }),
        );
        await authorDisc(disc, works, new Map(made), folder, image);
      },
    };
  });
}
