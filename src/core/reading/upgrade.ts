import { READING_VERSION } from './model';
import { titleSetName } from './title-set-name';

type Plain = Readonly<Record<string, unknown>>;
const isPlain = (value: unknown): value is Plain => typeof value === 'object' && value !== null;
const each = (list: unknown, change: (item: Plain) => Plain): unknown =>
  Array.isArray(list) ? list.map((item: unknown) => (isPlain(item) ? change(item) : item)) : list;

/** Brings a reading of an earlier version up to date, as far as it says anything; leaves everything else as it is. */
export function upgradeReading(value: unknown): unknown {
  let reading = value;
  // Version 1 did not look for what no title leads to: nothing is known of it until the disc is read again.
  if (isPlain(reading) && reading['version'] === 1) reading = { ...reading, version: 2, loose: [] };
  if (isPlain(reading) && reading['version'] === 2) reading = fromVersion2(reading);
  if (isPlain(reading) && reading['version'] === 3) reading = fromVersion3(reading);
  if (isPlain(reading) && reading['version'] === 4) reading = fromVersion4(reading);
  if (isPlain(reading) && reading['version'] === 5) reading = fromVersion5(reading);
  return reading;
}

/**
 * Version 6 knows sound in clips of its own, and second pictures: there were none in what was read before. Readings were made and kept
 * while version 5 was still growing: what the first of them lack is put in here.
 */
function fromVersion5(reading: Plain): Plain {
  return {
    looked: null,
    ...reading,
    version: READING_VERSION,
    titles: each(reading['titles'], (t) => ({
      ...t,
      over: null,
      parts: each(t['parts'], (p) => ({ seamless: false, moved: null, ...p })),
      audio: each(t['audio'], (a) => ({ ...a, apart: null })),
    })),
  };
}

/** Version 5 knows how parts join. What is not known is no reason to cut: the disc's clock decides then. */
function fromVersion4(reading: Plain): Plain {
  return {
    ...reading,
    version: 5,
    looked: null,
    titles: each(reading['titles'], (t) => ({ ...t, parts: each(t['parts'], (p) => ({ ...p, seamless: false, moved: null })) })),
  };
}

/** Version 4 knows measurements, parental levels, and plain video files with their chapters' names. */
function fromVersion3(reading: Plain): Plain {
  return {
    ...reading,
    version: 4,
    titles: each(reading['titles'], (t) => ({
      ...t,
      levels: null,
      measured: null,
      subtitles: each(t['subtitles'], (s) => ({ ...s, apart: null })),
      chapters: each(t['chapters'], (c) => ({ ...c, name: null })),
    })),
  };
}

/** Version 3 knows Blu-ray too: all that version 2 holds is of a DVD. */
function fromVersion2(reading: Plain): Plain {
  const named = ({ titleSet, ...rest }: Plain) => ({ ...rest, content: titleSetName(Number(titleSet)) });
  const { titleSets, ...rest } = reading;
  return {
    ...rest,
    version: 3,
    contents: titleSets,
    names: [],
    javaMenus: false,
    damage: [],
    segments: each(reading['segments'], (s) => ({ ...s, ...named(s), kind: 'cell' })),
    loose: each(reading['loose'], named),
    titles: each(reading['titles'], (t) => ({
      ...t,
      playlist: null,
      sample: null,
      chapters: each(t['chapters'], (c) => ({ ...c, damaged: t['state'] === 'cut short' })),
      parts: each(t['parts'], (p) => ({ ...p, companion: null, seamless: false, moved: null })),
      audio: each(t['audio'], (a) => ({ ...a, coreOf: null })),
      video: isPlain(t['video'])
        ? {
            ...t['video'],
            stream: 0xe0,
            interlaced: null,
            profile: null,
            bitDepth: 8,
            closedCaptions: false,
            dynamicRange: 'standard',
            secondView: null,
          }
        : t['video'],
    })),
  };
}
