import { mkdir, writeFile } from 'node:fs/promises';
import path from 'node:path';
import { run } from './run';

/**
 * A disc with many titles, three to a title set, of two seconds each: authored for tests and benchmarks.
 * @returns the image.
 */
export async function authorManyTitles(folder: string, titles: number): Promise<string> {
  await mkdir(folder, { recursive: true });
  const base = ['-hide_banner', '-nostdin', '-loglevel', 'error', '-y'];
  const streams = await Promise.all(
    [0, 1, 2].map(async (i) => {
      const file = path.join(folder, `short-${i}.mpg`);
      await run('ffmpeg', [
        ...base,
        '-f',
        'lavfi',
        '-i',
        `testsrc2=s=720x576:r=25:d=${2 + i}`,
        '-f',
        'lavfi',
        '-i',
        `sine=f=${300 + 100 * i}:r=48000:d=${2 + i}`,
        '-target',
        'pal-dvd',
        '-b:v',
        '1500k',
        '-ac',
        '2',
        file,
      ]);
      return file;
    }),
  );
  const sets = Array.from({ length: Math.ceil(titles / 3) }, (_, set) => {
    const count = Math.min(3, titles - set * 3);
    return `<titleset><titles>${Array.from({ length: count }, (_x, i) => `<pgc><vob file="${streams[i] ?? ''}" chapters="0,1" /></pgc>`).join('')}</titles></titleset>`;
  });
  const disc = path.join(folder, 'many-disc');
  const xml = path.join(folder, 'many.xml');
  await writeFile(xml, `<dvdauthor dest="${disc}"><vmgm><fpc>jump title 1;</fpc></vmgm>${sets.join('')}</dvdauthor>`);
  await run('dvdauthor', ['-x', xml], { env: { VIDEO_FORMAT: 'PAL' } });
  const image = path.join(folder, 'MANY.iso');
  await run('genisoimage', ['-quiet', '-dvd-video', '-udf', '-V', 'MANY', '-o', image, disc]);
  return image;
}
