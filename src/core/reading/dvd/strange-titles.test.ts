import { writeDvd } from '../../../../demo/strangers/dvd/disc';
import type { CellPlan, ChainPlan, DvdPlan, SetPlan, SoundPlan, TitlePlan } from '../../../../demo/strangers/dvd/plan';
import { Assembly } from '../../assembly';
import { memorySource } from '../../bytes';
import { findRoles } from '../../findings';
import { DEFAULT_RULES, applyRules, wholeTitleReel } from '../../reels';
import { openImage } from '../../volume';
import { openContent } from '../content';
import type { Reading, Title } from '../model';
import { readDisc } from '../read-disc';

/** Shapes of titles that are allowed and rare, by an author who knows the standard and not the reader. */

const ac3 = (physical: number, more: Partial<SoundPlan> = {}): SoundPlan => ({
  ...{ codec: 'AC-3', channels: 2, physical, seed: 1 + physical, fromFrame: 0, delay90k: 0, tail90k: 0 },
  ...more,
});
const vob = (cells: number, sounds: readonly SoundPlan[], drawn: readonly number[] = []): SetPlan['vobs'][number] => ({
  cells: Array.from({ length: cells }, () => ({ groups: 2 })),
  fromGroup: 0,
  first90k: 150_000,
  sounds,
  drawings: drawn.map((physical) => ({ physical, events: [{ after90k: 9000, units: 15, width: 40, height: 16 }] })),
  stampsAll: false,
  soundLag90k: 9000,
});
const cell = (v: number, c: number, still = 0): CellPlan => ({ vob: v, cell: c, seamless: false, still });
const colours = (first: number) => Array.from({ length: 16 }, (_, i) => first + i);
const chain = (cells: readonly CellPlan[], more: Partial<ChainPlan> = {}): ChainPlan => ({
  ...{ cells, programs: [0], audio: [0], subtitles: [], palette: colours(0x108080), next: null, post: null, times: 'true' },
  ...more,
});

async function disc(set: Partial<SetPlan> & Pick<SetPlan, 'vobs' | 'chains'>, title: Partial<TitlePlan> = {}) {
  const whole: SetPlan = {
    look: { standard: 'PAL', widthPixels: 352, heightPixels: 288, aspect: '4:3' },
    audio: [{ codec: 'AC-3', channels: 2, language: 'en' }],
    subtitles: [],
    titles: [{ chapters: [{ chain: 0, program: 0 }], chains: set.chains.map((_, i) => i), ...title }],
    ...set,
  };
  const plan: DvdPlan = { label: 'STRANGE', sets: [whole], titles: [{ set: 0, title: 0 }], plays: 1 };
  const volume = await openImage(memorySource(plan.label, writeDvd(plan).image));
  const reading = await readDisc(volume);
  return { reading, title: reading.titles[0] as Title, open: (name: string) => openContent(volume, name) };
}

async function assembled({ reading, title, open }: Awaited<ReturnType<typeof disc>>, reel = wholeTitleReel(title, '')) {
  const assembly = new Assembly(reading, reel, open);
  const times: number[][] = assembly.tracks.map(() => []);
  while (await assembly.fill())
    for (let packet = assembly.take(); packet; packet = assembly.take()) times[packet.track]?.push(packet.ticks / 27e6);
  return { assembly, times };
}

const GROUPS_SECONDS = (2 * 13) / 25;

test('tracks of a title are those of all its chains, each by its own map', async () => {
  const card = chain([cell(0, 0)], { audio: [0, null, null], next: 1 });
  const film = chain([cell(1, 0)], { audio: [1, 0, 2], subtitles: [{ full: 3, wide: 0, letterbox: 0, panScan: 0 }] });
  const made = await disc({
    audio: ['en', 'de', 'fr'].map((language) => ({ codec: 'AC-3' as const, channels: 2, language })),
    subtitles: [{ language: 'gd' }],
    vobs: [vob(1, [ac3(0)]), vob(1, [ac3(0), ac3(1), ac3(2)], [3])],
    chains: [card, film],
  });
  expect(made.title.audio.map((t) => t.language)).toEqual(['en', 'de', 'fr']);
  expect(made.title.subtitles.map((t) => t.language)).toEqual(['gd']);
  const { assembly, times } = await assembled(made);
  expect(assembly.wholeness().faults.filter((f) => f.kind !== 'no sound')).toEqual([]);
  // The first goes on in another stream; the others begin with the film.
  expect(times[1]?.[0]).toBeCloseTo(0, 2);
  expect(times[1]?.at(-1)).toBeGreaterThan(2 * GROUPS_SECONDS - 0.1);
  for (const track of [2, 3]) expect(times[track]?.[0]).toBeCloseTo(GROUPS_SECONDS, 1);
  expect(times[4]?.[0]).toBeCloseTo(GROUPS_SECONDS + 0.1, 1);
});

test.each([
  ['its own field', { next: 1 }],
  ['a command', { post: 1 }],
] as const)('a title goes on by %s to what no chapter names', async (_how, leads) => {
  const made = await disc({ vobs: [vob(2, [ac3(0)])], chains: [chain([cell(0, 0)], leads), chain([cell(0, 1)])] });
  expect(made.title.durationMs).toBeCloseTo(2 * GROUPS_SECONDS * 1000, -2);
  expect((await assembled(made)).times[0]).toHaveLength(4 * 13);
});

test('another palette is another track, and its colours are its own', async () => {
  const streams = [{ full: 3, wide: 0, letterbox: 0, panScan: 0 }];
  const made = await disc({
    subtitles: [{ language: 'gd' }],
    vobs: [vob(2, [ac3(0)], [3])],
    chains: [chain([cell(0, 0)], { subtitles: streams, next: 1 }), chain([cell(0, 0)], { subtitles: streams, palette: colours(0x208080) })],
  });
  expect(made.title.subtitles.map((t) => [t.language, (t.palette ?? made.title.palette)[0]])).toEqual([
    ['gd', 0x108080],
    ['gd', 0x208080],
  ]);
  const { assembly, times } = await assembled(made);
  expect(assembly.tracks.flatMap((t) => (t.kind === 'subtitle' ? [t.palette[0]] : []))).toEqual([0x108080, 0x208080]);
  expect(times.slice(2).map((t) => t.length)).toEqual([1, 1]);
});

test('subtitles drawn for other displays are listed, and the house rules say whether they are taken', async () => {
  const made = await disc({
    look: { standard: 'PAL', widthPixels: 720, heightPixels: 576, aspect: '16:9' },
    subtitles: [{ language: 'gd' }],
    vobs: [vob(1, [ac3(0)], [0, 1, 2])],
    chains: [chain([cell(0, 0)], { subtitles: [{ full: 0, wide: 0, letterbox: 1, panScan: 2 }] })],
  });
  expect(made.title.subtitles.map((t) => t.drawnFor)).toEqual(['wide', 'letterbox', 'pan and scan']);
  const taken = (drawings: boolean) => takenSubtitles(made.reading, { drawings });
  expect(taken(true)).toEqual(['', 'Letterbox', 'Pan and scan']);
  expect(taken(false)).toEqual(['']);
});

function takenSubtitles(reading: Reading, more: { readonly drawings: boolean }): string[] {
  const findings = { ...findRoles(reading), titles: findRoles(reading).titles.map((f) => ({ ...f, role: 'main' as const })) };
  return applyRules(reading, findings, { ...DEFAULT_RULES, ...more }).reels[0]?.subtitles.map((t) => t.name) ?? [];
}

test('sound that no table names is offered, and is taken where there is no other', async () => {
  const silent = await disc({ vobs: [vob(1, [ac3(0)])], chains: [chain([cell(0, 0)], { audio: [null] })] });
  expect(silent.title.audio).toMatchObject([{ codec: 'AC-3', language: null, unclaimed: true }]);
  expect(wholeTitleReel(silent.title, '').audio.map((t) => t.name)).toEqual(['Not in the tables']);
  const beside = await disc({ vobs: [vob(1, [ac3(0), ac3(5)])], chains: [chain([cell(0, 0)])] });
  expect(beside.title.audio.map((t) => t.unclaimed ?? false)).toEqual([false, true]);
  expect(wholeTitleReel(beside.title, '').audio).toHaveLength(1);
});

test('a stream that shows itself late and no table names is said by the master', async () => {
  const late = ac3(5, { delay90k: 150_000, tail90k: 0 });
  const made = await disc({
    vobs: [{ ...vob(1, [ac3(0), late]), cells: [{ groups: 12 }] }],
    chains: [chain([cell(0, 0)])],
  });
  expect(made.title.audio).toHaveLength(1);
  expect((await assembled(made)).assembly.wholeness().faults).toMatchObject([{ kind: 'no track', count: 1, content: 'VTS_01' }]);
});

test.each(['zero', 'absurd'] as const)('lengths that are %s are read from the clock of the content', async (times) => {
  const made = await disc({ vobs: [vob(2, [ac3(0)])], chains: [chain([cell(0, 0), cell(0, 1)], { times })] });
  expect(made.title.durationMs).toBeCloseTo(2 * GROUPS_SECONDS * 1000, -1);
  expect(made.reading.remarks).toMatchObject([{ code: 'table-damaged', severity: 'note', title: 1 }]);
  expect((await assembled(made)).assembly.wholeness().faults).toEqual([]);
});

test('a still stands for the time that the disc says, one without an end for a while, and both are said', async () => {
  const made = await disc({ vobs: [vob(2, [])], audio: [], chains: [chain([cell(0, 0, 7), cell(0, 1, 255)], { audio: [] })] });
  expect(made.reading.remarks).toMatchObject([{ code: 'stills', severity: 'note' }]);
  expect(made.title.durationMs).toBe(Math.round(2 * GROUPS_SECONDS * 1000) + 17_000);
  const { assembly, times } = await assembled(made);
  expect((times[0]?.[26] ?? 0) - (times[0]?.[0] ?? 0)).toBeCloseTo(GROUPS_SECONDS + 7, 3);
  expect(assembly.endTicks / 27e6).toBeCloseTo(2 * GROUPS_SECONDS + 17, 3);
  expect(assembly.wholeness().faults).toEqual([]);
});

test('the next part waits for sound that goes on, and for sound that begins before its picture', async () => {
  const made = await disc({
    vobs: [vob(1, [ac3(0, { tail90k: 2700 })]), vob(1, [ac3(0, { delay90k: -1800 })])],
    chains: [chain([cell(0, 0), cell(1, 0)])],
  });
  const { assembly, times } = await assembled(made);
  expect([...assembly.account(1).left]).toEqual([]);
  const heard = times[1] ?? [];
  heard.slice(1).forEach((t, i) => {
    expect(t - (heard[i] ?? 0)).toBeGreaterThan(0.0319);
  });
  const gap = (times[0]?.[26] ?? 0) - (times[0]?.[0] ?? 0) - GROUPS_SECONDS;
  expect(gap).toBeGreaterThan(0.02);
  expect(gap).toBeLessThan(0.09);
});

test('a title of cells from inside a VOB, in another order, is whole: a jump is a cut, and no damage', async () => {
  const made = await disc({ vobs: [vob(4, [ac3(0)])], chains: [chain([cell(0, 2), cell(0, 1), cell(0, 3)])] });
  const { assembly, times } = await assembled(made);
  expect(times[0]).toHaveLength(3 * 26);
  expect(assembly.wholeness().faults).toEqual([]);
  // Sound for all of it, but for the one frame that may lie over each cut.
  expect(times[1]?.length).toBeGreaterThanOrEqual(Math.floor((3 * GROUPS_SECONDS) / 0.032) - 3);
});
