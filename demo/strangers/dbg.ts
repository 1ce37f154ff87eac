import { memorySource } from '@/core/bytes';
import { Assembly } from '@/core/assembly';
import { openContent, readDisc } from '@/core/reading';
import { takeAudio, wholeTitleReel } from '@/core/reels';
import { openImage } from '@/core/volume';
import { Draw } from './draw';
import { drawBluray } from './bluray/draw-plan';
import { writeBluray } from './bluray/disc';
import { playlistNumber } from './bluray/plan';
import { playlistTruth } from './bluray/truth';
const [seed = '1', list = '1'] = process.argv.slice(2);
const plan = drawBluray(new Draw(Number(seed)), Number(seed));
const disc = writeBluray(plan);
const volume = await openImage(memorySource('x', disc.image));
const reading = await readDisc(volume);
const place = plan.playlists.findIndex((_, i) => playlistNumber(i) === Number(list));
const truth = playlistTruth(plan, disc.clips, place);
console.log(JSON.stringify(plan.playlists[place]));
for (const [i, c] of plan.clips.entries())
  console.log(
    i,
    c.groups,
    c.first90k,
    JSON.stringify(c.sounds.map((s) => [s.codec, s.language, s.pid, s.delay90k, s.frames, s.fromFrame])),
    JSON.stringify(c.graphics.map((g) => [g.language, g.events])),
  );
console.log(
  'chapters',
  truth.chapters,
  'stretches',
  truth.stretches.map((s) => [s.from90k, s.to90k, s.begins, s.ends]),
);
const title = reading.titles.find((t) => t.playlist === Number(list))!;
console.log(
  title.chapters,
  title.parts,
  reading.segments.filter((s) => title.parts.some((p) => p.segment === s.id)),
  title.audio.map((a) => [a.codec, a.language, a.stream, a.bitDepth]),
);
const show = async (pieces: any) => {
  const reel = { ...wholeTitleReel(title, ''), audio: title.audio.map((t, i) => takeAudio(t, i === 0)), ...(pieces ? { pieces } : {}) };
  const assembly = new Assembly(reading, reel, (n) => openContent(volume, n));
  const came: any[][] = assembly.tracks.map(() => []);
  while (await assembly.fill())
    for (let p = assembly.take(); p; p = assembly.take()) came[p.track]?.push([(p.ticks / 27e3).toFixed(2), p.data.byteLength]);
  for (const [i, list] of came.entries()) {
    console.log(
      'track',
      i,
      assembly.tracks[i]?.kind,
      list.length,
      list.reduce((s, [, b]) => s + b, 0),
      list.slice(0, 4).join(' | '),
      '...',
      list.slice(-4).join(' | '),
    );
    const gaps = list.map(([t], k) => (k > 0 ? Number(t) - Number(list[k - 1]![0]) : 0));
    if (i > 0)
      console.log(
        '  irregular',
        gaps
          .map((g, k) => [k, g, list[k]![0]])
          .filter(([, g]) => Math.abs((g as number) - gaps[1]!) > 0.05)
          .slice(0, 10)
          .join(' | '),
      );
    console.log('  left', [...assembly.account(i).left].map(([r, v]) => `${r} ${v.bytes}/${v.frames}`).join(', '));
  }
  console.log(JSON.stringify(assembly.wholeness().faults));
};
await show(null);
const cut = Number(process.argv[4] ?? 0);
if (cut) {
  await show([{ title: title.number, angle: 1, fromChapter: 1, toChapter: cut }]);
  await show([{ title: title.number, angle: 1, fromChapter: cut + 1, toChapter: title.chapters.length }]);
}
const at = Number(process.argv[5] ?? -1);
console.log(
  truth.stretches.map((s) => [s.pictures.length, s.pictures.at(-1)?.bytes.byteLength]),
  at,
);
