import { spawnSync } from 'node:child_process';
import { readFileSync } from 'node:fs';
import path from 'node:path';
import { temporaryFolder } from '@/test-support/discs';
import { seeded } from '@/test-support/random';
import { ac3IsSound, eac3IsSound, readAc3Header, readEac3Unit, readTrueHdSync, trueHdIsSound, trueHdUnitBytes } from '.';

const folder = temporaryFolder();

/** Two seconds of noise, as another house encodes them. */
function encoded(name: string, ...options: string[]): Uint8Array {
  const file = path.join(folder, name);
  const source = 'anoisesrc=r=48000:a=0.3:d=2:seed=7';
  const { status, stderr } = spawnSync('ffmpeg', ['-v', 'error', '-y', '-f', 'lavfi', '-i', source, ...options, '-strict', '-2', file], {
    encoding: 'utf8',
  });
  if (status !== 0) throw new Error(stderr);
  return new Uint8Array(readFileSync(file));
}

interface Unit {
  readonly at: number;
  readonly bytes: number;
  readonly isSound: (data: Uint8Array) => boolean;
}

function ac3Units(data: Uint8Array): Unit[] {
  const units: Unit[] = [];
  for (let at = 0; at < data.byteLength;) {
    const bytes = readAc3Header(data, at, data.byteLength)?.frameBytes ?? 0;
    if (bytes === 0) throw new Error(`no frame at ${at}`);
    const start = at;
    units.push({ at, bytes, isSound: (d) => ac3IsSound(d, start, bytes) });
    at += bytes;
  }
  return units;
}

function eac3Units(data: Uint8Array): Unit[] {
  const padded = new Uint8Array(data.byteLength + 64);
  padded.set(data);
  const units: Unit[] = [];
  for (let at = 0; at < data.byteLength;) {
    const header = readEac3Unit(padded, at, padded.byteLength);
    if (!header || header === 'more') throw new Error(`no unit at ${at}`);
    const [start, bytes] = [at, header.frameBytes];
    units.push({ at, bytes, isSound: (d) => eac3IsSound(d, start, bytes) });
    at += bytes;
  }
  return units;
}

function trueHdUnits(data: Uint8Array): Unit[] {
  const units: Unit[] = [];
  let subStreams = 0;
  for (let at = 0; at < data.byteLength;) {
    subStreams = readTrueHdSync(data, at, data.byteLength)?.subStreams ?? subStreams;
    const bytes = trueHdUnitBytes(data, at, data.byteLength);
    if (!bytes) throw new Error(`no unit at ${at}`);
    const [start, count] = [at, subStreams];
    units.push({ at, bytes, isSound: (d) => trueHdIsSound(d, start, bytes, count) });
    at += bytes;
  }
  return units;
}

/**
 * Sync words and lengths are what a unit is found by: a fault in them is found before anything is checked. The head of a TrueHD
 * unit (sync and directory, up to 40 bytes) has four bits of parity only: any single bit shows in them, and not every other change.
 */
const CASES = [
  ['AC-3', 'a.ac3', ['-ac', '6', '-b:a', '448k'], ac3Units, 2, 2],
  ['E-AC-3', 'a.eac3', ['-ac', '6', '-b:a', '640k'], eac3Units, 4, 4],
  ['TrueHD', 'a.thd', ['-ac', '2'], trueHdUnits, 2, 40],
] as const;

describe.each(CASES)('check words of %s', (_, name, options, unitsOf, foundBy, headBytes) => {
  const data = encoded(name, ...options);
  const units = unitsOf(data);

  test('agree in every frame of another house’s encoder', () => {
    expect(units.length).toBeGreaterThan(50);
    expect(units.filter((u) => !u.isSound(data))).toEqual([]);
  });

  test('disagree after any single bit, any burst of a byte, and two bytes in the wrong order', () => {
    const random = seeded(11);
    const missed: string[] = [];
    const spoil = (what: string, unit: Unit, at: number, bytes: readonly number[]) => {
      const copy = data.slice(unit.at, unit.at + unit.bytes);
      if (bytes.every((b, i) => data[at + i] === b)) return;
      data.set(bytes, at);
      if (unit.isSound(data)) missed.push(`${what} at ${at - unit.at} of ${unit.bytes}`);
      data.set(copy, unit.at);
    };
    for (const unit of units) {
      for (let n = 0; n < 20; n++) {
        const bit = unit.at + foundBy + random.int(unit.bytes - foundBy);
        spoil('a bit', unit, bit, [(data[bit] as number) ^ (1 << random.int(8))]);
        const at = unit.at + headBytes + random.int(unit.bytes - headBytes - 1);
        const [here, there] = [data[at] as number, data[at + 1] as number];
        spoil('a byte', unit, at, [random.int(256)]);
        spoil('an order', unit, at, [there, here]);
      }
    }
    expect(missed).toEqual([]);
  });

  test('say nothing of bytes that are not there: no unit is looked at beyond its end', () => {
    for (const unit of units.slice(0, 20)) {
      const alone = data.slice(0, unit.at + unit.bytes);
      expect(unit.isSound(alone)).toBe(true);
    }
  });
});
