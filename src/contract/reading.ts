import { z } from 'zod';
import type { Findings } from '@/core/findings';
import { READING_VERSION, upgradeReading, type DamageStretch, type Reading } from '@/core/reading';

const whole = z.number().int().nonnegative();
const pair = z.tuple([z.number(), z.number()]).readonly();
/** Foreign text is kept as it is, but not without a bound. */
const shortText = z.string().max(1000);
const MOST_TITLES = 2000;

const moved = z
  .array(z.object({ stream: whole, pid: whole.nullable() }))
  .max(256)
  .readonly()
  .nullable();

/** Content that can not be had. */
export const DamageStretchSchema = z.object({
  content: shortText,
  firstSector: whole,
  lastSector: whole,
  cause: z.enum(['missing', 'unreadable', 'spoilt']),
}) satisfies z.ZodType<DamageStretch>;

const video = z.object({
  stream: whole,
  codec: z.enum(['MPEG-1', 'MPEG-2', 'H.264', 'HEVC', 'VC-1', 'MPEG-4', 'AV1', 'VP8', 'VP9', 'FFV1', 'ProRes', 'DV', 'other']),
  standard: z.enum(['NTSC', 'PAL']).nullable(),
  widthPixels: whole.max(16384),
  heightPixels: whole.max(16384),
  displayAspect: pair,
  frameRate: shortText,
  frameTicks: z.number().positive(),
  interlaced: z.boolean().nullable(),
  profile: shortText.nullable(),
  bitDepth: whole.max(16),
  closedCaptions: z.boolean(),
  dynamicRange: z.enum(['standard', 'HDR10', 'Dolby Vision']),
  layer: whole.optional(),
  secondView: z.object({ stream: whole, baseIsRight: z.boolean() }).nullable(),
  from: z.enum(['stream', 'tables']),
});
export const AudioCodecSchema = z.enum([
  'AC-3',
  'E-AC-3',
  'TrueHD',
  'DTS',
  'DTS-HD',
  'DTS-HD Master',
  'DTS Express',
  'LPCM',
  'MPEG audio',
  'unknown',
  'AAC',
  'MP3',
  'FLAC',
  'Opus',
  'Vorbis',
  'ALAC',
  'PCM',
  'PCM float',
]);
const apartClip = { clip: shortText, pid: whole, in90k: whole, atMs: z.number() };
const audio = z.object({
  stream: whole,
  codec: AudioCodecSchema,
  coreOf: whole.nullable(),
  channels: whole.max(32),
  layout: shortText,
  sampleRateHz: whole,
  bitDepth: whole.nullable(),
  bitRate: whole.nullable(),
  language: shortText.nullable(),
  purpose: z.enum(['normal', 'visually impaired', 'commentary', 'alternative commentary']).nullable(),
  unclaimed: z.boolean().optional(),
  apart: z
    .array(z.object({ ...apartClip, out90k: whole }))
    .max(4000)
    .readonly()
    .nullable(),
  from: z.enum(['stream', 'tables']),
});
const subtitle = z.object({
  stream: whole,
  codec: z.enum(['VobSub', 'PGS', 'text', 'SubRip', 'ASS', 'WebVTT', 'DVB']),
  language: shortText.nullable(),
  purpose: z
    .enum([
      'normal',
      'large',
      'children',
      'captions',
      'large captions',
      "children's captions",
      'forced',
      'commentary',
      'large commentary',
      "children's commentary",
    ])
    .nullable(),
  apart: z.object(apartClip).nullable(),
  palette: z.array(whole).max(16).readonly().optional(),
  drawnFor: z.enum(['4:3', 'wide', 'letterbox', 'pan and scan']),
});
const db = z.number();
export const TitleMeasureSchema = z.object({
  everything: z.boolean(),
  audio: z
    .array(
      z.object({
        stream: whole,
        meanDb: db.nullable(),
        peakDb: db.nullable(),
        overTimeDb: z.array(db).max(200).readonly(),
        silent: z.boolean(),
        sameAs: whole.nullable(),
      }),
    )
    .max(64)
    .readonly(),
  subtitles: z
    .array(z.object({ stream: whole, events: whole, forcedAtMs: z.array(whole).max(500).readonly() }))
    .max(64)
    .readonly(),
  picture: z
    .object({
      scan: z.enum(['progressive', 'interlaced', 'film with pulldown', 'mixed']),
      frames: whole,
      combed: whole,
      whole,
      repeated: whole,
      bars: z.object({ top: whole, bottom: whole, left: whole, right: whole }),
      trueAspect: z.number().positive(),
      halves: z.object({ beside: z.number(), besideTurned: z.number(), below: z.number(), belowTurned: z.number() }).nullish(),
      eyes: z
        .object({
          told: whole,
          swapped: whole,
          below: z.object({ nearest: z.number(), farthest: z.number() }).nullish(),
          refused: shortText.nullish(),
        })
        .nullish(),
    })
    .nullable(),
});
const title = z.object({
  number: whole,
  titleSet: whole.nullable(),
  titleInSet: whole.nullable(),
  playlist: whole.nullable(),
  over: whole.nullable(),
  sample: shortText.nullable(),
  levels: z.array(whole.min(1).max(8)).max(8).readonly().nullable(),
  measured: TitleMeasureSchema.nullable(),
  state: z.enum(['usable', 'damaged', 'scrambled', 'cut short', 'unreadable']),
  durationMs: whole,
  sizeBytes: whole,
  angles: whole,
  chapters: z
    .array(
      z.object({ number: whole, startMs: whole, durationMs: whole, firstPart: whole, damaged: z.boolean(), name: shortText.nullable() }),
    )
    .max(1000)
    .readonly(),
  parts: z
    .array(
      z.object({
        segment: shortText,
        angle: whole.nullable(),
        companion: shortText.nullable(),
        seamless: z.boolean(),
        oneClock: z.boolean().optional(),
        moved,
        stillSeconds: whole.nullish(),
      }),
    )
    .max(20_000)
    .readonly(),
  video,
  audio: z.array(audio).max(64).readonly(),
  subtitles: z.array(subtitle).max(64).readonly(),
  palette: z.array(whole).max(16).readonly(),
});
const place = {
  id: shortText,
  content: shortText,
  firstSector: whole,
  lastSector: whole,
  discSector: whole,
  durationMs: whole,
};
const segment = z.discriminatedUnion('kind', [
  z.object({
    ...place,
    kind: z.literal('cell'),
    titleSet: whole,
    vobId: whole,
    cellId: whole,
    interleaved: z.boolean(),
    seamless: z.boolean(),
    clockRestarts: z.boolean(),
    stillSeconds: whole.nullable(),
  }),
  z.object({
    ...place,
    kind: z.literal('clip'),
    in90k: whole,
    out90k: whole,
    firstPacket: whole,
    endPacket: whole,
    clock: z.object({ firstPacket: whole, endPacket: whole }).optional(),
    stillSeconds: whole.nullable(),
  }),
  z.object({ ...place, kind: z.literal('span'), fromMs: whole, toMs: whole, stillSeconds: whole.nullable() }),
]);

const loose = z.object({ ...place, durationMs: whole.nullable(), chain: whole.nullable() });

/** A reading as it crosses a border: HTTP, the job file, an export. One of an earlier version is brought up to date. */
export const ReadingSchema = z.preprocess(
  upgradeReading,
  z.object({
    version: z.literal(READING_VERSION),
    kind: z.enum(['DVD-Video', 'Blu-ray', 'Ultra HD Blu-ray', 'Video file']),
    label: shortText,
    fileSystem: z.enum(['ISO 9660', 'UDF', 'folder', 'file']),
    sizeBytes: whole,
    fingerprint: z.string().regex(/^[0-9a-f]{64}$/),
    contents: whole,
    names: z
      .array(z.object({ language: shortText, name: shortText }))
      .max(100)
      .readonly(),
    javaMenus: z.boolean(),
    titles: z.array(title).max(MOST_TITLES).readonly(),
    segments: z.array(segment).max(100_000).readonly(),
    shares: z
      .array(z.object({ content: shortText, stream: whole, share: z.number().min(0).max(1), contentBytes: whole }))
      .max(2000)
      .readonly()
      .optional(),
    loose: z.array(loose).max(10_000).readonly(),
    looked: z.object({ sectors: whole, of: whole }).nullable(),
    damage: z.array(DamageStretchSchema).max(10_000).readonly(),
    routes: z
      .array(z.object({ title: whole, by: z.enum(['play', 'button', 'index']), menus: whole, button: whole, selected: z.boolean() }))
      .max(4000)
      .readonly(),
    remarks: z
      .array(
        z.object({
          code: z.enum([
            'backup-used',
            'backup-differs',
            'structure-lost',
            'table-damaged',
            'mirror-used',
            'image-cut-short',
            'beyond-end',
            'scrambled',
            'stream-differs',
            'too-many',
            'no-titles',
            'not-taken',
            'content-spoilt',
            'streams-moved',
            'beside-title',
            'stills',
            'copies-disagree',
          ]),
          severity: z.enum(['note', 'warning', 'fault']),
          title: whole.nullable(),
          detail: z.string().max(4000),
        }),
      )
      .max(2000)
      .readonly(),
  }),
) satisfies z.ZodType<Reading>;

const evidence = z.object({
  kind: z.enum([
    'longest',
    'share of longest',
    'most bytes',
    'most chapters',
    'most audio',
    'most subtitles',
    'first play',
    'menu selects',
    'menu offers',
    'no route',
    'index lists',
    'same segments',
    'same content',
    'other tracks',
    'shares',
    'longer by',
    'even cuts',
    'another film',
    'laid over',
    'copies of',
    'shuffled',
    'repeats itself',
    'time runs on',
    'time jumps',
    'true order',
    'divides',
    'menu loop',
    'contains',
    'contained in',
    'like length',
    'very short',
    'protected',
    'cut short',
    'damaged',
    'unreadable',
  ]),
  points: z.number(),
  titles: z.array(whole).max(MOST_TITLES).readonly(),
  value: z.number().nullable(),
});

export const RoleSchema = z.enum([
  'main',
  'cut',
  'version',
  'episode',
  'play-all',
  'duplicate',
  'decoy',
  'part',
  'menu',
  'extra',
  'feature',
  'short',
  'unusable',
]);
export const FindingsSchema = z.object({
  mainTitle: whole.nullable(),
  outOfReach: whole.nullable(),
  kind: z.enum(['film', 'series', 'nothing usable']),
  titles: z
    .array(
      z.object({
        title: whole,
        role: RoleSchema,
        confidence: z.number().min(0).max(1),
        score: z.number(),
        evidence: z.array(evidence).readonly(),
        differences: z
          .array(z.object({ atMs: whole, ms: whole, otherAtMs: whole, otherMs: whole }))
          .max(4000)
          .readonly()
          .default([]),
        divisions: z.array(whole).max(1000).readonly().default([]),
      }),
    )
    .max(MOST_TITLES)
    .readonly(),
}) satisfies z.ZodType<Findings>;
