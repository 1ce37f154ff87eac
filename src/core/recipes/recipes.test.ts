import { RecipeSchema } from '@/contract';
import { seeded } from '@/test-support/random';
import {
  COPY_AUDIO,
  COPY_VIDEO,
  CONTAINERS,
  CORNERS,
  DEINTERLACE,
  DENOISE,
  DRAWN,
  EFFORTS,
  MOST_CHANNELS,
  QUALITY,
  SHIPPED,
  SPEEDS,
  TARGETS,
  TUNINGS,
  TURNS,
  chapterText,
  copyBytes,
  encoderArguments,
  endingsOf,
  filesOf,
  filtersOf,
  firstPassArguments,
  obstaclesOn,
  planEncode,
  recipesById,
  shapeOfPlan,
  whyWhole,
  withLoudness,
  withRecipe,
  type EncodeFacts,
  type Recipe,
} from '.';

const access = SHIPPED[0] as Recipe;
const recipe = (
  change: Partial<Record<'video' | 'picture' | 'audio', object>> & Partial<Pick<Recipe, 'container' | 'subtitles'>>,
): Recipe => ({
  ...access,
  ...change,
  video: { ...access.video, ...change.video },
  picture: { ...access.picture, ...change.picture },
  audio: { ...access.audio, ...change.audio },
});

/** A PAL disc's title: 16:9, interlaced by its tables, with surround, stereo and two subtitle tracks. */
const PAL: EncodeFacts = {
  video: {
    codec: 'MPEG-2',
    widthPixels: 720,
    heightPixels: 576,
    displayAspect: [16, 9],
    frameTicks: 1_080_000,
    bitDepth: 8,
    dynamicRange: 'standard',
    twoViews: false,
  },
  flaggedInterlaced: true,
  measured: null,
  audio: [
    { codec: 'AC-3', channels: 6, name: '' },
    { codec: 'LPCM', channels: 2, name: '' },
  ],
  subtitles: [
    { codec: 'VobSub', forced: false },
    { codec: 'SubRip', forced: false },
  ],
  chapters: 3,
  durationMs: 600_000,
};
const NO_BARS = { top: 0, bottom: 0, left: 0, right: 0 };
const measured = (scan: 'progressive' | 'interlaced' | 'film with pulldown' | 'mixed', combed: number, bars = NO_BARS): EncodeFacts => ({
  ...PAL,
  measured: { scan, combed, bars },
});
const codesOf = (r: Recipe, facts: EncodeFacts) => planEncode(r, facts).reasons.map((reason) => reason.code);
const filters = (r: Recipe, facts: EncodeFacts) => filtersOf(planEncode(r, facts));

describe('what is done along time', () => {
  const BWDIF = 'bwdif=mode=send_frame:parity=auto:deint=';
  test.each<[string, EncodeFacts, object, string, string]>([
    ['flags alone leave whole frames alone', PAL, {}, `${BWDIF}interlaced`, 'deinterlaced by flags'],
    ['a progressive stream is left', { ...PAL, flaggedInterlaced: false }, {}, '', 'not interlaced by flags'],
    [
      'samples overrule flags that lie',
      { ...measured('interlaced', 0.8), flaggedInterlaced: false },
      {},
      `${BWDIF}all`,
      'deinterlaced by samples',
    ],
    ['samples overrule tables that lie', measured('progressive', 0.01), {}, '', 'not interlaced'],
    ['of a mixed title only what is flagged', measured('mixed', 0.3), {}, `${BWDIF}interlaced`, 'deinterlaced by samples'],
    [
      'film over video',
      measured('film with pulldown', 0.4),
      {},
      'repeatfields,fieldmatch=order=auto:combmatch=full,bwdif=mode=send_frame:deint=interlaced,decimate',
      'film restored',
    ],
    ['film by flags is whole already', measured('film with pulldown', 0.02), {}, '', 'film as it is'],
    [
      'not where the recipe does not want it',
      measured('film with pulldown', 0.4),
      { film: 'never' },
      `${BWDIF}interlaced`,
      'deinterlaced by samples',
    ],
    ['fields become frames', PAL, { deinterlace: 'fields' }, 'bwdif=mode=send_field:parity=auto:deint=all', 'fields become frames'],
    ['never', PAL, { deinterlace: 'never' }, '', 'kept interlaced'],
  ])('%s', (_name, facts, picture, chain, code) => {
    expect(filters(recipe({ picture }), facts)).toBe(chain);
    expect(codesOf(recipe({ picture }), facts)).toContain(code);
  });

  test('fields that stay are coded as fields; what is deinterlaced is not', () => {
    const kept = encoderArguments(planEncode(recipe({ picture: { deinterlace: 'never' } }), PAL), 'in', 'out');
    expect(kept.join(' ')).toContain('-flags +ilme+ildct');
    expect(encoderArguments(planEncode(access, PAL), 'in', 'out').join(' ')).not.toContain('ilme');
  });
});

describe('what is done to the shape', () => {
  const shape = (r: Recipe, facts: EncodeFacts) => {
    const { widthPixels, heightPixels, displayAspect } = planEncode(r, facts).video;
    return [widthPixels, heightPixels, Number(displayAspect.toFixed(3))];
  };
  test.each<[string, object, EncodeFacts, readonly number[], string]>([
    ['as it is, the shape in the container', {}, PAL, [720, 576, 1.778], ''],
    ['square pixels', { pixels: 'square' }, PAL, [1024, 576, 1.778], 'scale=1024:576:flags=lanczos,setsar=1'],
    ['fewer rows, the same shape', { mostRows: 288 }, PAL, [360, 288, 1.778], 'scale=360:288:flags=lanczos'],
    ['more rows than there are make nothing larger', { mostRows: 1080 }, PAL, [720, 576, 1.778], ''],
    // 74 rows of bars on either side of a film of 2.39 : 1; an odd column of a bar stays.
    [
      'bars',
      { bars: 'crop' },
      measured('progressive', 0, { top: 74, bottom: 75, left: 3, right: 0 }),
      [718, 428, 2.386],
      'crop=718:428:2:74',
    ],
    [
      'bars, then size: the shape is that of what is left',
      { bars: 'crop', pixels: 'square', mostRows: 360 },
      measured('progressive', 0, { top: 72, bottom: 72, left: 0, right: 0 }),
      [854, 360, 2.37],
      'crop=720:432:0:72,scale=854:360:flags=lanczos,setsar=1',
    ],
    [
      'odd sizes become even',
      {},
      { ...PAL, video: { ...PAL.video, widthPixels: 853, heightPixels: 481 } },
      [852, 480, 1.778],
      'scale=852:480:flags=lanczos',
    ],
    ['not measured, nothing cut', { bars: 'crop' }, PAL, [720, 576, 1.778], ''],
  ])('%s', (_name, picture, facts, expected, chain) => {
    const r = recipe({ picture: { ...picture, deinterlace: 'never' } });
    expect(shape(r, facts)).toEqual(expected);
    expect(filters(r, facts)).toBe(chain);
  });

  test('without loss odd sizes stay; where the container wants another codec they do not', () => {
    const odd: EncodeFacts = { ...PAL, video: { ...PAL.video, widthPixels: 853, heightPixels: 481 } };
    const lossless = { video: { codec: 'FFV1' }, picture: { deinterlace: 'never' } };
    expect(shape(recipe({ ...lossless, container: 'Matroska' }), odd)).toEqual([853, 481, 1.778]);
    expect(shape(recipe({ ...lossless, container: 'MP4' }), odd)).toEqual([852, 480, 1.778]);
  });

  test('bars set by hand go before those of samples; where they cut picture that is told, and something stays in any case', () => {
    const found = measured('progressive', 0, { top: 72, bottom: 72, left: 0, right: 0 });
    const crop = recipe({ picture: { bars: 'crop' } });
    const byHand = (bars: EncodeFacts['barsByHand']): EncodeFacts => ({ ...found, barsByHand: bars ?? null });
    expect(filters(crop, byHand({ top: 60, bottom: 64, left: 0, right: 8 }))).toBe('crop=712:452:0:60');
    const told = (facts: EncodeFacts) =>
      planEncode(crop, facts).reasons.flatMap((r) => (r.code === 'crop cuts picture' ? [[r.values[0], r.weight]] : []));
    expect(told(byHand({ top: 60, bottom: 64, left: 0, right: 0 }))).toEqual([]);
    expect(told(byHand({ top: 80, bottom: 72, left: 6, right: 0 }))).toEqual([[14, 'eyes']]);
    expect(shape(crop, byHand({ top: 400, bottom: 400, left: 0, right: 0 }))[1]).toBe(576);
    // A title that was not measured, and a recipe that keeps its bars.
    expect(
      filters(recipe({ picture: { bars: 'crop', deinterlace: 'never' } }), {
        ...PAL,
        barsByHand: { top: 8, bottom: 8, left: 0, right: 0 },
      }),
    ).toBe('crop=720:560:0:8');
    expect(filters(access, byHand({ top: 60, bottom: 60, left: 0, right: 0 }))).toBe('');
  });

  test('where fields stay, rows are cut in fours: colour of a field stands for two of its rows', () => {
    const bars = { top: 75, bottom: 73, left: 0, right: 0 };
    const facts = { ...measured('interlaced', 0.9, bars), flaggedInterlaced: true };
    expect(filters(recipe({ picture: { bars: 'crop', deinterlace: 'never' } }), facts)).toBe('crop=720:432:0:72');
  });
});

describe('sound and subtitles', () => {
  const audioOf = (r: Recipe, facts = PAL) => planEncode(r, facts).audio.map((a) => [a.source, a.codec, a.channels, a.kbps]);
  test.each<[string, object, readonly (readonly unknown[])[]]>([
    [
      'AAC by channel',
      {},
      [
        [0, 'AAC', 6, 480],
        [1, 'AAC', 2, 160],
      ],
    ],
    [
      'mixed down',
      { mostChannels: 2 },
      [
        [0, 'AAC', 2, 160],
        [1, 'AAC', 2, 160],
      ],
    ],
    [
      'AC-3 at a rate that it knows',
      { codec: 'AC-3', kbpsPerChannel: 70 },
      [
        [0, 'AC-3', 6, 448],
        [1, 'AC-3', 2, 160],
      ],
    ],
    [
      'what MP4 carries is copied, the rest is not',
      { codec: 'as it is' },
      [
        [0, 'copy', 6, null],
        [1, 'AAC', 2, 160],
      ],
    ],
    ['the first only', { tracks: 'first' }, [[0, 'AAC', 6, 480]]],
    [
      'stereo beside',
      { codec: 'as it is', stereoBeside: true },
      [
        [0, 'copy', 6, null],
        [0, 'AAC', 2, 160],
        [1, 'AAC', 2, 160],
      ],
    ],
  ])('%s', (_name, audio, expected) => {
    expect(audioOf(recipe({ audio }))).toEqual(expected);
  });

  test('text is converted, pictures are left where the container has no place for them, and that is said', () => {
    expect(planEncode(access, PAL).subtitles).toEqual([{ source: 1, codec: 'text of MP4' }]);
    expect(planEncode(access, PAL).reasons.find((r) => r.code === 'subtitle left')).toMatchObject({ track: 0, weight: 'eyes' });
    expect(planEncode(recipe({ container: 'Matroska' }), PAL).subtitles).toHaveLength(2);
    expect(planEncode(recipe({ subtitles: { kept: 'none', drawn: 'none' } }), PAL).subtitles).toEqual([]);
  });
});

test('what is shown even while subtitles are off is drawn where the disc has it, and is no track beside that', () => {
  const forced: EncodeFacts = {
    ...PAL,
    subtitles: [
      { codec: 'VobSub', forced: false },
      { codec: 'VobSub', forced: true },
    ],
  };
  const drawn = recipe({ container: 'Matroska', picture: { pixels: 'square' }, subtitles: { kept: 'all', drawn: 'forced' } });
  const plan = planEncode(drawn, forced);
  expect(plan.subtitles).toEqual([{ source: 0, codec: 'copy' }]);
  expect(filtersOf(plan)).toBe(
    '[0:v:0]bwdif=mode=send_frame:parity=auto:deint=interlaced[frames];[frames][0:s:1]overlay=eof_action=pass:repeatlast=0[drawn];[drawn]scale=1024:576:flags=lanczos,setsar=1[picture]',
  );
  expect(encoderArguments(plan, 'in', 'out').slice(0, 16)).toContain('[picture]');
  expect(codesOf(drawn, PAL)).toContain('nothing forced');
  const text: EncodeFacts = { ...PAL, subtitles: [{ codec: 'SubRip', forced: true }] };
  expect(filtersOf(planEncode(drawn, text))).toMatch(/^bwdif[^,]*,subtitles=filename=source.mkv:si=0,scale=/);
  const first = recipe({ container: 'Matroska', subtitles: { kept: 'all', drawn: 'first' } });
  expect(planEncode(first, forced).subtitles).toEqual([{ source: 1, codec: 'copy' }]);
  expect(codesOf(first, { ...PAL, subtitles: [] })).toContain('nothing to draw');
  expect(codesOf(first, { ...PAL, subtitles: [{ codec: 'text', forced: false }] })).toContain('subtitle can not be drawn');
});

describe('codecs and containers', () => {
  test.each<[Partial<Recipe>, object, string, string]>([
    [{ container: 'WebM' }, { codec: 'H.264' }, 'VP9', 'codec not in container'],
    [{ container: 'WebM' }, { codec: 'as it is' }, 'VP9', 'video can not be copied'],
    [{ container: 'MP4' }, { codec: 'as it is' }, 'copy', 'video copied'],
    [{ container: 'MP4' }, { codec: 'FFV1' }, 'H.264', 'codec not in container'],
    [{ container: 'Matroska' }, { codec: 'FFV1' }, 'FFV1', 'lossless video'],
  ])('%j with %j', (container, video, codec, code) => {
    const r = recipe({ ...container, video });
    expect(planEncode(r, PAL).video.codec).toBe(codec);
    expect(codesOf(r, PAL)).toContain(code);
  });

  test('both views that were tried and can not be decoded are not asked for: the reason is told, and the copy is one of the first view', () => {
    const views = { layout: 'side by side, half', swapped: false } as const;
    const of = (viewsRefused: string | null) =>
      planEncode({ ...access, views }, { ...PAL, video: { ...PAL.video, twoViews: true, viewsRefused } });
    expect(of(null).video.steps.map((s) => s.kind)).toContain('pair');
    const refused = of('Its pictures are coded as fields');
    expect(refused.video.steps.map((s) => s.kind)).not.toContain('pair');
    expect(refused.reasons).toContainEqual(
      expect.objectContaining({ code: 'second view refused', values: ['Its pictures are coded as fields'], weight: 'eyes' }),
    );
    expect(refused.video.widthPixels).toBe(planEncode(access, PAL).video.widthPixels);
  });

  test('a picture that eight bits can not hold, and a second view, are told before they are lost', () => {
    const hdr: EncodeFacts = { ...PAL, video: { ...PAL.video, codec: 'HEVC', bitDepth: 10, dynamicRange: 'HDR10', twoViews: true } };
    const eyes = (r: Recipe) => planEncode(r, hdr).reasons.flatMap((x) => (x.about !== 'subtitles' && x.weight === 'eyes' ? [x.code] : []));
    expect(eyes(access)).toEqual(['second view left', 'high dynamic range']);
    expect(eyes(recipe({ video: { codec: 'HEVC, 10 bit' } }))).toEqual(['second view left']);
    expect(eyes(recipe({ container: 'Matroska', video: { codec: 'AV1' } }))).toEqual(['second view left']);
    expect(eyes(recipe({ container: 'Matroska', video: { codec: 'FFV1' } }))).toEqual(['second view left', 'brightness figures left']);
    expect(eyes(recipe({ picture: { range: 'standard' } }))).toEqual(['second view left']);
    expect(codesOf(recipe({ picture: { range: 'standard' } }), PAL)).toContain('range is standard');
    expect(planEncode(recipe({ container: 'Matroska', video: { codec: 'AV1' } }), hdr).video.bitDepth).toBe(10);
  });
});

test('whatever is allowed in a recipe, all that a program is told comes from our own lists and numbers', () => {
  const random = seeded(12);
  const known = new Set<string>();
  for (let i = 0; i < 3000; i++) {
    const r = RecipeSchema.parse({
      ...access,
      id: 'own-x',
      name: 'name; rm -rf /',
      note: '$(reboot)',
      suffix: ' (x)',
      container: random.pick(CONTAINERS),
      video: {
        codec: random.pick(COPY_VIDEO),
        quality: random.pick([null, random.int(64)]),
        rate: random.pick([
          null,
          { kind: 'average', kbps: 100 + random.int(9000) } as const,
          { kind: 'size', megabytes: 1 + random.int(9000) } as const,
        ]),
        effort: random.pick(EFFORTS),
        tuning: random.pick(TUNINGS),
        keySeconds: random.pick([null, 0.1 + random.int(59)]),
        frameRate: random.pick(['kept', 'constant'] as const),
      },
      speed: random.pick(SPEEDS),
      picture: {
        deinterlace: random.pick(DEINTERLACE),
        deinterlacer: random.pick(['usual', 'thorough'] as const),
        grow: random.pick([true, false]),
        range: random.pick(['kept', 'standard'] as const),
        mark: random.pick([
          null,
          {
            kind: 'text',
            text: 'a:b,c;[d]=$(reboot)',
            corner: random.pick(CORNERS),
            heightPercent: 1 + random.int(50),
            opacityPercent: 5 + random.int(96),
          } as const,
        ]),
        film: random.pick(['measured', 'never'] as const),
        bars: random.pick(['keep', 'crop'] as const),
        mostRows: random.pick([null, 64 + random.int(4000)]),
        pixels: random.pick(['as they are', 'square'] as const),
        denoise: random.pick(DENOISE),
        turn: random.pick(TURNS),
        mirror: random.pick([true, false]),
        brightness: random.int(101) - 50,
        contrast: random.int(101) - 50,
        saturation: random.int(101) - 50,
        hue: random.int(361) - 180,
      },
      audio: {
        codec: random.pick(COPY_AUDIO),
        kbpsPerChannel: random.pick([null, 16 + random.int(490)]),
        mostChannels: random.pick(MOST_CHANNELS),
        stereoBeside: random.pick([true, false]),
        tracks: random.pick(['all', 'first'] as const),
        loudness: random.pick([null, -10 - random.int(21)]),
        gainDb: random.int(61) - 30,
        delayMs: random.int(20_001) - 10_000,
        pitch: random.pick(['kept', 'falls'] as const),
      },
      subtitles: { kept: random.pick(['all', 'none'] as const), drawn: random.pick(DRAWN) },
    });
    const bar = () => random.int(100);
    const facts: EncodeFacts = {
      ...PAL,
      video: {
        ...PAL.video,
        widthPixels: 16 + 2 * random.int(1900),
        heightPixels: 260 + 2 * random.int(900),
        displayAspect: [1 + random.int(20), 9],
      },
      measured: random.pick([
        null,
        {
          scan: random.pick(['progressive', 'interlaced', 'film with pulldown', 'mixed'] as const),
          combed: random.int(100) / 100,
          bars: { top: bar(), bottom: bar(), left: random.int(6), right: random.int(6) },
        },
      ]),
    };
    const plan = planEncode(r, facts);
    const args = [...encoderArguments(plan, 'pipe:0', 'out', 'log'), ...firstPassArguments(plan, 'in', 'log')];
    for (const a of args) for (const word of a.split(/[,:;=[\]']/)) known.add(word.replace(/-?\d+(\.\d+)?/g, '#'));
    expect(plan.video.widthPixels).toBeGreaterThan(0);
    expect([plan.video.widthPixels % 2, plan.video.heightPixels % 2]).toEqual([0, 0]);
    const { codec, quality, rate } = plan.video;
    if (quality !== null && codec !== 'copy' && codec !== 'FFV1') {
      expect(quality).toBeGreaterThanOrEqual(QUALITY[codec].best);
      expect(quality).toBeLessThanOrEqual(QUALITY[codec].least);
    }
    if (rate) expect(quality).toBeNull();
    const size = copyBytes(plan, facts, 60_000, 1e8);
    expect(Number.isFinite(size) && size > 0).toBe(true);
  }
  expect([...known].filter((a) => a.includes('rm') && !a.includes('format')).concat([...known].filter((a) => /[;$`|]/.test(a)))).toEqual(
    [],
  );
  expect(known.size).toBeLessThan(230);
});

describe('a size that is wished', () => {
  const sized = (megabytes: number, more: object = {}) => recipe({ video: { rate: { kind: 'size', megabytes } }, ...more });

  test('leaves to the picture what the sound does not take; all together it is what was wished', () => {
    const plan = planEncode(sized(500), PAL);
    const sound = plan.audio.reduce((sum, a) => sum + (a.kbps ?? 0), 0);
    const bytes = (((plan.video.rate?.kbps ?? 0) + sound) * PAL.durationMs) / 8;
    expect(plan.video.rate?.passes).toBe(2);
    expect(bytes / 500e6).toBeGreaterThan(0.98);
    expect(bytes).toBeLessThanOrEqual(500e6);
  });

  test('that nothing can meet is told; an encoder with one pass too', () => {
    const told = (r: Recipe) => planEncode(r, PAL).reasons.flatMap((x) => (x.about === 'video' && x.weight === 'eyes' ? [x.code] : []));
    expect(told(sized(5))).toEqual(['by size', 'rate is thin']);
    expect(told(sized(500))).toEqual([]);
    expect(codesOf(sized(500, { container: 'Matroska', video: { codec: 'AV1', rate: { kind: 'size', megabytes: 500 } } }), PAL)).toContain(
      'one pass only',
    );
  });
});

test('a track is made as loud as was wished, and never so loud that it clips', () => {
  const plan = planEncode(recipe({ audio: { loudness: -16 } }), PAL);
  const gains = (lufs: number, peakDb: number) => withLoudness(plan, [{ lufs, peakDb }, null]).audio.map((a) => a.gainDb);
  expect(gains(-23, -12)).toEqual([7, 0]);
  expect(gains(-23, -4)).toEqual([3, 0]);
  expect(gains(-10, 0)).toEqual([-6, 0]);
  expect(gains(-23, 0.5)).toEqual([0, 0]);
});

test.each<[string, readonly string[]]>([
  ['access', ['phone', 'television', 'browser', 'server']],
  ['lending', ['phone', 'television', 'browser', 'server', 'upload']],
  ['catalogue-page', ['browser', 'server', 'upload']],
  ['shelf-saver', ['server']],
  ['old-player', ['dvd-age']],
  ['preservation', []],
])('the recipe %s plays on %j, by its plan', (id, names) => {
  const r = recipesById().get(id) as Recipe;
  const facts: EncodeFacts = { ...PAL, audio: [{ codec: 'AC-3', channels: 6, name: '' }] };
  const plays = TARGETS.filter((t) => obstaclesOn(t, shapeOfPlan(planEncode(r, facts), facts, 1e9)).length === 0).map((t) => t.id);
  expect(plays).toEqual(names);
});

test('what stands in the way of a player is said with its limit', () => {
  const wide: EncodeFacts = { ...PAL, video: { ...PAL.video, widthPixels: 3840, heightPixels: 2160 }, flaggedInterlaced: false };
  const of = (id: string, bytes = 1e9) => {
    const target = TARGETS.find((t) => t.id === id);
    return target ? obstaclesOn(target, shapeOfPlan(planEncode(access, wide), wide, bytes)) : [];
  };
  expect(of('phone')).toEqual([{ what: 'picture size', found: '3840 × 2160', allowedRows: 1086 }]);
  expect(of('browser')).toEqual([]);
  expect(of('television', 5e9).map((o) => o.what)).toEqual(['picture size', 'file size']);
  expect(of('headset').map((o) => o.what)).toEqual(['views', 'channels']);
});

describe('recipes as data', () => {
  test('one of the first version is read as it was meant', () => {
    const without = (part: object, names: readonly string[]) =>
      Object.fromEntries(Object.entries(part).filter(([n]) => !names.includes(n)));
    const video = without(access.video, ['rate']);
    const picture = without(access.picture, ['turn', 'mirror', 'brightness', 'contrast', 'saturation']);
    const audio = without(access.audio, ['loudness', 'gainDb', 'delayMs']);
    expect(RecipeSchema.parse({ ...access, version: 1, video, picture, audio })).toEqual(access);
  });

  test('those that are shipped are allowed, each told apart by its file’s ending', () => {
    for (const r of SHIPPED) expect(RecipeSchema.parse(r)).toEqual(r);
    const endings = [...endingsOf(['master', ...SHIPPED.map((r) => r.id)], recipesById()).values()];
    expect(new Set(endings).size).toBe(SHIPPED.length + 1);
    expect(endings.slice(0, 3)).toEqual(['.mkv', '.mp4', ' (lending).mp4']);
  });

  test('two of one ending are told apart', () => {
    const own = { ...access, id: 'own-a' };
    expect([...endingsOf(['access', 'own-a'], recipesById([own])).values()]).toEqual(['.mp4', ' 2.mp4']);
  });

  test.each<[string, object]>([
    ['arguments of its own', { arguments: ['-i', '/etc/passwd'] }],
    ['a suffix that leads elsewhere', { suffix: '/../x' }],
    ['another codec', { video: { ...access.video, codec: 'libx264 -vf movie=/etc/passwd' } }],
    ['a number that is none', { video: { ...access.video, quality: Number.NaN } }],
    ['rows without end', { picture: { ...access.picture, mostRows: 1e9 } }],
    ['the master’s name', { id: 'master' }],
    ['another version', { version: 99 }],
  ])('%s is refused', (_name, change) => {
    expect(RecipeSchema.safeParse({ ...access, ...change }).success).toBe(false);
  });

  test('the last recipe of a reel stays, and the master comes first', () => {
    expect(withRecipe(['access'], 'access', false)).toEqual(['access']);
    expect(withRecipe(['access'], 'master', true)).toEqual(['master', 'access']);
    expect(withRecipe(['master', 'access'], 'lending', true)).toEqual(['master', 'access', 'lending']);
  });
});

describe('time', () => {
  const plan = (speed: Recipe['speed'], more: Parameters<typeof recipe>[0] = {}, facts: EncodeFacts = PAL) =>
    planEncode({ ...recipe(more), speed }, facts);
  const codes = (p: ReturnType<typeof planEncode>) => p.reasons.map((r) => r.code);
  const soft = {
    ...PAL,
    video: { ...PAL.video, frameTicks: 900_900 },
    measured: { scan: 'film with pulldown' as const, combed: 0.02, bars: NO_BARS },
  };

  test('only 25 pictures a second can have been sped up; what is slower is so with all that belongs to it', () => {
    const slow = plan('23.976');
    expect(slow.slower).toBeCloseTo(25025 / 24000, 12);
    expect(slow.video.picturesPerSecond).toBeCloseTo(24000 / 1001, 9);
    expect(slow.audio.map((a) => a.slower)).toEqual([
      { by: slow.slower, pitchFalls: false },
      { by: slow.slower, pitchFalls: false },
    ]);
    expect(codes(slow)).toContain('speed given back');
    expect(plan('24', {}, soft)).toMatchObject({ slower: 1, audio: [{ slower: null }, { slower: null }] });
    expect(codes(plan('24', {}, soft))).toContain('speed left');
    // Sound can not stay as it is then.
    const copied = plan('24', { audio: { codec: 'as it is' } });
    expect(copied.audio[0]?.codec).toBe('AAC');
    expect(codes(copied)).toContain('sound follows speed');
    expect(plan('24', { video: { codec: 'as it is' }, container: 'Matroska' }).slower).toBe(1);
  });

  test.each<[string, Recipe['speed'], Parameters<typeof recipe>[0], EncodeFacts, readonly [number, number]]>([
    ['PAL', 'kept', {}, PAL, [25, 1]],
    ['each field a picture', 'kept', { picture: { deinterlace: 'fields' } }, PAL, [50, 1]],
    ['film by flags only', 'kept', {}, soft, [24_000, 1001]],
    ['film restored', 'kept', {}, { ...soft, measured: { ...soft.measured, combed: 0.4 } }, [24_000, 1001]],
    ['sped up before', '23.976', {}, PAL, [24_000, 1001]],
  ])('a constant rate is exact: %s', (_name, speed, more, facts, [numerator, denominator]) => {
    const found = plan(speed, { ...more, video: { frameRate: 'constant' } }, facts);
    expect(found.video.constant).toEqual({ numerator, denominator });
    expect(whyWhole(found)).toBe('constant');
    expect(plan(speed, more, facts).video.constant).toBeNull();
  });
});

test('a lossless twin that is left, an enlarged picture, and a mark on pixels that are not square are told', () => {
  const facts: EncodeFacts = { ...PAL, audio: [{ codec: 'AC-3', channels: 6, name: '', losslessLeft: 'TrueHD' }] };
  const r = recipe({
    picture: {
      deinterlace: 'never',
      mostRows: 1152,
      grow: true,
      mark: { kind: 'text', text: 'A: 50 %', corner: 'top left', heightPercent: 5, opacityPercent: 60 },
    },
  });
  const plan = planEncode(r, facts);
  expect(plan.reasons.filter((x) => ['lossless twin left', 'enlarged'].includes(x.code)).map((x) => x.weight)).toEqual(['eyes', 'eyes']);
  expect([plan.video.widthPixels, plan.video.heightPixels]).toEqual([2048, 1152]);
  expect(codesOf(r, facts)).toContain('square for the mark');
  // The text itself is in a file: nothing of it is part of what filters are told.
  expect(filtersOf(plan)).not.toMatch(/50/);
  expect([...filesOf(plan)]).toEqual(['text']);
});

test('a picture of a mark is looked at before it is taken: no other file, and none that says it is enormous', () => {
  const png = (width: number, height: number, type = 'IHDR') => {
    const head = Buffer.alloc(64);
    head.write('\x89PNG\r\n\x1a\n', 'latin1');
    head.writeUInt32BE(13, 8);
    head.write(type, 12, 'latin1');
    head.writeUInt32BE(width, 16);
    head.writeUInt32BE(height, 20);
    return `data:image/png;base64,${head.toString('base64')}`;
  };
  const takes = (address: string) =>
    RecipeSchema.safeParse(
      recipe({ picture: { mark: { kind: 'picture', png: address, corner: 'middle', heightPercent: 5, opacityPercent: 50 } } }),
    ).success;
  expect([png(64, 64), png(4096, 1)].map(takes)).toEqual([true, true]);
  expect([png(4097, 10), png(10, 0xffffffff), png(0, 5), png(64, 64, 'IDAT')].map(takes)).toEqual([false, false, false, false]);
  expect(
    ['data:image/png;base64,iVBORw0KGgo', 'data:image/svg+xml;base64,PHN2Zz4=', `${png(64, 64)}"/><x`, 'file:///etc/passwd'].map(takes),
  ).toEqual([false, false, false, false]);
});

describe('hardware', () => {
  const wished = (more: object = {}) => recipe({ ...more, video: { hardware: true, ...(more as { video?: object }).video } });
  const here: EncodeFacts = { ...PAL, hardware: ['VAAPI H.264', 'VAAPI HEVC', 'NVENC HEVC, 10 bit'] };
  const args = (r: Recipe, facts = here) => encoderArguments(planEncode(r, facts), 'in', 'out').join(' ');

  test('is taken where it works for the codec; else software does it, and both are told', () => {
    expect(planEncode(wished(), here).video.hardware).toBe('VAAPI');
    expect(codesOf(wished(), here)).toContain('hardware encoder');
    expect(planEncode(wished({ video: { codec: 'AV1' }, container: 'Matroska' }), here).video.hardware).toBeNull();
    expect(codesOf(wished(), PAL)).toContain('software encoder');
    expect(planEncode(access, here).video.hardware).toBeNull();
    // Fields stay fields: that only software is asked for.
    expect(planEncode(wished({ picture: { deinterlace: 'never' } }), here).video.hardware).toBeNull();
    expect(whyWhole(planEncode(wished(), here))).toBe('hardware');
    expect(planEncode(wished({ video: { rate: { kind: 'average', kbps: 2000 } } }), here).video.rate).toEqual({ kbps: 2000, passes: 1 });
  });

  test('is told its device before the input and its pictures last', () => {
    expect(args(wished())).toMatch(
      /-vaapi_device \/dev\/dri\/renderD128 -f matroska -i in .*-filter:v:0 bwdif[^ ]*,format=nv12,hwupload .*-c:v:0 h264_vaapi -rc_mode:v:0 CQP -qp:v:0 20 /,
    );
    expect(args(wished({ video: { codec: 'HEVC, 10 bit' } }))).toMatch(
      /-c:v:0 hevc_nvenc -tag:v:0 hvc1 -pix_fmt:v:0 p010le -preset:v:0 p5 -rc:v:0 vbr -cq:v:0 20 -b:v:0 0 -profile:v:0 main10/,
    );
    expect(args(wished(), { ...here, hardware: ['QSV H.264'] })).toMatch(
      /-c:v:0 h264_qsv -pix_fmt:v:0 nv12 -preset:v:0 medium -global_quality:v:0 20/,
    );
  });
});

test('chapters are escaped as FFmpeg reads them', () => {
  expect(
    chapterText(
      [
        { startMs: 0, name: 'a=b;c#d\\e' },
        { startMs: 2000, name: '' },
      ],
      5000,
      1.5,
    ),
  ).toBe(
    [
      ';FFMETADATA1',
      '[CHAPTER]',
      'TIMEBASE=1/1000000',
      'START=0',
      'END=3000000',
      'title=a\\=b\\;c\\#d\\\\e',
      '[CHAPTER]',
      'TIMEBASE=1/1000000',
      'START=3000000',
      'END=7500000',
      'title=',
      '',
    ].join('\n'),
  );
});
