import { concatBytes, DiscError, equalBytes, memorySource } from '@/core/bytes';
import type { Assembly } from '@/core/assembly';
import { FAULT_WEIGHTS, openContent, readDisc, type Reading, type Title } from '@/core/reading';
import type { Reel } from '@/core/reels';
import { openImage } from '@/core/volume';
import type { WrittenBluray } from './bluray/disc';
import { playlistNumber, type BlurayPlan } from './bluray/plan';
import { playlistTruth } from './bluray/truth';
import type { DvdPlan } from './dvd/plan';
import type { WrittenDvd } from './dvd/disc';
import { titleTruth } from './dvd/truth';
import { clears, judgePictures, judgeTrack, stillSeconds, type Came } from './judge-track';
import { bytesOf, reelOf, saidOf, shown, taken, type Open } from './take';
import type { TitleTruth, TrackTruth } from './truth';

/** How a disc was not as its author knows it: lost without a word, refused though it is whole, or said against what is whole. */
export interface Verdict {
  readonly kind: 'lost' | 'refused' | 'accused';
  readonly title: number | null;
  readonly what: string;
}

/** A title as its author knows it, and where the reading lists it. */
interface Known {
  readonly number: number;
  readonly of: (title: Title) => boolean;
  readonly truth: TitleTruth;
}

export const judgeDvd = (plan: DvdPlan, disc: WrittenDvd): Promise<Verdict[]> =>
  judge(
    plan.label,
    disc.image,
    plan.titles.map((_, i) => ({ number: i + 1, of: (t) => t.number === i + 1, truth: titleTruth(plan, disc.vobs, i + 1) })),
  );

export const judgeBluray = (plan: BlurayPlan, disc: WrittenBluray): Promise<Verdict[]> =>
  judge(
    plan.label,
    disc.image,
    plan.playlists.map((_, i) => {
      const number = playlistNumber(i);
      return { number, of: (t) => t.playlist === number, truth: playlistTruth(plan, disc.clips, i) };
    }),
  );

/** Reads a disc and takes all its titles, and compares with what was known before. */
async function judge(label: string, image: Uint8Array, known: readonly Known[]): Promise<Verdict[]> {
  const volume = await openImage(memorySource(label, image));
  const reading = await readDisc(volume);
  const verdicts: Verdict[] = reading.remarks
    .filter((r) => r.severity !== 'note')
    .map((r) => ({ kind: 'accused', title: r.title, what: `${r.code}: ${r.detail}` }));
  for (const { number, of, truth } of known) {
    try {
      const title = reading.titles.find(of);
      if (!title) verdicts.push({ kind: 'lost', title: number, what: 'not listed' });
      else verdicts.push(...(await judgeTitle(reading, truth, title, (name) => openContent(volume, name))));
    } catch (error) {
      if (!(error instanceof DiscError)) throw error;
      verdicts.push({ kind: 'refused', title: number, what: error.message });
    }
  }
  return verdicts;
}

const displayOf = (track: object): unknown => ('drawnFor' in track ? (track.drawnFor ?? null) : null);
/** Languages are all different: what has one, and is drawn for the same display, is the same. */
const isOf = (track: { readonly language: string | null }, of: TrackTruth) =>
  track.language === of.language && displayOf(track) === of.display;
const nameOf = ({ language, display }: TrackTruth) =>
  `${display === null ? 'sound' : `subtitles for ${display}`} ${language ?? 'without a name'}`;

async function judgeTitle(reading: Reading, truth: TitleTruth, title: Title, open: Open): Promise<Verdict[]> {
  const number = title.playlist ?? title.number;
  const verdicts: Verdict[] = [];
  const lost = (what: string) => verdicts.push({ kind: 'lost', title: number, what });
  const seconds = truth.stretches.reduce((sum, s) => sum + (s.to90k - s.from90k) / 90 + stillSeconds(s) * 1000, 0);
  if (Math.abs(title.durationMs - seconds) > Math.max(500, seconds * 0.002))
    lost(`lasts ${shown(seconds)}, not ${shown(title.durationMs)}`);
  for (const of of [...truth.audio, ...truth.subtitles])
    if (![...title.audio, ...title.subtitles].some((t) => isOf(t, of))) lost(`${nameOf(of)} is not listed`);
  const reel = reelOf(title);
  const { assembly, came } = await taken(reading, reel, open);
  verdicts.push(...(await judgePieces(reading, reel, title, truth, assembly, came, open)));
  const pictures = judgePictures(truth, came[0] ?? []);
  for (const what of pictures.wrong) lost(`picture: ${what}`);
  for (const kind of ['audio', 'subtitle'] as const)
    for (const of of kind === 'audio' ? truth.audio : truth.subtitles) {
      // What has other colours, or another form, stands in a track of its own: together they are the one.
      const own = assembly.tracks.flatMap((t, i) => (t.kind === kind && isOf(t.source, of) ? [{ track: t, came: came[i] ?? [] }] : []));
      const all = own.flatMap((o) => o.came).sort((a, b) => a.ticks - b.ticks);
      const swapped = own.some(({ track }) => track.kind === 'audio' && track.lpcm !== null);
      for (const what of judgeTrack(truth, of, all, pictures.starts, { swapped, subtitle: kind === 'subtitle' }))
        lost(`${nameOf(of)}: ${what}`);
    }
  // What the tables name and the content does not have is listed, and empty.
  for (const [i, track] of assembly.tracks.entries()) {
    const known = track.kind === 'audio' ? truth.audio : track.kind === 'subtitle' ? truth.subtitles : null;
    if (known && track.kind !== 'video' && came[i]?.length && !known.some((t) => isOf(track.source, t)))
      lost(`${track.kind} ${track.source.language} is not there at all`);
  }
  const chapters = assembly.outputChapters();
  const expected = truth.chapters.map(({ stretch, at90k }) => {
    const start = pictures.starts[stretch] ?? 0;
    return start + (at90k - (truth.stretches[stretch]?.from90k ?? 0)) * 300;
  });
  // A navigation pack may be a field beside its pictures.
  const slack = title.playlist === null ? FIELD_TICKS : 27_000;
  if (chapters.length !== new Set(expected).size) lost(`${new Set(expected).size} chapters, not ${chapters.length}`);
  else
    [...new Set(expected)]
      .sort((a, b) => a - b)
      .forEach((ticks, i) => {
        const got = chapters[i]?.startTicks ?? 0;
        if (Math.abs(got - ticks) > slack && i > 0) lost(`chapter ${i + 1} begins at ${shown(ticks / 27_000)}, not ${shown(got / 27_000)}`);
      });
  for (const fault of assembly.wholeness().faults)
    if (FAULT_WEIGHTS[fault.kind] === 'damage')
      verdicts.push({
        kind: 'accused',
        title: number,
        what: saidOf(fault),
      });
  return verdicts;
}

const FIELD_TICKS = 21 * 27_000;
const MOST_UNTIL_KEY = 128;
const MOST_EARLY_TICKS = 16 * 27_000;

/** A title is the sum of its pieces: every byte of picture and sound is in one of two, and in one only; and in both joined again. */
async function judgePieces(
  reading: Reading,
  reel: Reel,
  title: Title,
  truth: TitleTruth,
  { tracks }: Assembly,
  came: readonly Came[][],
  open: Open,
): Promise<Verdict[]> {
  const last = title.chapters.length;
  if (last < 2) return [];
  const cut = 1 + (title.number % (last - 1));
  const piece = (fromChapter: number, toChapter: number) => ({ title: title.number, angle: 1, fromChapter, toChapter });
  const two = [piece(1, cut), piece(cut + 1, last)];
  const [first, second, joined, turned] = await Promise.all(
    [two.slice(0, 1), two.slice(1), two, [...two].reverse()].map((pieces) => taken(reading, { ...reel, pieces }, open)),
  );
  const begin = truth.chapters[cut];
  const stretch = truth.stretches[begin?.stretch ?? 0];
  const isJoin = stretch?.isCutBefore === true && begin?.at90k === stretch.from90k;
  const verdicts: Verdict[] = [];
  for (const [i, track] of tracks.entries()) {
    const { kind } = track;
    const lost = (what: string) =>
      verdicts.push({ kind: 'lost', title: title.number, what: `cut at chapter ${cut + 1}, ${kind} ${i}: ${what}` });
    if (kind === 'subtitle') {
      // What is on the screen at the cut is in both pieces, and as long as it is shown in each.
      const drawn = (of: typeof first) => (of?.came[i] ?? []).filter((c) => !clears(c)).map((c) => c.bytes.byteLength);
      // What would be seen for a moment only before another piece begins is not.
      const [apart, without] = [drawn(second), drawn(second).slice(0, -1)].map((own) => [...own, ...drawn(first)].join());
      if (![apart, without].includes(drawn(turned).join()))
        lost(`subtitles of ${apart} bytes are ${drawn(turned).join()} when the second piece comes first`);
      continue;
    }
    const all = bytesOf(came[i]);
    const sum = concatBytes([bytesOf(first?.came[i]), bytesOf(second?.came[i])]);
    // Samples of LPCM follow each other over a join where their stamps are no further apart than 5 ms: a cut behind it may fall so far beside.
    const near = (other: Uint8Array) => kind === 'audio' && track.lpcm !== null && Math.abs(other.byteLength - all.byteLength) <= 960;
    const frame = Math.max(...(came[i] ?? []).map((c) => c.bytes.byteLength));
    // At a join where a player cuts, either side may bring sound that the other has too: no more of it than the picture waits for.
    const spacing = ((came[i]?.at(-1)?.ticks ?? 0) - (came[i]?.[0]?.ticks ?? 0)) / Math.max(1, (came[i]?.length ?? 0) - 1);
    const most = frame * (1 + Math.ceil(MOST_EARLY_TICKS / Math.max(1, spacing)));
    const isOneMore = isJoin && kind === 'audio' && Math.abs(sum.byteLength - all.byteLength) <= most;
    // Of TrueHD, nothing can be heard behind a cut until its next major sync: 128 units of 40 samples at the most.
    const untilKey = kind === 'audio' && track.source.codec === 'TrueHD' ? MOST_UNTIL_KEY * frame : 0;
    const isLater = sum.byteLength < all.byteLength && sum.byteLength + untilKey >= all.byteLength;
    if (!equalBytes(all, sum) && !near(sum) && !isOneMore && !isLater)
      lost(`${all.byteLength} bytes of the whole are ${sum.byteLength} in two pieces`);
    if (!equalBytes(all, bytesOf(joined?.came[i])) && !near(bytesOf(joined?.came[i])))
      lost(`${all.byteLength} bytes are ${bytesOf(joined?.came[i]).byteLength} when they are joined`);
    const apart = concatBytes([bytesOf(second?.came[i]), bytesOf(first?.came[i])]);
    const together = bytesOf(turned?.came[i]);
    if (!equalBytes(apart, together) && (kind !== 'audio' || Math.abs(apart.byteLength - together.byteLength) > most))
      lost(`${apart.byteLength} bytes are ${together.byteLength} when the second piece comes first`);
  }
  for (const fault of turned?.assembly.wholeness().faults ?? [])
    if (FAULT_WEIGHTS[fault.kind] === 'damage')
      verdicts.push({ kind: 'accused', title: title.number, what: `second piece first: ${saidOf(fault)}` });
  return verdicts;
}
