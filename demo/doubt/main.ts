import { readFileSync } from 'node:fs';
import path from 'node:path';
import type { Fault, Reading, Title } from '@/core/reading';
import { readNavigationPack, TransportDemux } from '@/core/streams';
import { SECTOR_BYTES } from '@/core/volume';
import { seeded } from '@/test-support/random';
import { groundsOf, indexMutation, mutationOf, type Mutation } from './mutations';
import { outcomeOf, prove, structuresOf, type Outcome } from './outcome';

/**
 * The truth, mutated: discs and masters are spoilt in known ways, and made and proven again. What comes out other than from
 * the whole disc has to be refused, or named with its place; and nothing may be said against what is whole.
 */

const [count = '1000', firstSeed = '1', verbose = ''] = process.argv.slice(2);
const COUNT = Number(count);
const ROOT = path.join('.cache', 'fixtures', 'proving', 'discs');

interface Subject {
  readonly name: string;
  readonly image: Uint8Array;
  readonly title: number;
}

const load = (name: string) => new Uint8Array(readFileSync(path.join(ROOT, name)));
const images = new Map(['QUAY.iso', 'LOCKS.iso', 'TWIN.iso', 'SEAM.iso'].map((name) => [name, load(name)]));
const SUBJECTS: readonly Subject[] = (
  [
    ['QUAY.iso', 2],
    ['QUAY.iso', 1],
    ['LOCKS.iso', 2],
    ['LOCKS.iso', 1],
    ['TWIN.iso', 1],
    ['TWIN.iso', 2],
    ['SEAM.iso', 1],
    ['SEAM.iso', 2],
  ] as const
).map(([name, title]) => ({ name: `${name} title ${title}`, image: images.get(name) as Uint8Array, title }));

/** One mutation in so many is of a table. */
const INDEX_EVERY = 10;
/** A group of pictures, and a little: a place is named where it is nearer than that. */
const NEAR_MS = 1300;
const NEAR_SECTORS = 48;

/** Times in the title by sector of a content: from navigation packs, or from the stamps of pictures. */
function timesOf(subject: Subject, reading: Reading, title: Title): (content: string, sector: number) => number[] {
  const known: { content: string; sector: number; ms: number }[] = [];
  let base = 0;
  for (const ground of groundsOf(reading, title)) {
    const { segment } = ground;
    const isFirstAngle = title.parts.some((p) => p.segment === segment.id && (p.angle ?? 1) === 1);
    if (!isFirstAngle) continue;
    const data = subject.image.slice(ground.startByte, ground.startByte + ground.units * ground.unit);
    if (segment.kind === 'clip') {
      const demux: TransportDemux = new TransportDemux({
        transport: (_pid, _data, _from, _to, pts90k, _dts, starts) => {
          const byte = (segment.firstPacket + demux.packet) * ground.unit;
          if (starts)
            known.push({ content: segment.content, sector: Math.floor(byte / SECTOR_BYTES), ms: base + (pts90k - segment.in90k) / 90 });
        },
        scrambled: () => undefined,
      });
      demux.want(title.video.stream);
      demux.feed(data, 0, data.byteLength);
    } else {
      let first: number | null = null;
      for (let i = 0; i < ground.units; i++) {
        const pack = readNavigationPack(data, i * SECTOR_BYTES);
        if (!pack) continue;
        first ??= pack.startPts90k;
        known.push({ content: segment.content, sector: segment.firstSector + i, ms: base + (pack.startPts90k - first) / 90 });
      }
    }
    base += segment.durationMs;
  }
  return (content, sector) => {
    const before = known.filter((k) => k.content === content && k.sector <= sector).at(-1);
    return before ? [before.ms] : [0];
  };
}

const isNear = (fault: Fault, mutation: Mutation, times: readonly number[]): boolean => {
  const { place } = mutation;
  if (!place) return true;
  const onDisc =
    fault.content === place.content &&
    fault.firstSector - NEAR_SECTORS <= place.lastSector &&
    fault.lastSector + NEAR_SECTORS >= place.firstSector;
  return onDisc || times.some((ms) => Math.abs(fault.atMs - ms) <= NEAR_MS + (fault.content === null ? (fault.ms ?? 0) : 0));
};

/** A subtitle on the screen at a cut is nothing wrong, and speaks for nothing. */
const wrong = (faults: readonly Fault[]) => faults.filter((f) => f.kind !== 'over the cut');

const tally = { refused: 0, 'no effect': 0, named: 0, 'without a place': 0, 'without a word': 0, unknowable: 0, 'false alarm': 0 };
const unknowable = new Map<string, number>();
const holes: string[] = [];

async function judge(
  subject: Subject,
  clean: Outcome,
  spoilt: Outcome,
  mutation: Mutation,
  times: readonly number[],
): Promise<keyof typeof tally> {
  if (spoilt.refused !== null) return 'refused';
  if (spoilt.digest === clean.digest) return 'no effect';
  const fresh = spoilt.words.filter((w) => !clean.words.includes(w));
  const faults = wrong(spoilt.faults).filter((f) => !clean.faults.some((c) => c.kind === f.kind && c.atMs === f.atMs));
  if (faults.some((f) => isNear(f, mutation, times))) return 'named';
  if (mutation.place === null && fresh.length > 0) return 'named';
  if (mutation.unknowable !== null && faults.length === 0 && fresh.length === 0 && (await onlyUnknowable(subject, spoilt, mutation))) {
    unknowable.set(mutation.unknowable, (unknowable.get(mutation.unknowable) ?? 0) + 1);
    return 'unknowable';
  }
  return faults.length > 0 || fresh.length > 0 ? 'without a place' : 'without a word';
}

/** What no check knows of explains all that is different. */
async function onlyUnknowable(subject: Subject, spoilt: Outcome, mutation: Mutation): Promise<boolean> {
  const copy = subject.image.slice();
  mutation.apply(copy, true);
  return (await outcomeOf(copy, subject.title)).digest === spoilt.digest;
}

const cleans = new Map<Subject, Outcome>();
for (const subject of SUBJECTS) {
  const clean = await outcomeOf(subject.image, subject.title);
  cleans.set(subject, clean);
  const title = clean.reading?.titles.find((t) => t.number === subject.title);
  const chapters = title?.chapters.map((c) => [{ title: subject.title, angle: 1, fromChapter: c.number, toChapter: c.number }]) ?? [];
  for (const outcome of [clean, ...(await Promise.all(chapters.map((pieces) => outcomeOf(subject.image, subject.title, pieces))))]) {
    if (outcome.refused === null && wrong(outcome.faults).length === 0 && outcome.made?.proof.passed === true) continue;
    tally['false alarm']++;
    holes.push(
      `false alarm: ${subject.name} ${outcome.refused ?? ''} ${JSON.stringify(outcome.faults.slice(0, 3))} ${outcome.words.join('; ')}`,
    );
  }
}

for (let seed = Number(firstSeed); seed < Number(firstSeed) + COUNT; seed++) {
  const random = seeded(seed);
  const subject = SUBJECTS[random.int(SUBJECTS.length)] as Subject;
  const clean = cleans.get(subject) as Outcome;
  const title = clean.reading?.titles.find((t) => t.number === subject.title);
  if (!clean.reading || !title) continue;
  const mutation =
    random.int(INDEX_EVERY) === 0
      ? indexMutation(subject.image, await structuresOf(subject.image), random)
      : mutationOf(groundsOf(clean.reading, title), title, subject.image, random);
  const copy = subject.image.slice();
  mutation.apply(copy);
  const spoilt = await outcomeOf(copy, subject.title);
  const { place } = mutation;
  const times = place ? timesOf(subject, clean.reading, title)(place.content, place.firstSector) : [];
  const verdict = await judge(subject, clean, spoilt, mutation, times);
  tally[verdict]++;
  const line = `seed ${seed} ${subject.name}: ${mutation.what} at ${times.map((t) => t.toFixed(0)).join()} ms: ${verdict} ${spoilt.refused ?? ''} ${JSON.stringify(spoilt.faults.slice(0, 3))}`;
  if (verdict === 'without a word' || verdict === 'without a place') holes.push(line);
  if (verbose !== '') console.log(line);
}

// Masters spoilt after they were made.
const fileTally = { 'by its structure': 0, 'by a part’s hash': 0, 'only by the whole file’s hash': 0, passed: 0 };
for (let seed = 0; seed < COUNT / 4; seed++) {
  const random = seeded(1_000_000 + Number(firstSeed) + seed);
  const subject = SUBJECTS[random.int(SUBJECTS.length)] as Subject;
  const made = cleans.get(subject)?.made;
  if (!made) continue;
  const copy = made.file.slice();
  const at = random.int(2) ? random.int(copy.byteLength) : random.int(Math.min(16_384, copy.byteLength));
  const length = 1 + random.int(random.int(2) ? 4 : 4000);
  const how = random.int(3);
  if (how === 0) copy.fill(0, at, at + length);
  else if (how === 1) copy.copyWithin(at, at + length, at + 2 * length);
  else copy[at] = (copy[at] ?? 0) ^ (1 << random.int(8));
  if (Buffer.compare(copy, made.file) === 0) continue;
  try {
    const proof = await prove(copy, made.promise);
    if (!proof.passed) fileTally['by its structure']++;
    else if (!(await prove(copy, made.promise, { parts: made.proof.parts })).passed) fileTally['by a part’s hash']++;
    else fileTally['only by the whole file’s hash']++;
  } catch {
    fileTally['by its structure']++;
  }
}

console.log(`${count} spoilt sources:`);
for (const [name, n] of Object.entries(tally)) console.log(`  ${name.padEnd(18)} ${String(n).padStart(5)}`);
for (const [stream, n] of unknowable) console.log(`    no check in the stream knows of it: ${stream} ${n}`);
console.log('spoilt files, found');
for (const [name, n] of Object.entries(fileTally)) console.log(`  ${name.padEnd(30)} ${String(n).padStart(5)}`);
for (const hole of holes.slice(0, 40)) console.log(hole);
process.exitCode = holes.length > 0 ? 1 : 0;
